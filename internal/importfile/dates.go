package importfile

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// dateParts are what a date format is written with, the longer ones first.
var dateParts = []struct{ ours, layout string }{
	{"YYYY", "2006"}, {"YY", "06"}, {"MMM", "Jan"}, {"MM", "01"}, {"M", "1"}, {"DD", "02"}, {"D", "2"},
}

// layoutOf is a date format (DD.MM.YYYY) as the time package writes it, and what is
// wrong with it.
func layoutOf(format string) (layout, wrong string) {
	rest := format
	var seen []string
	for rest != "" {
		found := false
		for _, p := range dateParts {
			if strings.HasPrefix(rest, p.ours) {
				layout, rest, found = layout+p.layout, rest[len(p.ours):], true
				seen = append(seen, p.ours[:1])
				break
			}
		}
		if found {
			continue
		}
		if strings.ContainsAny(rest[:1], "0123456789JanFebMonTue_") {
			return "", "has “" + rest[:1] + "”"
		}
		layout, rest = layout+rest[:1], rest[1:]
	}
	for _, part := range []string{"Y", "M", "D"} {
		if n := len(slices.DeleteFunc(slices.Clone(seen), func(s string) bool { return s != part })); n != 1 {
			return "", "names the " + map[string]string{"Y": "year", "M": "month", "D": "day"}[part] + map[bool]string{true: " twice", false: " nowhere"}[n > 1]
		}
	}
	return layout, ""
}

// date reads a day in one of several formats, as YYYY-MM-DD. One that two of them
// read as different days is nobody's to guess.
func date(text string, formats []string) (string, error) {
	var found, by string
	for _, f := range formats {
		layout, wrong := layoutOf(f)
		if wrong != "" {
			continue // told when the mapping was saved
		}
		t, err := time.Parse(layout, text)
		if err != nil {
			continue
		}
		day := t.Format(time.DateOnly)
		if found != "" && day != found {
			return "", fmt.Errorf("“%s” is %s as %s and %s as %s: say which by one format alone", text, found, by, day, f)
		}
		found, by = day, f
	}
	if found == "" {
		return "", fmt.Errorf("“%s” is no day written as %s", text, strings.Join(formats, " or "))
	}
	return found, nil
}
