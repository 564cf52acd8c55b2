// Package reading answers what clients ask: documents, pages of collections and
// timelines, how pairs stand, the journal, how far upkeep is behind. It waits
// for a position if the reader names one.
//
// In go names and keys of the design; out come documents and pages as clients
// see them. It writes nothing.
package reading
