// Package gate is what every request passes before a handler sees it: whose it may be
// (guard.go), how many of one caller's are answered (rates.go), whether there is a place
// for it (gate.go), and how long its connection has (times.go).
//
// In go requests; out come those that may be worked on, and problem details for the
// others. Not done here: what a request means (package server).
package gate
