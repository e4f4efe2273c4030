package importfile

import (
	"strings"

	"ableroster/internal/strictjson"
)

// groupClasses are the classes of entries that name members (RFC 4519).
var groupClasses = []string{"groupofnames", "groupofuniquenames"}

// Directory turns the entries of a directory into rows of our columns: people by the
// mapping, with managers named by entry as user names, and the groups whose entries
// name them.
func Directory(m *Mapping, entries []Row) ([]Row, []Fault) {
	var bad faults
	var people, groups []Row
	for _, e := range entries {
		classes := ";" + strings.ToLower(e.Values["objectclass"]) + ";"
		isGroup := false
		for _, c := range groupClasses {
			isGroup = isGroup || strings.Contains(classes, ";"+c+";")
		}
		switch {
		case isGroup:
			groups = append(groups, e)
		case strings.Contains(classes, ";organizationalunit;"), strings.Contains(classes, ";organization;"), strings.Contains(classes, ";domain;"), strings.Contains(classes, ";dcobject;"):
		default:
			people = append(people, e)
		}
	}
	rows, wrong := m.Apply(nil, people)
	bad = append(bad, wrong...)
	byDN := map[string]int{}
	for i, p := range people {
		if i < len(rows) {
			byDN[folded(p.Values["dn"])] = i
		}
	}
	for i := range rows {
		if boss, ok := byDN[folded(rows[i].Values["manager"])]; ok {
			rows[i].Values["manager"] = rows[boss].Values[m.KeyColumn()]
		}
	}
	for _, g := range groups {
		key := strings.ToLower(strings.Join(strings.Fields(g.Values["cn"]), "-"))
		if key == "" {
			bad.add(g.Line, "cn", "is missing: the group has no name")
			continue
		}
		for dn := range strings.SplitSeq(g.Values["member"]+";"+g.Values["uniquemember"], ";") {
			if dn == "" {
				continue
			}
			i, ok := byDN[folded(dn)]
			if !ok {
				bad.add(g.Line, "member", "“%s” is no entry of this file", strictjson.Short(dn))
				continue
			}
			if all := rows[i].Values["groups"]; all != "" {
				key = all + ";" + key
			}
			rows[i].Values["groups"] = key
			key = key[strings.LastIndexByte(key, ';')+1:]
		}
	}
	return rows, bad
}

// folded compares names of entries without case and without spaces after commas.
func folded(dn string) string { return strings.ToLower(strings.ReplaceAll(dn, ", ", ",")) }
