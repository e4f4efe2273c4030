package rosterfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// mostBytes bounds a roster file, and deepest how far it nests.
const (
	mostBytes = 32 << 20
	deepest   = 12
)

// Fault is one thing wrong with a file.
type Fault struct {
	Line, Column int // from 1; 0 where it is about the whole
	Place        string
	Message      string
}

// Document is a file as read, with where everything in it stands.
type Document struct {
	File
	at map[string][2]int // the line and column of each field, by path
}

// Find is where a path stands, or the nearest part above it that does.
func (d *Document) Find(path string) (line, column int) {
	for {
		if at, ok := d.at[path]; ok {
			return at[0], at[1]
		}
		i := strings.LastIndexAny(path, ".[")
		if i <= 0 {
			return 0, 0
		}
		path = path[:i]
	}
}

// Read reads a roster file. Nothing in it is taken where there are faults.
func Read(content []byte) (*Document, []Fault) {
	content = bytes.TrimPrefix(content, []byte("\xef\xbb\xbf"))
	switch {
	case len(content) > mostBytes:
		return nil, []Fault{{Message: fmt.Sprintf("is larger than %d MiB", mostBytes>>20)}}
	case len(bytes.TrimSpace(content)) == 0:
		return nil, []Fault{{Message: "is empty"}}
	case !utf8.Valid(content):
		line := 1
		for rest := content; len(rest) > 0; {
			r, size := utf8.DecodeRune(rest)
			if r == utf8.RuneError && size == 1 {
				break
			}
			if r == '\n' {
				line++
			}
			rest = rest[size:]
		}
		return nil, []Fault{{Line: line, Message: "is not UTF-8: save the file in that encoding"}}
	}
	content = inLines(content)
	if f := tooDeep(content); f != nil {
		return nil, []Fault{*f}
	}
	var root, second yaml.Node
	text := yaml.NewDecoder(bytes.NewReader(content))
	if err := text.Decode(&root); err != nil {
		return nil, []Fault{syntax(err)}
	}
	if err := text.Decode(&second); err == nil {
		return nil, []Fault{{Line: second.Line, Message: "begins another document; a roster file is one"}}
	} else if !errors.Is(err, io.EOF) {
		return nil, []Fault{syntax(err)}
	}
	d := &Document{at: map[string][2]int{}}
	w := walk{d: d}
	v := w.node(root.Content[0], "", 0)
	if len(w.faults) > 0 {
		return nil, w.faults
	}
	return d.fill(v)
}

// Bounds of a text that is handed to the parser, which calls itself for each
// level of nesting: a line that is no bomb, and brackets that are closed again.
const (
	longestLine  = 20_000
	mostBrackets = 1000
)

// inLines is JSON that lies in one line in many, so that faults have lines; anything else is as
// it was. A nesting that is too deep is looked for in either.
func inLines(content []byte) []byte {
	long := false
	for line := range bytes.Lines(content) {
		long = long || len(line) > longestLine
	}
	if text := bytes.TrimSpace(content); !long || text[0] != '{' || !json.Valid(text) {
		return content
	}
	var out bytes.Buffer
	if json.Indent(&out, content, "", "") != nil { // without spaces, which deep nesting would make many
		return content
	}
	return out.Bytes()
}

// tooDeep looks for what would keep the parser nesting without end.
func tooDeep(content []byte) *Fault {
	open, line := 0, 0
	for text := range bytes.Lines(content) {
		line++
		if len(text) > longestLine {
			return &Fault{Line: line, Message: fmt.Sprintf("has more than %d bytes in one line", longestLine)}
		}
		open += bytes.Count(text, []byte("[")) + bytes.Count(text, []byte("{")) - bytes.Count(text, []byte("]")) - bytes.Count(text, []byte("}"))
		if open > mostBrackets {
			return &Fault{Line: line, Message: "nests too deep"}
		}
	}
	return nil
}

// fill checks the values against the form and takes them over.
func (d *Document) fill(v any) (*Document, []Fault) {
	var faults []Fault
	top, ok := v.(map[string]any)
	if !ok {
		return nil, []Fault{{Line: 1, Message: "is not a roster file: it must begin with roster_file: 1"}}
	}
	if n, ok := top["roster_file"].(float64); ok && n > Version {
		line, column := d.Find("roster_file")
		return nil, []Fault{{line, column, "roster_file", fmt.Sprintf("is version %v, and this service knows %d at most: load it into a newer one", n, Version)}}
	}
	validate(v, func(place, message string) {
		line, column := d.Find(place)
		faults = append(faults, Fault{line, column, place, message})
	})
	if n, ok := top["roster_file"].(float64); ok && n != Version {
		line, column := d.Find("roster_file")
		faults = append(faults, Fault{line, column, "roster_file", "must be 1"})
	}
	if len(faults) > 0 {
		slices.SortStableFunc(faults, func(a, b Fault) int { return a.Line - b.Line })
		return nil, faults
	}
	raw, err := json.Marshal(v)
	if err == nil {
		err = json.Unmarshal(raw, &d.File)
	}
	if err != nil {
		return nil, []Fault{{Message: err.Error()}}
	}
	return d, nil
}

var errorLine = regexp.MustCompile(`^yaml: line (\d+): `)

// syntax is what the parser says of a text that is no YAML.
func syntax(err error) Fault {
	text, line := err.Error(), 0
	if m := errorLine.FindStringSubmatch(text); m != nil {
		line, _ = strconv.Atoi(m[1])
		text = text[len(m[0]):]
	}
	return Fault{Line: line, Message: "is not YAML: " + strings.TrimPrefix(text, "yaml: ")}
}

// walk turns nodes into values as JSON knows them, remembers where each stands,
// and refuses what a roster file has no use for: anchors and aliases, by which a
// short text can stand for an endless one, merges, tags, and a key given twice.
type walk struct {
	d      *Document
	faults []Fault
}

func (w *walk) fault(n *yaml.Node, place, format string, args ...any) any {
	w.faults = append(w.faults, Fault{n.Line, n.Column, place, fmt.Sprintf(format, args...)})
	return nil
}

func (w *walk) node(n *yaml.Node, path string, depth int) any {
	if _, there := w.d.at[path]; !there {
		w.d.at[path] = [2]int{n.Line, n.Column}
	}
	switch {
	case depth > deepest:
		return w.fault(n, path, "nests too deep")
	case n.Anchor != "" || n.Kind == yaml.AliasNode:
		return w.fault(n, path, "uses an anchor or an alias: write it out")
	case n.Style&yaml.TaggedStyle != 0:
		return w.fault(n, path, "uses a tag: leave it out")
	}
	switch n.Kind {
	case yaml.MappingNode:
		return w.mapping(n, path, depth)
	case yaml.SequenceNode:
		out := make([]any, 0, len(n.Content))
		for i, x := range n.Content {
			out = append(out, w.node(x, fmt.Sprintf("%s[%d]", path, i), depth+1))
		}
		return out
	}
	switch n.Tag {
	case "!!bool":
		var v bool
		_ = n.Decode(&v) // the tag says it is one
		return v
	case "!!int", "!!float":
		var v float64
		if n.Decode(&v) != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return n.Value
		}
		return v
	case "!!null":
		return w.fault(n, path, "is blank, which does not mean anything here: leave the field out")
	}
	return n.Value // texts, and times as they are written
}

func (w *walk) mapping(n *yaml.Node, path string, depth int) any {
	out := map[string]any{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		k, v := n.Content[i], n.Content[i+1]
		switch {
		case k.Tag == "!!merge":
			w.fault(k, path, "uses a merge: write it out")
			continue
		case k.Kind != yaml.ScalarNode || k.Anchor != "" || k.Style&yaml.TaggedStyle != 0:
			w.fault(k, path, "has a key that is no plain word")
			continue
		}
		at := k.Value
		if path != "" {
			at = path + "." + k.Value
		}
		if _, twice := out[k.Value]; twice {
			w.fault(k, at, "“%s” is there twice", k.Value)
			continue
		}
		w.d.at[at] = [2]int{k.Line, k.Column}
		out[k.Value] = w.node(v, at, depth+1)
	}
	return out
}
