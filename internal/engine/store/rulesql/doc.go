// Package rulesql is what rules say, as conditions of statements: filters of documents, lists and entries, and
// the tables in which what they ask of a reader is looked up once for each statement. In go conditions that
// package expr has made of rules; out come parts of SQL with their arguments. Which rule holds for whom is not
// decided here.
package rulesql
