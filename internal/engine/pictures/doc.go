// Package pictures makes of an uploaded picture what is served of it: its pixels alone, upright,
// in three sizes.
//
// In go bytes that a stranger has sent; out come pictures encoded anew, so that nothing of
// what else was in them is left. What they would take is known before they are decoded. Not
// done here: where they are kept, and who may see them (package album).
package pictures
