// Package lines reads files of facts and has a service load them.
//
// In go files: lines of JSON as a dump has them, or CSV (RFC 4180); out come
// batches for the service, and a file of the lines that could not be loaded, each
// with its number and the reasons. Lines that came before what they need are sent
// again.
//
// Not done here: deciding whether a line fits the design, which the service does
// (package bulk).
package lines
