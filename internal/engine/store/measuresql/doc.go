// Package measuresql is the SQL that measures an app: how many there are of each thing, how they are spread, what was
// done lately, and how large it is. In go a plan and a view of the database; out come numbers. It reads whole tables:
// in a view, which holds nobody up. Not done here: making a workload of the numbers (package measuring).
package measuresql
