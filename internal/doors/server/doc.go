// Package server is the service seen from outside: it puts the doors together, in the order in which a request
// passes them (gate, callers, then the API, operators' calls, or the console's files), serves a listener, and has a
// request be worked on with one version of the design.
//
// In go HTTP requests; out come answers. What is asked and answered is in packages api, operating and callers.
package server
