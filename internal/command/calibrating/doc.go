// Package calibrating measures what primitives cost on the machine at hand: a request, a document that is read, a row
// that is written, an entry of a timeline.
//
// In go a folder for a database that nobody will miss; out come the rates of package forecast, with the date. What is
// measured is processor time, of the service and its PostgreSQL together, so that a noisy hour does not matter much;
// the load is in the same process and takes a few microseconds of each request. Not done here: keeping them.
package calibrating
