// Package album keeps pictures: what is known of them with the documents, their files in a
// place of their own.
//
// In go pictures that were uploaded (package pictures makes their versions); out come files,
// for whoever may read a document that refers to them. What nothing refers to is swept. Not
// done here: what a document refers to, which a trigger of the tables notes whoever writes it.
package album
