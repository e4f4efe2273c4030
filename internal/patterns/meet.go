package patterns

import (
	"slices"
	"strings"
)

// mostMeets bounds into how many patterns what two have in common may fall. Only
// patterns of many stars in many segments come to more; what is beyond is left
// out, so that no answer is wider than the facts.
const mostMeets = 64

// Meet are the patterns for what two patterns both cover; none where they have
// nothing in common.
func Meet(a, b string) []string {
	if Contains(a, b) {
		return []string{b}
	}
	if Contains(b, a) {
		return []string{a}
	}
	out := []string{""}
	for {
		x, arest, aok := nextSegment(a)
		y, brest, bok := nextSegment(b)
		var segs []string
		switch {
		case !aok && !bok:
			return out
		case !bok:
			segs = []string{x}
		case !aok:
			segs = []string{y}
		default:
			segs = meetSegments(x, y)
		}
		var longer []string
		for _, begin := range out {
			for _, seg := range segs {
				if len(longer) < mostMeets {
					longer = append(longer, strings.TrimPrefix(begin+"/"+seg, "/"))
				}
			}
		}
		if out = longer; len(out) == 0 {
			return nil
		}
		a, b = arest, brest
	}
}

// meetSegments are the patterns of one segment for what two both match.
func meetSegments(x, y string) []string {
	if Contains(x, y) {
		return []string{y}
	}
	if Contains(y, x) {
		return []string{x}
	}
	type place struct{ i, j int }
	known := map[place][]string{}
	var rest func(i, j int) []string // for what x from i and y from j both match
	rest = func(i, j int) []string {
		at := place{i, j}
		if out, ok := known[at]; ok {
			return out
		}
		var out []string
		add := func(begin string, ends []string) {
			for _, e := range ends {
				p := begin + e
				if strings.HasPrefix(p, "**") {
					p = p[1:]
				}
				if len(out) < mostMeets && !slices.Contains(out, p) {
					out = append(out, p)
				}
			}
		}
		switch xs, ys := i < len(x) && x[i] == '*', j < len(y) && y[j] == '*'; {
		case i == len(x) && j == len(y):
			out = []string{""}
		case xs && ys: // both go on, or one of them ends here
			add("*", rest(i+1, j))
			add("*", rest(i, j+1))
		case xs:
			add("", rest(i+1, j))
			if j < len(y) {
				add(y[j:j+1], rest(i, j+1))
			}
		case ys:
			add("", rest(i, j+1))
			if i < len(x) {
				add(x[i:i+1], rest(i+1, j))
			}
		case i < len(x) && j < len(y) && x[i] == y[j]:
			add(x[i:i+1], rest(i+1, j+1))
		}
		known[at] = out
		return out
	}
	all := rest(0, 0)
	return slices.DeleteFunc(slices.Clone(all), func(p string) bool { // what another one says too
		return p == "" || slices.ContainsFunc(all, func(q string) bool { return q != p && q != "" && Contains(q, p) })
	})
}

// Overlap says whether two patterns may both cover some path.
func Overlap(a, b string) bool {
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
