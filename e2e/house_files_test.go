package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/internal/fact"
	"ableroster/internal/transfer"
	"ableroster/testkit"
)

// fileKind is a kind of file that comes in, as the reference tells of it.
type fileKind struct {
	title, command, file, about string
	columns                     string            // which of transfer's; blank for none
	means                       map[string]string // of columns whose names do not say it
	example                     string
}

var fileKinds = []fileKind{
	{"Users (CSV)", "users import", "people.csv", "A row a user. Whoever is not there yet is added, with what default rules give; of others what differs is changed. A blank cell leaves a thing alone. A unit or an employment type that is not there is a fault, unless `-new-units` makes it.", "users",
		map[string]string{"display_name": "what people call them", "email": "the address", "kind": "person or service; person by default", "status": "active, invited, suspended or departed; active by default",
			"roles":       "keys of roles with semicolons between them, given directly; - for none",
			"groups":      "keys of groups with semicolons between them; - for none",
			"permissions": "what a source gives straight to a person, with semicolons between them: application:pattern:action+action"},
		"user_name,display_name,email,unit,title,manager,employment_type,start_date,groups\n" +
			"otto.lindqvist,Otto Lindqvist,otto.lindqvist@larkhaven.example,marine/tugs,Deckhand,tomas.brandt,staff,2027-01-04,tug-crews\n"},
	{"Users (LDIF)", "users import", "people.ldif", "As directories write it (RFC 2849): an entry a user. `uid`, `displayName` (or `cn`), `mail`, `title`, `manager`, `employeeType`, `l` and `ou` are read, unless a saved mapping says otherwise. Groups of the directory that are here (by `cn`, in small letters, with hyphens for spaces) have their members; other groups, groups in groups and machines are left out and told, and pictures and certificates passed over; `changetype` records are refused.", "", nil,
		"dn: uid=otto.lindqvist,ou=people,dc=larkhaven,dc=example\nobjectClass: inetOrgPerson\nuid: otto.lindqvist\ncn: Otto Lindqvist\nmail: otto.lindqvist@larkhaven.example\ntitle: Deckhand\nou: marine/tugs\n"},
	{"Groups", "groups import", "groups.csv", "A row a group: made, or what differs is changed. A blank cell leaves a thing alone.", "groups",
		map[string]string{"group": "its key", "label": "what people call it", "description": "what it is for", "unit": "where it belongs", "owner": "user name of its owner", "filter": "over users' facts: who is in it by that; blank for whoever is listed", "held_within": "the unit within which alone somebody may be in it"},
		"group,label,description,unit,owner,filter\nlaunch-night,Launch at night,Who may take the launch out after dark,marine,tomas.brandt,\n"},
	{"Memberships", "memberships import", "memberships.csv", "A row a member: a user or a group.", "memberships",
		map[string]string{"group": "key of the group", "user": "user name of the member", "member_group": "or the key of a group that is a member", "from": "a day or an instant; blank for now", "until": "the last day, or an instant; blank for no end"},
		"group,user,member_group,from,until\npilots,hedvika.venables,,2027-01-04,2027-03-31\n"},
	{"Assignments", "assignments import", "assignments.csv", "A row a role that is granted to a user or a group.", "assignments",
		map[string]string{"role": "key of the role", "user": "user name", "group": "or the key of a group", "from": "a day or an instant; blank for now", "until": "the last day, or an instant; blank for no end", "scopes": "application:pattern, with semicolons between them; blank for all", "schedule": "days, hours and a time zone, such as mon,tue 06:00-14:00 Europe/Lisbon (weekdays, weekends and every-day are days too); blank for always"},
		"role,user,group,from,until,scopes,schedule\nberth-planning/scheduler,hedvika.venables,,,2027-01-31,berth-planning:berths/north-*,weekdays 06:00-14:00 Europe/Lisbon\n"},
}

// filesReference is the page of the files that come in and go out.
func filesReference() string {
	var b strings.Builder
	b.WriteString("# Files\n\nWhat comes in as a file, and what goes out as one. Made from the programs by `make reference`; a test brings each\n" +
		"example in. The [roster file](roster-file.md) has a page of its own.\n\n" +
		"CSV is that of RFC 4180, in any order of columns. Commas, semicolons, tabs or bars stand between them (`-separator`, or a\n" +
		"first line `sep=;`), in UTF-8 or what `-encoding` names. Letters come in composed (Unicode, form NFC), and how many were not\n" +
		"is said. A file is brought in whole or not at all: every fault is told with its line and column, and `-dry-run` shows the\n" +
		"effect first.\n")
	known := map[string]*fact.UserAttribute{}
	for i := range fact.UserAttributes {
		known[fact.UserAttributes[i].Key] = &fact.UserAttributes[i]
	}
	for _, k := range fileKinds {
		fmt.Fprintf(&b, "\n## %s\n\n    roster %s %s -reason TEXT\n\n%s\n", k.title, k.command, k.file, k.about)
		if k.columns != "" {
			b.WriteString("\n| column | what it holds |\n|---|---|\n")
			for _, c := range transfer.Columns(k.columns) {
				means := k.means[c]
				if a := known[c]; means == "" && a != nil {
					means = a.Doc
					if a.OneOf != nil {
						means = "one of " + strings.Join(a.OneOf, ", ")
					}
				}
				fmt.Fprintf(&b, "| `%s` | %s |\n", c, means)
			}
			if k.columns == "users" {
				b.WriteString("| of declared attributes | their values; several with semicolons between them |\n")
			}
		}
		fmt.Fprintf(&b, "\n```\n%s```\n", k.example)
	}
	b.WriteString("\n## Lists\n\nEvery list goes out as CSV or as a workbook (XLSX), asked with the same query: *Export* in the console, `-output csv` of a\n" +
		"command, or `/files/{list}` of the API with `format`, `columns`, `encoding` and `separator`. In a workbook numbers are numbers\n" +
		"and days are days. A text that a spreadsheet would run begins with `'`; `-raw` leaves it as it is. Two exports of one day are\n" +
		"the same bytes.\n\n```\nroster users list -unit marine/tugs -output csv\nuser_name,name,status,unit,title,end_date\n```\n")
	return b.String()
}

// Each example of the reference comes in, and each column is said to be something.
func TestTheFilesOfTheReferenceComeIn(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	c := s.CommandLine(t)
	c.Must(t, demo.Password+"\n", "sign-in", "-user", demo.Administrator)
	for _, k := range fileKinds {
		for _, x := range transfer.Columns(k.columns) {
			if !strings.Contains(filesReference(), "| `"+x+"` | ") || strings.Contains(filesReference(), "| `"+x+"` |  |") {
				t.Errorf("%s: the column %s is said to be nothing", k.title, x)
			}
		}
		file := filepath.Join(t.TempDir(), k.file)
		if err := os.WriteFile(file, []byte(k.example), 0o600); err != nil {
			t.Fatal(err)
		}
		out, bad, code := c.Run(t, "", append(strings.Fields(k.command), file, "-dry-run")...)
		if code != 0 || !strings.Contains(out, "gain") && !strings.Contains(out, "dded") {
			t.Errorf("%s: exit %d\n%s%s", k.title, code, out, bad)
		}
	}
}
