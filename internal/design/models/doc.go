// Package models writes types for an app's own program from its design: facts and kept values
// of every collection, pairs with fields and timelines, in Swift, Kotlin, Dart or TypeScript.
//
// In goes a checked design, out comes the text of one file. Not done here: calling the
// service; the OpenAPI document describes that.
package models
