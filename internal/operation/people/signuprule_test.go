package people_test

import (
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
)

// wrongs are the faults of a change at noon of a day.
func wrongs(t *testing.T, s *access.Snapshot, on string, ops ...change.Operation) string {
	t.Helper()
	d := change.NewDraft(s)
	at := day(t, on).Begins(s.Zone()) + calendar.Days(1)/2
	for i, op := range ops {
		d.Apply(i, op, at)
	}
	d.Finish()
	var out []string
	for _, f := range d.Faults {
		out = append(out, f.Error())
	}
	return strings.Join(out, "; ")
}

func TestWhatASignUpRuleNeeds(t *testing.T) {
	s := vendors(t)
	asks := made(t, s, "2026-03-01", &people.DeclareAttribute{Key: "badge", Required: true})
	for name, x := range map[string]struct {
		s    *access.Snapshot
		op   rules.SetSignUpRule
		says string
	}{
		"no domain":                     {s, rules.SetSignUpRule{}, "is not a mail domain"},
		"an address":                    {s, rules.SetSignUpRule{Domain: "a@pilots.example"}, "is not a mail domain"},
		"no dot":                        {s, rules.SetSignUpRule{Domain: "pilots"}, "is not a mail domain"},
		"a blank in it":                 {s, rules.SetSignUpRule{Domain: "pil ots.example"}, "is not a mail domain"},
		"no company":                    {s, rules.SetSignUpRule{Domain: "pilots.example", Employment: "vendor", Sponsor: "ines.halloran", Days: 9}, "company is missing"},
		"no sponsor":                    {s, rules.SetSignUpRule{Domain: "pilots.example", Employment: "vendor", Company: "Pilots", Days: 9}, "sponsor is missing"},
		"no last day":                   {s, rules.SetSignUpRule{Domain: "pilots.example", Employment: "vendor", Company: "Pilots", Sponsor: "ines.halloran"}, "days is missing"},
		"a last day too far ahead":      {s, rules.SetSignUpRule{Domain: "pilots.example", Employment: "vendor", Company: "Pilots", Sponsor: "ines.halloran", Days: 91}, "days lies beyond"},
		"no such type":                  {s, rules.SetSignUpRule{Domain: "pilots.example", Employment: "vendr"}, "employment_type"},
		"what everybody is asked to be": {asks, rules.SetSignUpRule{Domain: "pilots.example"}, "badge is required of every person"},
	} {
		if got := wrongs(t, x.s, "2026-03-01", &x.op); !strings.Contains(got, x.says) {
			t.Errorf("%s: %s", name, got)
		}
	}
}

// Domains are one however they are written; an address is of its domain alone.
func TestMailDomainsAreCompared(t *testing.T) {
	s := made(t, vendors(t), "2026-03-01", &rules.SetSignUpRule{Domain: "Bücher.Example", Unit: "marine"})
	s = made(t, s, "2026-03-02", &rules.SetSignUpRule{Domain: "xn--bcher-kva.example", Unit: "finance"})
	if n := len(record.SignUpRules(s)); n != 1 {
		t.Fatalf("%d rules", n)
	}
	for address, is := range map[string]bool{"a@bücher.example": true, "A@BÜCHER.EXAMPLE": true, "a@xn--bcher-kva.example": true, "a@b.bücher.example": false, "a@example": false,
		"bücher.example": false, "@bücher.example": false, "a@bücher.example@other.example": false, "a@bücher.example.": false} {
		if got := record.SignUpRuleFor(s, address) != nil; got != is {
			t.Errorf("%s: %v", address, got)
		}
	}
	if f := record.SignUpRuleFor(s, "a@bücher.example"); f.Unit != "finance" {
		t.Errorf("%+v", f)
	}
}

// Who sponsors whoever signs up hands that over when they depart, the unit moves with its rule, and the
// employment type is not ended under it.
func TestASignUpRuleIsKeptUp(t *testing.T) {
	s := laws.Port(t, &people.SetEmploymentType{Key: "contractor", External: true}, &people.SetEmploymentType{Key: "guest", Label: "Guest"}, &people.AddUnit{Path: "quays", Label: "Quays"})
	s = made(t, s, "2026-03-01", &people.AddUser{Personal: fact.Personal{UserName: "quay.lead"}, Manager: "ines.halloran", UserFacts: fact.UserFacts{Unit: "quays"}},
		&rules.SetSignUpRule{Domain: "pilots.example", Unit: "quays", Employment: "contractor", Company: "Pilots", Sponsor: "quay.lead", Days: 30})
	if got := wrongs(t, s, "2026-03-02", &people.EndEmploymentType{EmploymentType: "contractor"}); !strings.Contains(got, "the sign-up rule for pilots.example adds users of it") {
		t.Error(got)
	}
	departed := fact.Departed
	s = made(t, s, "2026-03-03", &people.MoveUnit{Unit: "quays", To: "piers"}, &people.UpdateUser{User: "quay.lead", Status: &departed})
	ines, _ := s.FindUser("ines.halloran")
	if f := record.SignUpRuleFor(s, "a@pilots.example"); f == nil || f.Unit != "piers" || f.Sponsor != ines {
		t.Errorf("%+v", f)
	}
	ended := &people.EndEmploymentType{EmploymentType: "guest"}
	s = made(t, s, "2026-03-04", ended, &rules.EndSignUpRule{Rule: "PILOTS.example"})
	if record.SignUpRuleFor(s, "a@pilots.example") != nil {
		t.Error("it stands")
	}
	if settled := (people.EndEmploymentType{EmploymentType: "employment-type-2"}); settled.Sentence(s, nil) != "Ended the employment type Guest" {
		t.Error(settled.Sentence(s, nil))
	}
}
