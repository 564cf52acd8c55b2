// Package api is the API that apps use: documents, pairs, lists, timelines, batches of writes and of reads, pictures,
// and live reads over server-sent events.
//
// In go requests of which it is known who has sent them; out come JSON, or errors, which are told as problem details
// elsewhere. A handler turns a request into one call of a room of the engine, and the result into JSON. Who may ask
// (package callers) and whether there is a place (package gate) has been decided before.
package api
