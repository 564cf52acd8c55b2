package flags

import (
	"encoding/json"
	"io"
	"os"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"
)

// Contents are those of a file, of standard input for `-`.
func Contents(c *cli.Command, file string) ([]byte, error) {
	if file == "-" {
		return io.ReadAll(c.Root().Reader)
	}
	return os.ReadFile(file)
}

// Assignments reads NAME=VALUE arguments. A value that is JSON is taken as
// such; everything else is text, so that words need no second quotes.
func Assignments(args []string) (map[string]any, error) {
	fields := map[string]any{}
	for _, arg := range args {
		name, text, ok := strings.Cut(arg, "=")
		if !ok || name == "" {
			return nil, Usage("%q is no NAME=VALUE", arg)
		}
		if _, twice := fields[name]; twice {
			return nil, Usage("%q is given twice", name)
		}
		var v any
		if err := json.Unmarshal([]byte(text), &v); err != nil {
			v = text
		}
		fields[name] = v
	}
	return fields, nil
}

// Bar is a progress bar on a terminal, nil elsewhere.
func (a *App) Bar() *progressbar.ProgressBar {
	if f, is := a.Err.(*os.File); !is || !term.IsTerminal(int(f.Fd())) {
		return nil
	}
	return progressbar.NewOptions(100, progressbar.OptionSetWriter(a.Err), progressbar.OptionClearOnFinish(),
		progressbar.OptionSetWidth(30), progressbar.OptionSetPredictTime(false))
}
