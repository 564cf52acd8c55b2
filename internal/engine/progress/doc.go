// Package progress tells what has been done and what is still due: the journal, how far upkeep is behind and was in
// the last hour, how much is stored. It waits for positions.
//
// In go places and positions; out come records and numbers. It writes nothing.
package progress
