// Package proof shows that duplicates are true, and makes them so: audits and
// mends, why a duplicate is as it is, what a change has caused, where a document
// is duplicated to, and forgetting.
//
// In go questions in terms of the design; out come reports. Audits run in the
// background, next to writers, in steps that survive the service.
//
// Not done here: what keeps duplicates true from change to change (package
// upkeep).
package proof
