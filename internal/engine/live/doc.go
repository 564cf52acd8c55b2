// Package live is the way from a change to the events that those are sent who watch a page.
//
// watchers.go wakes whoever watches what a change may concern (news.go: what was written; signatures.go: what is
// shown is another), and live.go says how what was shown became what is shown now: which items went, came, moved
// or changed, so that whoever shows it can follow with little sent.
//
// In go pages, each as its items in order; out come events that make one out of the other. Of a page that was
// shown nothing is remembered but where its items stood and what they were worth in hashes: 2,000 streams take
// some megabytes. Not done here: reading pages (packages timelines, lists and documents), and sending (package
// server).
package live
