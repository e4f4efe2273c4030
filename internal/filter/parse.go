package filter

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

const (
	mostBytes = 8192
	mostDeep  = 64
)

// Error says where a filter stops making sense, and what was expected there.
type Error struct {
	Column  int // counted in characters from 1
	Message string
}

func (e *Error) Error() string { return fmt.Sprintf("column %d: %s", e.Column, e.Message) }

// Parse reads a filter. Its grammar is that of RFC 7644, section 3.4.2.2,
// figure 1: words and attribute names are read without case; "not" binds
// closest, then "and", then "or".
func Parse(text string) (Expression, error) {
	if len(text) > mostBytes {
		return nil, &Error{1, fmt.Sprintf("is longer than %d bytes", mostBytes)}
	}
	if !utf8.ValidString(text) {
		return nil, &Error{1, "is not valid UTF-8"}
	}
	p := &parser{text: text}
	p.space()
	if p.end() {
		return nil, p.fail("is blank: an attribute, \"not\" or \"(\" was expected")
	}
	e, err := p.or(0)
	if err != nil {
		return nil, err
	}
	p.space()
	if !p.end() {
		return nil, p.fail("\"and\", \"or\" or the end was expected")
	}
	return e, nil
}

type parser struct {
	text string
	at   int // byte
}

func (p *parser) end() bool { return p.at >= len(p.text) }

func (p *parser) fail(message string) *Error { return p.failAt(p.at, message) }

func (p *parser) failAt(at int, message string) *Error {
	return &Error{utf8.RuneCountInString(p.text[:at]) + 1, message}
}

func (p *parser) space() {
	for !p.end() && p.text[p.at] == ' ' {
		p.at++
	}
}

// word is the letters from here on, without moving.
func (p *parser) word() string {
	i := p.at
	for i < len(p.text) && isLetter(p.text[i]) {
		i++
	}
	return p.text[p.at:i]
}

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

// take moves past a word when it is the next, and something else follows it.
func (p *parser) take(word string) bool {
	w := p.word()
	after := p.at + len(w)
	if !strings.EqualFold(w, word) || after < len(p.text) && p.text[after] != ' ' && p.text[after] != '(' {
		return false
	}
	p.at = after
	return true
}

func (p *parser) or(deep int) (Expression, error) {
	left, err := p.and(deep)
	for err == nil {
		p.space()
		if !p.take("or") {
			return left, nil
		}
		var right Expression
		p.space()
		right, err = p.and(deep)
		left = &Or{left, right}
	}
	return nil, err
}

func (p *parser) and(deep int) (Expression, error) {
	left, err := p.one(deep)
	for err == nil {
		p.space()
		if !p.take("and") {
			return left, nil
		}
		var right Expression
		p.space()
		right, err = p.one(deep)
		left = &And{left, right}
	}
	return nil, err
}

func (p *parser) one(deep int) (Expression, error) {
	if deep >= mostDeep {
		return nil, p.fail(fmt.Sprintf("is nested deeper than %d", mostDeep))
	}
	p.space()
	switch {
	case p.end():
		return nil, p.fail("ends where an attribute, \"not\" or \"(\" was expected")
	case p.text[p.at] == '(':
		return p.group('(', ')', deep)
	}
	start := p.at
	if p.take("not") {
		p.space()
		if !p.end() && p.text[p.at] == '(' {
			e, err := p.group('(', ')', deep)
			return &Not{e}, err
		}
		p.at = start // an attribute may be called so
	}
	return p.comparison(deep)
}

// group reads an expression between two signs.
func (p *parser) group(open, closing byte, deep int) (Expression, error) {
	from := p.at
	p.at++
	e, err := p.or(deep + 1)
	if err != nil {
		return nil, err
	}
	p.space()
	if p.end() || p.text[p.at] != closing {
		return nil, p.fail(fmt.Sprintf("%q was expected, to close the %q at column %d", closing, open, p.failAt(from, "").Column))
	}
	p.at++
	return e, nil
}

// attribute reads a name: letters, digits, "-", "_", "$"; a schema's URN before
// it and one sub-attribute after a dot.
func (p *parser) attribute() (string, error) {
	from := p.at
	for !p.end() {
		c := p.text[p.at]
		if !isLetter(c) && (c < '0' || c > '9') && !strings.ContainsRune("-_$.:", rune(c)) {
			break
		}
		p.at++
	}
	name := p.text[from:p.at]
	if i := strings.LastIndexByte(name, ':'); i >= 0 { // the URN ends at its last colon
		name = name[i+1:]
	}
	switch {
	case name == "":
		p.at = from
		return "", p.fail("an attribute was expected")
	case !isLetter(name[0]) && name[0] != '$':
		return "", p.failAt(from, fmt.Sprintf("“%s” is not an attribute: those begin with a letter", name))
	case strings.Count(name, ".") > 1 || strings.HasSuffix(name, "."):
		return "", p.failAt(from, fmt.Sprintf("“%s” is not an attribute with at most one sub-attribute", name))
	}
	return name, nil
}

func (p *parser) comparison(deep int) (Expression, error) {
	at := p.at
	name, err := p.attribute()
	if err != nil {
		return nil, err
	}
	if !p.end() && p.text[p.at] == '[' {
		e, err := p.group('[', ']', deep)
		return &Within{name, e, at}, err
	}
	if p.end() || p.text[p.at] != ' ' {
		return nil, p.fail("a space and an operator (" + words() + ", pr) were expected")
	}
	p.space()
	op := Operator(strings.ToLower(p.word()))
	switch {
	case op == "pr":
		p.at += 2
		return &Present{name, at}, nil
	case !slices.Contains(operators, op):
		return nil, p.fail("an operator (" + words() + ", pr) was expected")
	}
	p.at += 2
	if p.end() || p.text[p.at] != ' ' {
		return nil, p.fail("a space and a value were expected")
	}
	p.space()
	valueAt := p.at
	value, err := p.value()
	if err != nil {
		return nil, err
	}
	return &Compare{name, op, value, at, valueAt}, nil
}

func words() string {
	var out []string
	for _, o := range operators {
		out = append(out, string(o))
	}
	return strings.Join(out, ", ")
}

// value reads a JSON string, number, true, false or null (RFC 8259).
func (p *parser) value() (any, error) {
	expected := "a value was expected: text in double quotes, a number, true, false or null"
	from := p.at
	if p.end() {
		return nil, p.fail(expected)
	}
	if p.text[p.at] == '"' {
		for p.at++; !p.end() && p.text[p.at] != '"'; p.at++ {
			if p.text[p.at] == '\\' {
				p.at++
			}
		}
		if p.end() {
			return nil, p.failAt(from, "the text has no closing double quote")
		}
		p.at++
	} else {
		for !p.end() && !strings.ContainsRune(" )]", rune(p.text[p.at])) {
			p.at++
		}
	}
	raw := p.text[from:p.at]
	if raw == "" {
		return nil, p.fail(expected)
	}
	var v any
	if err := json.Unmarshal([]byte(raw), &v); err != nil || strings.ContainsAny(raw[:1], "[{") || strings.ContainsAny(raw, "\t\r\n") {
		if raw[0] == '"' {
			return nil, p.failAt(from, "the text has a character or an escape that JSON does not know")
		}
		return nil, p.failAt(from, expected)
	}
	return v, nil
}
