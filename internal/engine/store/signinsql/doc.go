// Package signinsql is the SQL of the service's own sign-in: passwords, refresh tokens, and guesses. Passwords
// come in and go out as what a hash made of them.
package signinsql
