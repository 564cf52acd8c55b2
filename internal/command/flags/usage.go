package flags

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/internal/design"
)

// UsageError is a mistake on the command line.
type UsageError struct{ text string }

func (u UsageError) Error() string { return u.text }

// Usage is the error of a mistake on the command line.
func Usage(format string, args ...any) error { return UsageError{fmt.Sprintf(format, args...)} }

// Arguments sees that a command got as many arguments as it takes; most is -1 for any number.
func Arguments(c *cli.Command, least, most int) ([]string, error) {
	args := c.Args().Slice()
	if len(args) < least || most >= 0 && len(args) > most {
		return nil, Usage("usage: %s %s", c.FullName(), c.ArgsUsage)
	}
	return args, nil
}

// Example is a command's description: how it is called.
func Example(text string) string { return "Example:\n   " + text }

// Wrong says what is wrong with an option, and of one that there is not which may be meant.
func Wrong(c *cli.Command, err error) string {
	name, unknown := strings.CutPrefix(err.Error(), "flag provided but not defined: -")
	if !unknown {
		return withoutParser(err.Error())
	}
	var known []string
	for _, in := range c.Lineage() {
		for _, f := range in.Flags {
			known = append(known, f.Names()...)
		}
	}
	if near := design.Nearest(name, known); near != "" {
		return fmt.Sprintf("there is no option --%s, did you mean --%s?", name, near)
	}
	return "there is no option --" + name
}

var parserWords = regexp.MustCompile(`: strconv\.Parse\w+: parsing .*`)

// withoutParser says of a value that is no number that it is none, and nothing of
// who found that out.
func withoutParser(s string) string { return parserWords.ReplaceAllString(s, ": it takes a number") }
