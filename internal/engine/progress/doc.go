// Package progress tells what has been done and what is still due: the journal, how far upkeep is behind and was in
// the last hour, how much is stored. It waits for positions.
//
// In go places and positions; out come records and numbers. All it changes is parked work, which it makes due again or
// gives up, and what has been sent, which it has sent again. Doing what is due is package upkeep's.
package progress
