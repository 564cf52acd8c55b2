// Package live says how what is shown has become what is shown now: which items went, came,
// moved or changed, so that whoever shows it can follow with little sent.
//
// In go pages, each as its items in order; out come events that make one out of the other.
// Of a page that was shown nothing is remembered but where its items stood and what they
// were worth in hashes: 2,000 streams take some megabytes. Not done here: when to look
// (package reading), and sending (package server).
package live
