package importfile

import (
	"slices"
	"strings"
)

// Named holds the headings of a file to ours, which they must be, in whatever case;
// its rows are then by our names.
func Named(header []string, rows []Row, ours []string, must ...string) []Fault {
	var bad faults
	renamed := map[string]string{}
	var seen []string
	none := "" // in words what a heading is that is not ours
	for _, h := range header {
		name := strings.ToLower(h)
		switch {
		case !slices.Contains(ours, name):
			if none == "" {
				none = "none of " + strings.Join(ours, ", ")
			} else {
				none = "none of them either"
			}
			bad.add(1, "", "has the column “%s”, which is %s", h, none)
		case slices.Contains(seen, name):
			bad.add(1, "", "has the column “%s” twice", h)
		}
		seen = append(seen, name)
		if name != h {
			renamed[h] = name
		}
	}
	for _, m := range must {
		if header != nil && !slices.Contains(seen, m) {
			bad.add(1, "", "has no column %s", m)
		}
	}
	for _, row := range rows {
		for from, to := range renamed {
			row.Values[to] = row.Values[from]
		}
	}
	return bad
}
