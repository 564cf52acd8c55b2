// Package callers finds out who asks: an operator by a key or a session of the console, an account by a token, or a
// stranger; and answers what concerns that alone: sessions, keys, signing up and in, passwords.
//
// In go requests; out come who has sent them ([Checker.Identify]), and refusals of who may not ask. What an account may
// read or write is for the rules of the design, and not decided here.
package callers
