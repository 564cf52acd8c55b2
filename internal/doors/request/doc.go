// Package request reads what an HTTP request says: its body, its query, its headers, the
// page it asks for and the version that it has seen; and tells a client of errors, of whatever
// room ([Telling]).
//
// In goes a request; out come values with their bounds kept, or a problem (RFC 9457) that says where
// and what to do.
//
// Not done here: what else is answered, and who may ask.
package request
