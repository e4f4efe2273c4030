package lists_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/lists"
	"ableroster/internal/seeing"
	"ableroster/testkit"
	"ableroster/testkit/caller"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

// A list of an old day drawn from the register alone is the one drawn from the
// whole snapshot of that day, to everybody who may look.
func TestAListOfAnOldDayIsTheSameFromTheRegisterAlone(t *testing.T) {
	testkit.Long(t)
	database := testkit.DemoDatabase(t)
	rng := rand.New(rand.NewPCG(81, 82))
	pick := func(all ...string) string { return all[rng.IntN(len(all))] }
	leaf := func() string {
		switch rng.IntN(9) {
		case 0:
			return pick("status", "kind", "employment_type") + ` eq "` + pick("active", "departed", "person", "contractor", "staff") + `"`
		case 1:
			return `within eq "` + pick("marine", "engineering", "engineering/dredging", "terminal") + `"`
		case 2:
			return pick("user_name", "display_name", "email", "title", "location") + pick(" co ", " sw ", " ew ", " gt ") + `"` + pick("a", "Ma", "pilot", ".example", "Quay") + `"`
		case 3:
			return pick("start_date", "end_date") + pick(" gt ", " le ", " ne ") + `"` + pick("2020-01-01", "2026-03-01", "2027-02-01") + `"`
		case 4:
			return pick("end_date", "manager", "unit", "location", "email") + pick(" pr", " eq null")
		case 5:
			return `id eq "user-` + fmt.Sprint(rng.IntN(300)) + `"`
		case 6:
			return pick("effective eq true", `roles[key sw "gate"]`, `groups.key eq "pilots"`, `manager eq "tomas.brandt"`)
		}
		return `unit eq "` + pick("finance", "marine/pilotage", "") + `"`
	}
	for _, user := range []string{demo.Administrator, demo.Manager, demo.Auditor} {
		d, l, c := caller.Of(t, database, user)
		whole, _, _ := caller.Of(t, database, user)
		listed := 0
		for i := range 60 {
			at := time.Now().AddDate(0, 0, -1-rng.IntN(500))
			q := lists.UserSearch{Status: pick("", "", "active", "departed"), Unit: pick("", "", "marine"), Text: pick("", "", "an"), Sort: pick("", "-unit", "user_name"), Limit: 500}
			switch rng.IntN(4) {
			case 0:
				q.Filter = leaf()
			case 1:
				q.Filter = leaf() + pick(" and ", " or ") + leaf()
			case 2:
				q.Filter = "not (" + leaf() + " and " + leaf() + ")"
			}
			got, err := lists.UsersAsOf(ctx, d, c, at, q)
			if err != nil {
				t.Fatalf("%+v: %v", q, err)
			}
			v, err := whole.AsOf(ctx, c, at)
			if err != nil {
				t.Fatal(err)
			}
			want, err := lists.Users(v, q)
			if err != nil {
				t.Fatal(err)
			}
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("%s on %s, %+v: %d users, from the whole %d", user, at.Format(time.DateOnly), q, got.Total, want.Total)
			}
			listed += got.Total
			if i == 0 { // and it was not the whole that answered
				if _, ok, err := l.Register(ctx, calendar.At(at), nil, filter.Schema{}); !ok || err != nil {
					t.Errorf("the whole organisation was loaded for a list of users (%v)", err)
				}
			}
		}
		if listed < 500 {
			t.Errorf("%s: %d users in 60 lists: too few to tell", user, listed)
		}
	}
}

// Whoever may read nobody has no day of the past loaded but their own slice of it: not by
// asking for lists, and not for many days.
func TestWhoeverReadsNobodyLoadsNoPastOfOthers(t *testing.T) {
	d, l, c := caller.Of(t, testkit.DemoDatabase(t), demo.Administrator)

	nobody := seeing.Caller{}
	for u := range l.Head().Users() {
		if v := d.Now(ctx, seeing.Caller{User: u.ID}); !v.Reads() && u.Status == fact.Active && u.UserKind == fact.Person {
			nobody = seeing.Caller{User: u.ID}
		}
	}
	if nobody.User == 0 {
		t.Fatal("everybody reads somebody")
	}
	count := func(c seeing.Caller, days int) (n int) {
		v, err := d.AsOf(ctx, c, time.Now().AddDate(0, 0, -days))
		if err != nil {
			t.Fatal(err)
		}
		for range v.Uncut().Users() {
			n++
		}
		return n
	}
	if all := count(c, 1); all < 200 {
		t.Errorf("whoever reads everybody has %d users", all)
	}
	for days := range 20 {
		if n := count(nobody, days*7+60); n > 1 {
			t.Errorf("%d days ago %d users were loaded for somebody who reads nobody", days*7+60, n)
		}
	}
}
