// Package client calls a Yalvo service over HTTP.
//
// Every method takes a context and returns either what was asked for or a
// [*Problem] that says what is wrong with the request. Writes return a
// [Position]; give it to [Client.After] and the reads that follow wait until
// everything that the write makes due has been done.
package client
