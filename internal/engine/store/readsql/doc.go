// Package readsql is the SQL that all reads share: pages of documents and partners, marks, the reader's own
// pairs, and which documents were written since a moment. Lists and timelines, with what is theirs alone, stand
// over it.
package readsql
