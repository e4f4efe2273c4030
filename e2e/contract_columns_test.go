package e2e

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"maps"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// rows are a row that each import takes, with every column it has.
var imported = map[string]map[string]string{
	"users": {"user_name": "zoe.marrick", "display_name": "Zoë Marrick", "email": "zoe@larkhaven.example", "kind": "person", "unit": "marine/tugs", "title": "Deckhand", "manager": "tomas.brandt", "employment_type": "staff",
		"location": "Quay 3", "start_date": "2026-11-01", "end_date": "2027-11-01", "status": "active", "roles": "tide-board/editor", "groups": "pilots", "permissions": "berth-planning:board:read", "boat_licence": "tug", "locker": "A12"},
	"groups":      {"group": "sandbank-watch", "label": "Sandbank watch", "description": "x", "unit": "marine", "filter": `title eq "x"`, "owner": "tomas.brandt"},
	"memberships": {"group": "pilots", "user": "b.osei", "member_group": "", "from": "2027-01-01", "until": "2027-02-01"},
	"assignments": {"role": "berth-planning/reader", "user": "b.osei", "group": "", "from": "2027-01-01", "until": "2027-02-01", "scopes": "berth-planning:board", "schedule": ""},
}

// mayMean are odd texts that a column may mean all the same: a new name, words, or
// what is left blank.
var mayMean = map[string]string{
	"nobody-and-nothing": "user_name display_name title employment_type location label description unit group key",
	"31/02/2026":         "display_name title employment_type location label description unit",
	"user-1":             "user manager owner display_name title employment_type location label description unit",
	"=1+1":               "display_name title employment_type location label description unit user_name",
}

// other is where it is told that two columns exclude each other.
var other = map[string]string{"memberships member_group": "user", "assignments group": "user"}

// Every column of every import refuses what it cannot mean, at its line and by its
// name, and nothing is made of the rest of the file.
func TestNoColumnTakesWhatItCannotMean(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	bring := func(what string, header []string, rows ...map[string]string) *wire.Problem {
		t.Helper()
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		_ = w.Write(header)
		for _, r := range rows {
			line := make([]string, len(header))
			for i, h := range header {
				line[i] = r[h]
			}
			_ = w.Write(line)
		}
		w.Flush()
		err := marta.Do(ctx, "POST", "/imports/"+what, client.Query{"dry_run": "true", "reason": "Tried", "file": "odd.csv"}, b.Bytes(), nil)
		var p *wire.Problem
		if err != nil && !errors.As(err, &p) {
			t.Fatal(err)
		}
		return p
	}
	refused := 0
	for what, good := range imported {
		header := slices.Sorted(maps.Keys(good))
		if p := bring(what, header, good); p != nil {
			t.Errorf("%s: %v is refused as it is: %v", what, good, p.Faults)
			continue
		}
		for _, column := range header {
			for _, bad := range []string{strings.Repeat("x", 9000), "a\x00b", "a\u0007b", "a\u202eb", "a\xffb", "nobody-and-nothing", "31/02/2026", "user-1", "=1+1", ";;", " "} {
				row := maps.Clone(good)
				row[column] = bad
				p := bring(what, header, row)
				if p == nil {
					if meant, odd := mayMean[bad]; odd && !slices.Contains(strings.Fields(meant), column) || len(bad) > 3 && !odd {
						t.Errorf("%s with %s %.30q is taken", what, column, bad)
					}
					continue
				}
				refused++
				if p.Status != 422 || len(p.Faults) == 0 {
					t.Errorf("%s with %s %.30q: %d %s", what, column, bad, p.Status, p.Detail)
					continue
				}
				if strings.Contains(bad, "\x00") || !utf8.ValidString(bad) { // of the whole file
					continue
				}
				for _, f := range p.Faults {
					if !strings.HasPrefix(f.Place, "odd.csv line 2") || len(f.Message) > 600 {
						t.Errorf("%s with %s %.30q: at %s: %.400s", what, column, bad, f.Place, f.Message)
					}
				}
				if !slices.ContainsFunc(p.Faults, func(f wire.Fault) bool {
					return strings.HasSuffix(f.Place, "column "+cmp.Or(other[what+" "+column], column))
				}) && bad != " " && bad != ";;" {
					t.Errorf("%s with %s %.30q is refused at another column: %v", what, column, bad, p.Faults)
				}
			}
		}
		// A column that there is not, one that is there twice, no header, no rows.
		for name, h := range map[string][]string{"of no meaning": append(slices.Clone(header), "colour"), "twice": append(slices.Clone(header), header[0]), "missing": header[:1]} {
			if name == "missing" && (what == "users" || what == "groups") {
				continue
			}
			if p := bring(what, h, good); p == nil || p.Status != 422 || !strings.Contains(p.Faults[0].Place, "line") {
				t.Errorf("%s with a column %s: %+v", what, name, p)
			}
		}
		if p := bring(what, header, good, good); p == nil && what != "memberships" && what != "assignments" {
			t.Errorf("%s: the same twice is taken", what)
		}
	}
	if after, err := marta.Me(ctx); err != nil || after.Revision != head.Revision {
		t.Errorf("from revision %d to %d (%v)", head.Revision, after.Revision, err)
	}
	if refused < 250 {
		t.Errorf("%d refused", refused)
	}
}
