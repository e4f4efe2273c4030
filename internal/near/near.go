// Package near finds what somebody may have meant who wrote a name that is not there.
package near

import (
	"slices"

	"github.com/agnivade/levenshtein"
)

// Names are gathered one by one: see Add.
type Names struct {
	given string
	all   []candidate
}

type candidate struct {
	name string
	far  int
}

// To is a search for names near one that was given.
func To(given string) *Names { return &Names{given: given} }

// Add looks at a name that is there.
func (n *Names) Add(name string) {
	least := min(len(n.given), len(name)) // what has nothing in common is not meant
	if d := levenshtein.ComputeDistance(n.given, name); d < least && d <= max(2, len([]rune(n.given))/4) {
		n.all = append(n.all, candidate{name, d})
	}
}

// Meant adds a name that is surely meant.
func (n *Names) Meant(name string) { n.all = append(n.all, candidate{name, 0}) }

// Nearest are at most three of those that were looked at, the nearest first. Names much
// farther off than the nearest are not what was meant.
func (n *Names) Nearest() []string {
	slices.SortStableFunc(n.all, func(a, b candidate) int { return a.far - b.far })
	var out []string
	for _, c := range n.all {
		if len(out) < 3 && c.far <= n.all[0].far+1 && !slices.Contains(out, c.name) {
			out = append(out, c.name)
		}
	}
	return out
}

// Of are the nearest of some names.
func Of(given string, names []string) []string {
	n := To(given)
	for _, name := range names {
		n.Add(name)
	}
	return n.Nearest()
}

// Words says which of some names may have been meant: ": did you mean reader?", or
// nothing.
func Words(given string, names []string) string {
	if all := Of(given, names); len(all) > 0 {
		return ": did you mean " + all[0] + "?"
	}
	return ""
}
