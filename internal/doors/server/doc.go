// Package server is the service seen from outside: the HTTP API, live reads
// over server-sent events, the OpenAPI document, and the console's files.
//
// In go HTTP requests; out come JSON, or problem details (RFC 9457) that say
// where a request is wrong and what to do. The rules it applies are those of
// the rooms: a handler turns a request into one call, and the result into JSON.
package server
