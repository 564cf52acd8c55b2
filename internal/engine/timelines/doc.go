// Package timelines reads pages of timelines: the places of entries, of which the database tells; what they show,
// most of which is remembered; and which of it the viewer may see.
//
// In go a timeline, its owner and who asks; out come entries as that caller may see them. What is stored of a
// timeline is package upkeep's; here nothing is written.
package timelines
