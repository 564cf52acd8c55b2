// Package running is what every room needs of the app that runs: the design in
// force with its plan, documents as clients see them, who calls, positions in
// the journal, and how a request is refused.
//
// In goes a store; out comes an [App] that always knows the newest [Version] of
// the design, or a [Refusal] that says what is wrong with a request.
//
// Not done here: writing facts (package facts), keeping duplicates true
// (package upkeep), reading pages (packages documents, timelines, lists), audits (package proof).
package running
