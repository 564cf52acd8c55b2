// Package keys is who operates a service: keys that stand for operators, the sessions of
// the console that stand for keys, and links that begin such a session once.
//
// In go the texts that a request brought; out come the key they stand for and what it may.
// Secrets are nowhere: of keys, sessions and links alike their hashes are stored. Not done
// here: accounts of the app (packages tokens and signin), and what needs which scope
// (package server).
package keys
