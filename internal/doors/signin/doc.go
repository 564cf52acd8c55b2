// Package signin is the service's own identity provider, for apps that have no other: accounts
// sign up and in with a password, and stay signed in with a refresh token.
//
// In go names, passwords and refresh tokens; out come access tokens (package tokens) that say
// whose a request is. The document of whoever signs up is created under the rules of the
// design, as a stranger's. Not done here: what an account may (package access), and how many
// passwords are looked at together (package gate).
package signin
