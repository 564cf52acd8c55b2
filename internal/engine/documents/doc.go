// Package documents reads documents: one, pages of a collection, what a name after a document leads to, who has a
// unique value; what is brought along with them, how an account is paired with them, how pairs stand.
//
// In go names and keys of the design, and who asks; out come documents as that caller may see them. A page is
// filled with what may be read, however much is passed over for it ([Sequence]). It writes nothing.
package documents
