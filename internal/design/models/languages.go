package models

import (
	"embed"
	"fmt"
	"slices"
	"strings"
	"text/template"
)

//go:embed *.tmpl
var templates embed.FS

// language is how types are written in a language.
type language struct {
	kinds    map[Kind]string
	list     string // of a list, with its items' type in it
	optional string // with the type in it
	empty    map[Kind]string
	words    []string // that no member may be called
	quoted   string   // how such a word is written instead
}

// Languages are the languages that types are written in.
var Languages = []string{"dart", "kotlin", "swift", "typescript"}

var languages = map[string]language{
	"typescript": {kinds: map[Kind]string{Text: "string", Whole: "number", Number: "number", Truth: "boolean",
		Time: "Time"}, list: "%s[]", optional: "%s"},
	"swift": {kinds: map[Kind]string{Text: "String", Whole: "Int", Number: "Double", Truth: "Bool", Time: "Date"},
		list: "[%s]", optional: "%s?", empty: map[Kind]string{Whole: "0", Number: "0", List: "[]"},
		words: []string{"as", "break", "case", "catch", "class", "continue", "default", "defer", "do", "else", "enum",
			"extension", "false", "for", "func", "guard", "if", "import", "in", "init", "inout", "internal",
			"is", "let",
			"nil", "operator", "private", "protocol", "public", "repeat", "return", "self", "static", "struct", "super",
			"switch", "throw", "throws", "true", "try", "typealias", "var", "where", "while"}, quoted: "`%s`"},
	"kotlin": {kinds: map[Kind]string{Text: "String", Whole: "Long", Number: "Double", Truth: "Boolean",
		Time: "Instant"}, list: "List<%s>", optional: "%s?",
		empty: map[Kind]string{Whole: "0", Number: "0.0", List: "emptyList()"},
		words: []string{"as", "break", "class", "continue", "do", "else", "false", "for", "fun", "if", "in",
			"interface", "is", "null", "object", "package", "return", "super", "this", "throw", "true", "try",
			"typealias", "typeof", "val", "var", "when", "while"}, quoted: "`%s`"},
	"dart": {kinds: map[Kind]string{Text: "String", Whole: "int", Number: "double", Truth: "bool", Time: "DateTime"},
		list: "List<%s>", optional: "%s?", empty: map[Kind]string{Whole: "0", Number: "0", List: "const []"},
		words: []string{"assert", "break", "case", "catch", "class", "const", "continue", "default", "do", "else",
			"enum", "extends", "false", "final", "finally", "for", "if", "in", "is", "new", "null", "rethrow", "return",
			"super", "switch", "this", "throw", "true", "try", "var", "void", "while", "with"}, quoted: "%s_"},
}

// Write writes a model in a language.
func Write(m Model, in string) (string, error) {
	l, known := languages[in]
	if !known {
		return "", fmt.Errorf("types are written in %s, not in %q", strings.Join(Languages, ", "), in)
	}
	t, err := template.New(in+".tmpl").Funcs(template.FuncMap{"typ": l.member, "bare": l.bare, "prop": l.property,
		"zero": func(m Member) string { return l.empty[m.Type.Kind] }, "reading": l.reading, "writing": l.writing,
		"part": func(p Part) string { return l.property(Member{Property: p.Property}) }, "made": m.made,
		"isEntry": func(d Document) bool { return strings.HasSuffix(d.Name, "Entry") }}).ParseFS(templates, in+".tmpl")
	if err != nil {
		return "", err
	}
	var text strings.Builder
	err = t.Execute(&text, m)
	return strings.TrimRight(text.String(), "\n") + "\n", err
}

func (l language) bare(m Member) string { return l.typ(m.Type) }

func (l language) typ(t Type) string {
	switch {
	case t.Kind == List:
		items := l.typ(*t.Of)
		if strings.Contains(items, " | ") {
			items = "(" + items + ")"
		}
		return fmt.Sprintf(l.list, items)
	case t.Kind == Object:
		return t.Name
	case len(t.Choices) > 0 && l.optional == "%s": // a later version of the design may have more of them
		quoted := make([]string, len(t.Choices))
		for i, c := range t.Choices {
			quoted[i] = fmt.Sprintf("%q", c)
		}
		return strings.Join(quoted, " | ") + " | (string & {})"
	}
	return l.kinds[t.Kind]
}

func (l language) member(m Member) string {
	if m.Optional {
		return fmt.Sprintf(l.optional, l.typ(m.Type))
	}
	return l.typ(m.Type)
}

func (l language) property(m Member) string {
	if slices.Contains(l.words, m.Property) {
		return fmt.Sprintf(l.quoted, m.Property)
	}
	return m.Property
}

// reading is how Dart reads a member out of JSON.
func (l language) reading(m Member) string {
	from := fmt.Sprintf("j['%s']", m.Name)
	switch {
	case m.Optional:
		return from + " == null ? null : " + l.decoded(m.Type, from)
	case m.Empty:
		return from + " == null ? " + l.empty[m.Type.Kind] + " : " + l.decoded(m.Type, from)
	}
	return l.decoded(m.Type, from)
}

func (l language) decoded(t Type, from string) string {
	switch t.Kind {
	case Time:
		return "DateTime.parse(" + from + " as String)"
	case Number:
		return "(" + from + " as num).toDouble()"
	case Whole:
		return "(" + from + " as num).toInt()"
	case Object:
		return t.Name + ".fromJson(" + from + " as Json)"
	case List:
		return "[for (final x in " + from + " as List) " + l.decoded(*t.Of, "x") + "]"
	}
	return from + " as " + l.kinds[t.Kind]
}

// writing is how Dart writes a member as JSON.
func (l language) writing(m Member) string {
	name := l.property(m)
	if m.Optional {
		name += "!"
	}
	return l.encoded(m.Type, name)
}

func (l language) encoded(t Type, name string) string {
	switch t.Kind {
	case Time:
		return name + ".toUtc().toIso8601String()"
	case Object:
		return name + ".toJson()"
	case List:
		return "[for (final x in " + name + ") " + l.encoded(*t.Of, "x") + "]"
	}
	return name
}

// made is how Dart makes a part of a screen out of JSON.
func (m Model) made(p Part) string {
	at := slices.IndexFunc(m.Documents, func(d Document) bool { return d.Name == p.Of })
	d, kind := m.Documents[at], "Document"
	if p.Kind == "Entries" {
		kind = "Entry"
	}
	one := func(from string) string {
		return fmt.Sprintf("%s.fromJson<%s, %s>(%s as Json, %s.fromJson, %s.fromJson)", kind, d.Facts, d.Kept,
			from, d.Facts, d.Kept)
	}
	from := fmt.Sprintf("parts['%s']", p.Name)
	if p.Kind == "Document" {
		return one(from)
	}
	member := "documents"
	if p.Kind == "Entries" {
		member = "entries"
	}
	return fmt.Sprintf("%s([for (final x in (%s as Json)['%s'] as List) %s], (%s as Json)['next'] as String?)",
		p.Kind, from,
		member, one("x"), from)
}
