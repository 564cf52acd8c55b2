// Package starting is `yalvo up`: from its flags to a service that answers, its operator's key, and the demo.
//
// In go flags; out come a service's options, a service that runs until it is stopped, and a greeting.
//
// Not done here: what a service is made of (package service).
package starting

import "yalvo/internal/command/flags"

// app has what the command does as its methods.
type app struct{ *flags.App }
