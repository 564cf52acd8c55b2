// Package timelinesql is the SQL of timelines: posts and entries, fan-outs, subscriptions, cuts, and pages with
// the documents that they show. In go a plan's timeline and row numbers. How far a timeline is stored is package
// upkeep's to say.
package timelinesql
