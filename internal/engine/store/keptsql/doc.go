// Package keptsql is the SQL of kept values: cards, counts and sums, contributions and what is chosen from them,
// and where frozen values are from. In go a plan's duplicates and row numbers. What has to be kept anew, and
// when, is package upkeep's.
package keptsql
