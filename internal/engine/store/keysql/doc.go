// Package keysql is the SQL of operators' keys, of the console's sessions, and of secrets in a dump.
package keysql
