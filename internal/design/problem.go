package design

import (
	"fmt"
	"strings"
)

// Pos is a place in a design file. Lines and columns count from 1.
type Pos struct{ Line, Column int }

// Problem is one thing that is wrong with a design file.
type Problem struct {
	File    string
	Pos     Pos
	Code    string // stable, one of the Code constants
	Message string // what is wrong
	Remedy  string // what to write instead, may be empty
}

// The codes of problems. They are stable: scripts may rely on them.
const (
	CodeSyntax       = "syntax"        // not YAML
	CodeShape        = "shape"         // a mapping, a list or a word stands where another was expected
	CodeUnknownKey   = "unknown-key"   // a key that means nothing here
	CodeMissingKey   = "missing-key"   // a key that must be there
	CodeNotYet       = "not-supported" // part of the language, but not of this release
	CodeBadName      = "bad-name"      // a name that cannot be used
	CodeNameTaken    = "name-taken"    // two things of the same name
	CodeUnknownName  = "unknown-name"  // a name that nothing bears
	CodeBadValue     = "bad-value"     // a value that the key does not take
	CodeCondition    = "condition"     // an expression that cannot be compiled
	CodeContradicted = "contradiction" // two parts that cannot both hold
	CodeTooLarge     = "too-large"     // past a limit
	CodeNotShown     = "not-shown"     // a screen shows what is not there to be shown
	CodeNeverRead    = "never-read"    // a screen shows what nobody may read
	CodeTells        = "tells-hidden"  // it would tell what its rules hide
)

// Error is the problem in one line: file:line:column: code: message; remedy.
func (p Problem) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s: %s", p.File, p.Pos.Line, p.Pos.Column, p.Code, p.Says())
}

// Says is what is wrong and what to write instead, without the place.
func (p Problem) Says() string {
	if p.Remedy == "" {
		return p.Message
	}
	return p.Message + "; " + p.Remedy
}

// Problems is everything that is wrong with a design file, in the order of the file.
type Problems []Problem

// Error lists the problems, a line each.
func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.Error()
	}
	return strings.Join(lines, "\n")
}
