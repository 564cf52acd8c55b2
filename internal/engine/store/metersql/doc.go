// Package metersql is the SQL of what has really been read and written, by the hour. In go counts of a service; out
// come those of all, added up. Not done here: the counting (package metering).
package metersql
