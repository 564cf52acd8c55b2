// Package factsql is the SQL of facts: documents, pairs, references, unique values, the journal, and what is
// left of what has gone. In go the rows of one write, with the work that it makes due, which is written along;
// out come rows. Whether a write may be made is decided before.
package factsql
