// Package versionsql is the SQL of versions of the design: the designs, drafts, numbers for their names, steps and how
// far they are, facts that do not fit, and duplicates derived anew a stretch at a time.
package versionsql
