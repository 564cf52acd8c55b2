package language

import (
	"fmt"
	"regexp"

	"yalvo/internal/design"
)

// maxAccepted is how many findings a design may accept, and maxReason how long a reason is.
const (
	maxAccepted = 200
	maxReason   = 500
)

var (
	codeForm   = regexp.MustCompile(`^[a-z]+(-[a-z]+)*$`)
	groundForm = regexp.MustCompile(`^[0-9a-f]{8}$`)
)

// readAccepted reads the findings that the design takes as they are.
func (r *reader) readAccepted(n *node) {
	if n.shape != sequence || len(n.items) > maxAccepted {
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("accepted must be a list of %d findings at most, this is "+
			"%s", maxAccepted,
			describe(n)), "write it as in `- {finding: endless-text, at: posts.text, because: …, ground: …}`")
		return
	}
	for _, item := range n.items {
		a := design.Accepted{Pos: item.pos}
		take := func(what string, into *string, fits func(string) bool, remedy string) func(*node) {
			return func(n *node) {
				if *into = r.word(n, what); *into != "" && !fits(*into) {
					r.problem(n.pos, design.CodeBadValue, fmt.Sprintf("%s cannot be %q", what,
						design.Clip(*into)), remedy)
				}
			}
		}
		r.mapping(item, "an accepted finding", keys{
			"finding": take("finding", &a.Finding, codeForm.MatchString, "it is the code that `yalvo check` names"),
			"at": take("at", &a.At, func(s string) bool { return len(s) <= 200 },
				"it is the place that `yalvo check` names"),
			"because": take("because", &a.Because, func(s string) bool { return len(s) <= maxReason },
				"say it shorter"),
			"ground": func(n *node) {
				a.Ground = fmt.Sprint(n.scalar)
				if _, is := n.scalar.(string); !is || !groundForm.MatchString(a.Ground) {
					r.problem(n.pos, design.CodeBadValue, fmt.Sprintf("ground cannot be %s", describe(n)),
						"write the eight digits that `yalvo check` names, in quotes")
				}
			},
		}, "finding", "at", "because")
		r.design.Accepted = append(r.design.Accepted, a)
	}
}
