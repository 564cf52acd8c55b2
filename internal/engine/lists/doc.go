// Package lists reads pages of a design's lists, for whoever asks: filtered by the database as far as it can tell,
// judged as far as it cannot, with documents that are mostly remembered.
//
// In go a list, the document that it is asked for, its parameters and who asks; out come documents as that caller
// may see them. It writes nothing.
package lists
