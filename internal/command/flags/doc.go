// Package flags is what all commands share: which service the flags name and with whose key, what a
// command line has to be like, and where answers go.
//
// In go parsed command lines; out come clients, arguments and mistakes.
//
// Not done here: any command (packages commands and starting), and how answers look (package terminal).
package flags
