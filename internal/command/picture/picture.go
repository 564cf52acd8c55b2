// Package picture draws a design: collections with their fields and kept values, pairs, timelines, lists, triggers and
// screens, from left to right as one feeds the other.
//
// In go graphs (package graph); out comes an SVG. Where everything stands is worked out by Graphviz, which runs inside
// this program. Not done here: what feeds what, and the console's picture, which one can walk through.
package picture

import (
	"bytes"
	"context"
	"fmt"
	"html"
	"io"
	"strings"

	"github.com/goccy/go-graphviz"

	"yalvo/internal/design/graph"
)

// The colours are the console's: kept values wear the accent, facts do not.
const (
	ink        = "#1c2422"
	quiet      = "#5d6a66"
	line       = "#b9c2be"
	surface    = "#ffffff"
	accent     = "#1d7468"
	accentSoft = "#e6f1ef"
)

// SVG writes the picture of a design.
func SVG(g graph.Graph, out io.Writer) error {
	ctx := context.Background()
	drawer, err := graphviz.New(ctx)
	if err != nil {
		return fmt.Errorf("the picture cannot be drawn: %w", err)
	}
	defer drawer.Close()
	asked, err := graphviz.ParseBytes(dot(g))
	if err != nil {
		return fmt.Errorf("the picture cannot be drawn: %w", err)
	}
	var svg bytes.Buffer
	if err := drawer.Render(ctx, asked, graphviz.SVG, &svg); err != nil {
		return fmt.Errorf("the picture cannot be drawn: %w", err)
	}
	_, err = svg.WriteTo(out)
	return err
}

// dot is the graph in the language of Graphviz: things are tables whose rows have ports, which ties start from.
func dot(g graph.Graph) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "digraph { rankdir=LR; nodesep=0.12; ranksep=0.7; bgcolor=%q; "+
		"fontname=Helvetica; label=%q; labelloc=t;\n",
		surface, g.App)
	fmt.Fprintf(&b, "node [shape=plain fontname=Helvetica fontsize=10 fontcolor=%q];\n", ink)
	fmt.Fprintf(&b, "edge [color=%q arrowsize=0.6 fontname=Helvetica fontsize=8 fontcolor=%q];\n", line, quiet)
	owner := map[string]string{}
	for _, t := range g.Things {
		fmt.Fprintf(&b, "%q [label=<%s>];\n", t.ID, table(t))
		owner[t.ID] = t.ID
		for _, m := range t.Members {
			owner[m.ID] = t.ID
		}
	}
	for _, tie := range g.Ties {
		fmt.Fprintf(&b, "%q:e -> %s [dir=back arrowtail=%s];\n", tie.To, head(tie), tails[tie.Kind])
	}
	drawn := map[[2]string]bool{}
	for _, f := range g.Feeds { // from thing to thing, once, and to views alone: what feeds a kept value is said in it
		pair := [2]string{owner[f.From], owner[f.To]}
		if drawn[pair] || pair[0] == pair[1] || !isView(pair[1]) || skips(pair) {
			continue
		}
		drawn[pair] = true
		fmt.Fprintf(&b, "%q -> %q [color=%q style=dashed];\n", pair[0], pair[1], accent)
	}
	b.WriteString("}\n")
	return b.Bytes()
}

// tails are the ends of ties at what they lead to.
var tails = map[string]string{graph.Points: "normal", graph.Lies: "diamond", graph.Ends: "none"}

// head is where a tie is drawn to: the row of a reference, else the thing.
func head(tie graph.Tie) string {
	if tie.Kind != graph.Points {
		return fmt.Sprintf("%q", tie.From)
	}
	return fmt.Sprintf("%q:%q:w", tie.From, tie.By[strings.LastIndex(tie.By, ".")+1:])
}

func isView(id string) bool {
	kind, _, _ := strings.Cut(id, ".")
	return kind == "timelines" || kind == "lists" || kind == "screens" || kind == "triggers"
}

// skips tells whether a line would only repeat what others show: a collection reaches a screen through what lists it.
func skips(pair [2]string) bool {
	return strings.HasPrefix(pair[1], "screens.") && !isView(pair[0])
}

// table is a thing as a table: its kind and name, and a row for each member.
func table(t graph.Thing) string {
	var b strings.Builder
	fmt.Fprintf(&b, `<TABLE BORDER="0" CELLBORDER="1" CELLSPACING="0" CELLPADDING="3" COLOR=%q BGCOLOR=%q>`,
		line, surface)
	kind := string(t.Kind)
	if t.Accounts {
		kind = "accounts"
	}
	row := func(port, ground, name, kind string) {
		fmt.Fprintf(&b, `<TR><TD PORT=%q BGCOLOR=%q ALIGN="LEFT"><TABLE BORDER="0" CELLBORDER="0" CELLSPACING="0" `+
			`CELLPADDING="0"><TR><TD ALIGN="LEFT">%s</TD><TD ALIGN="RIGHT"><FONT COLOR=%q `+
			`POINT-SIZE="8">%s</FONT></TD></TR></TABLE></TD></TR>`, port, ground, name, quiet, kind)
	}
	row("head", surface, "<B>"+html.EscapeString(t.Name)+"</B>"+room(t.Name), kind)
	for _, m := range t.Members {
		ground := surface
		if m.Kept {
			ground = accentSoft
		}
		row(m.Name, ground, html.EscapeString(m.Name)+room(m.Name), html.EscapeString(m.Type))
	}
	b.WriteString("</TABLE>")
	return b.String()
}

// room is what stands after a name: letters may be a fifth wider where the picture is looked at than they were where it
// was laid out.
func room(name string) string { return strings.Repeat("&#160;", 2+len(name)/4) }
