// Package loadsql is the SQL of facts in bulk: dumped in an order in which they can be loaded, and loaded many
// rows to a statement.
package loadsql
