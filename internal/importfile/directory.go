package importfile

import (
	"slices"
	"strings"

	"ableroster/internal/strictjson"
)

// machineClasses are the classes of entries of machines and programs (RFC 4519, and what
// directories have of their own); an entry of a person is none, whatever else it is.
var machineClasses = []string{"device", "applicationprocess", "applicationentity", "computer", "iphost", "ieee802device"}

var personClasses = []string{"person", "organizationalperson", "inetorgperson", "user", "residentialperson"}

// groupClasses are the classes of entries that name members (RFC 4519).
var groupClasses = []string{"groupofnames", "groupofuniquenames"}

// LeftOut is what of a directory does not come in.
type LeftOut struct {
	Machines int      // entries of machines and programs
	Groups   []string // groups that name people and are not known, by the names they would have
	Members  int      // machines and groups that known groups name
}

// Directory turns the entries of a directory into rows of our columns: people by the
// mapping, with managers named by entry as user names, and the groups whose entries
// name them, of those that are known. A group is known by its cn in small letters, with
// hyphens for spaces.
func Directory(m *Mapping, entries []Row, known func(group string) bool) (rows []Row, left LeftOut, out []Fault) {
	var bad faults
	var people, groups []Row
	others := map[string]bool{} // entries that are there and no people
	for _, e := range entries {
		classes := ";" + strings.ToLower(e.Values["objectclass"]) + ";"
		has := func(some []string) bool {
			return slices.ContainsFunc(some, func(c string) bool { return strings.Contains(classes, ";"+c+";") })
		}
		others[folded(e.Values["dn"])] = true
		switch {
		case has(groupClasses):
			groups = append(groups, e)
		case has(machineClasses) && (!has(personClasses) || has([]string{"computer"})): // which a directory has as a kind of user
			left.Machines++
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
		if !known(key) {
			left.Groups = append(left.Groups, key)
			continue
		}
		for _, dn := range append(valuesOf(&g, "member"), valuesOf(&g, "uniquemember")...) {
			i, ok := byDN[folded(dn)]
			switch {
			case ok && rows[i].Values["groups"] != "":
				rows[i].Values["groups"] += ";" + key
			case ok:
				rows[i].Values["groups"] = key
			case others[folded(dn)]:
				left.Members++
			default:
				bad.add(g.Line, "member", "“%s” is no entry of this file", strictjson.Short(dn))
			}
		}
	}
	return rows, left, bad
}

// valuesOf are the values of an attribute of an entry.
func valuesOf(e *Row, name string) []string {
	if all := e.Several[name]; all != nil {
		return slices.Clone(all)
	}
	if v := e.Values[name]; v != "" {
		return []string{v}
	}
	return nil
}

// folded compares names of entries without case and without spaces after commas.
func folded(dn string) string { return strings.ToLower(strings.ReplaceAll(dn, ", ", ",")) }
