// Package auditsql is the SQL of proof: audits and their checks, one for each kind of duplicate, with what is
// found and mended; traces of a change; what has been forgotten, and where it still stood. Which checks run when
// is package proof's.
package auditsql
