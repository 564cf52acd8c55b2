// Package tokens tells whose an access token is: a JWT (RFC 7519) of the service's own
// issuer, or of the identity provider that the app has.
//
// In go a token and the keys it may be signed with; out comes the account it speaks for, or
// why it is not believed. A token says who somebody is and never what they may: roles are
// in the account's own document. Not done here: passwords and refresh tokens (package
// signin), and keys of operators (package keys).
package tokens
