// Package listsql is the SQL of lists of documents, and of the indexes made for each: for one reader, or for
// several who ask at the same time. What may be in a list is said by the plan, and who may see what by package
// rulesql.
package listsql
