// Package request reads what an HTTP request says: its body, its query, its headers, the
// page it asks for and the version that it has seen.
//
// In goes a request; out come values with their bounds kept, or a problem that says where
// and what to do.
//
// Not done here: what is answered, and who may ask.
package request
