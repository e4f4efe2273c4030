package access

import "strings"

// Scope limits an assignment to what a pattern covers in an application. An
// assignment with scopes gives nothing in applications it does not name.
type Scope struct {
	Application ApplicationID `json:"application"`
	Pattern     string        `json:"pattern"`
}

// inScope says whether scopes let a path of an application through; none let
// everything.
func inScope(scopes []Scope, app ApplicationID, path string) bool {
	if len(scopes) == 0 {
		return true
	}
	for _, s := range scopes {
		if s.Application == app && Covers(s.Pattern, path) {
			return true
		}
	}
	return false
}

// meet is a pattern for what two patterns both cover; ok is false where they
// have nothing in common. Where no one pattern says it exactly, it is one that
// both contain.
func meet(a, b string) (string, bool) {
	if Contains(a, b) {
		return b, true
	}
	if Contains(b, a) {
		return a, true
	}
	var out []string
	for {
		x, arest, aok := nextSegment(a)
		y, brest, bok := nextSegment(b)
		switch {
		case !aok && !bok:
			return strings.Join(out, "/"), true
		case !bok:
			out = append(out, x)
		case !aok:
			out = append(out, y)
		default:
			seg, ok := meetSegment(x, y)
			if !ok {
				return "", false
			}
			out = append(out, seg)
		}
		a, b = arest, brest
	}
}

func meetSegment(x, y string) (string, bool) {
	if Contains(x, y) {
		return y, true
	}
	if Contains(y, x) {
		return x, true
	}
	if !strings.Contains(x, "*") || !strings.Contains(y, "*") {
		return "", false
	}
	// The longer beginning, the longer end, and anything between.
	begin, end := x[:strings.IndexByte(x, '*')], x[strings.LastIndexByte(x, '*')+1:]
	if b := y[:strings.IndexByte(y, '*')]; len(b) > len(begin) {
		begin = b
	}
	if e := y[strings.LastIndexByte(y, '*')+1:]; len(e) > len(end) {
		end = e
	}
	seg := begin + "*" + end
	return seg, Contains(x, seg) && Contains(y, seg)
}

// overlap says whether two patterns may both cover some path.
func overlap(a, b string) bool {
	for {
		x, arest, aok := nextSegment(a)
		y, brest, bok := nextSegment(b)
		if !aok || !bok {
			return true
		}
		if !overlapSegment(x, y) {
			return false
		}
		a, b = arest, brest
	}
}

func overlapSegment(x, y string) bool {
	if !strings.Contains(x, "*") || !strings.Contains(y, "*") {
		return matchSegment(x, y) || matchSegment(y, x)
	}
	begins := func(s string) string { return s[:strings.IndexByte(s, '*')] }
	ends := func(s string) string { return s[strings.LastIndexByte(s, '*')+1:] }
	a, b := begins(x), begins(y)
	c, d := ends(x), ends(y)
	return (strings.HasPrefix(a, b) || strings.HasPrefix(b, a)) && (strings.HasSuffix(c, d) || strings.HasSuffix(d, c))
}

// narrowed are the patterns of a permission within scopes: itself without any.
func narrowed(app ApplicationID, pattern string, scopes []Scope) []string {
	if len(scopes) == 0 {
		return []string{pattern}
	}
	var out []string
	for _, s := range scopes {
		if s.Application != app {
			continue
		}
		if p, ok := meet(pattern, s.Pattern); ok {
			out = append(out, p)
		}
	}
	return out
}
