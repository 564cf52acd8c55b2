// Package postgres runs a PostgreSQL of the service's own.
//
// In goes a folder; out comes the address of a server on loopback whose data
// lies in it. The programs are those of Debian's package. A server that an
// earlier, killed service left running is taken over; a stale lock file does
// no harm. As root, PostgreSQL runs as an unprivileged user.
//
// Not done here: anything inside the database.
package postgres
