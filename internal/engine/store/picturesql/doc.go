// Package picturesql is the SQL of pictures: who uploaded which, what refers to them, and which nothing refers
// to any more. Their bytes are not here.
package picturesql
