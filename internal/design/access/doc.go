// Package access decides who may do what: the rules of a design, applied to documents.
//
// In go the conditions that stand before a request and a [Source] that knows documents
// and pairs; out comes for each request whether it is allowed, and if not, which rule
// refused it. What the rules of many requests need to know is asked of the source
// together, in a few rounds.
//
// Not done here: where documents come from, who the caller is, and what an answer that
// leaves something out looks like.
package access
