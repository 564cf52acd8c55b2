// Package bulk moves facts in and out as lines of JSON: a document or a pair a line.
//
// Out go all documents and pairs as of one moment, each with its id, times and
// version. In come such lines, many at once: each is checked against the design,
// what is there already as it stands is passed over, and what cannot be is told with
// its line while the rest goes on. Only facts are moved: duplicates are derived from
// them afterwards (package versions).
//
// What accounts and operators sign in with is no fact: it is in a dump if that is asked for, sealed (age,
// https://age-encryption.org/v1) for whoever asks.
//
// Not done here: reading files and telling their forms (package lines), HTTP.
package bulk
