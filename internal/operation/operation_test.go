package operation_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
)

func TestOperationsThatAreRefused(t *testing.T) {
	s := laws.Port(t)
	text := func(s string) *string { return &s }
	window := calendar.Window{From: 20, Until: 10}
	for _, x := range []struct {
		name  string
		op    change.Operation
		field string
		says  string
	}{
		{"an unknown user", &roles.Grant{Role: "berths/reader", User: "nobody"}, "user", "there is no user “nobody”"},
		{"an unknown role", &roles.Grant{Role: "berths/raeder", User: "ines.halloran"}, "role", "there is no role “berths/raeder”"},
		{"an unknown group", &roles.AddMember{Group: "pilot", User: "ines.halloran"}, "group", "there is no group"},
		{"an unknown application", &roles.AddResource{Application: "berth", Path: "x"}, "application", "there is no application"},
		{"neither user nor group", &roles.Grant{Role: "berths/reader"}, "user", "either a user or a group"},
		{"both user and group", &roles.Grant{Role: "berths/reader", User: "ines.halloran", Group: "pilots"}, "user", "either a user or a group"},
		{"a window that ends before it begins", &roles.Grant{Role: "berths/reader", User: "ines.halloran", Window: window}, "until", "not after from"},
		{"the same for a membership", &roles.AddMember{Group: "pilots", User: "ines.halloran", Window: window}, "until", "not after from"},
		{"a user name taken, in other case", &people.AddUser{Personal: fact.Personal{UserName: "INES.Halloran"}}, "user_name", "is taken"},
		{"a user name like an id", &people.AddUser{Personal: fact.Personal{UserName: "user-7"}}, "user_name", "looks like an id"},
		{"a user name with a space", &people.AddUser{Personal: fact.Personal{UserName: "ines halloran"}}, "user_name", "without spaces"},
		{"a user without a name", &people.AddUser{}, "user_name", "is missing"},
		{"an address that is none", &people.AddUser{Personal: fact.Personal{UserName: "x", Email: "x@"}}, "email", "not an e-mail address"},
		{"a unit that is no path", &people.AddUser{Personal: fact.Personal{UserName: "x"}, UserFacts: fact.UserFacts{Unit: "marine//x"}}, "unit", "not a path"},
		{"an end before the start", &people.AddUser{Personal: fact.Personal{UserName: "x"}, UserFacts: fact.UserFacts{Start: 9, End: 8}}, "end_date", "before the start"},
		{"a new user departed", &people.AddUser{Personal: fact.Personal{UserName: "x"}, Status: fact.Departed}, "status", "for a new user"},
		{"a name with a line break", &people.AddUser{Personal: fact.Personal{UserName: "x", DisplayName: "a\nb"}}, "display_name", "control characters"},
		{"a circle of managers", &people.UpdateUser{User: "tomas.brandt", Manager: (*change.UserRef)(text("ines.halloran"))}, "manager", "circle of managers"},
		{"a group key taken", &roles.AddGroup{Key: "pilots"}, "key", "is taken"},
		{"a group key in capitals", &roles.AddGroup{Key: "Pilots"}, "key", "lower-case words"},
		{"a group key like an id", &roles.AddGroup{Key: "group-4"}, "key", "looks like an id"},
		{"a rule that does not parse", &roles.AddGroup{Key: "tugs", Filter: `unit is "marine"`}, "filter", "column 6: an operator"},
		{"a rule over what is personal", &roles.AddGroup{Key: "tugs", Filter: `email co "@larkhaven"`}, "filter", "names email, which is personal"},
		{"a rule over what is not there", &roles.UpdateGroup{Group: "pilots", Filter: text(`height gt 3`)}, "filter", "column 1: there is no attribute “height”"},
		{"a rule for a built-in group", &roles.UpdateGroup{Group: "public", Filter: text(`unit pr`)}, "group", "built in"},
		{"a circle of groups", &roles.AddMember{Group: "pilots", Member: "marine-staff"}, "member_group", "marine-staff → pilots → marine-staff"},
		{"a group in itself", &roles.AddMember{Group: "pilots", Member: "pilots"}, "member_group", "pilots → pilots"},
		{"a member of a built-in group", &roles.AddMember{Group: "all-users", User: "ines.halloran"}, "group", "built in"},
		{"a built-in group as a member", &roles.AddMember{Group: "pilots", Member: "public"}, "member_group", "nobody's member"},
		{"taking out who is not in", &roles.RemoveMember{Group: "pilots", User: "marta.quill"}, "", "not a listed member"},
		{"a circle of roles", &roles.IncludeRole{Role: "berths/reader", Includes: "berths/scheduler"}, "includes", "berths/reader → berths/scheduler → berths/reader"},
		{"an inclusion across applications", &roles.IncludeRole{Role: "berths/reader", Includes: "tariffs/releaser"}, "includes", "same application"},
		{"an exclusion of what is not included", &roles.ExcludeRole{Role: "berths/reader", Excludes: "berths/scheduler"}, "excludes", "does not include"},
		{"a permission in another application", &roles.AddPermission{Role: "berths/reader", Application: "tariffs", Actions: []string{"read"}, Pattern: "/"}, "application", "in it alone"},
		{"an organisation role's without one", &roles.AddPermission{Role: "access-administrator", Actions: []string{"read"}, Pattern: "/"}, "application", "is missing"},
		{"an undeclared action", &roles.AddPermission{Role: "berths/reader", Actions: []string{"release"}, Pattern: "/"}, "actions", "declares no action “release”"},
		{"no action", &roles.AddPermission{Role: "berths/reader", Pattern: "/"}, "actions", "names no action"},
		{"a blank pattern", &roles.AddPermission{Role: "berths/reader", Actions: []string{"read"}}, "pattern", "is empty"},
		{"a permission that is not there", &roles.RemovePermission{Permission: "permission-999"}, "permission", "there is no permission"},
		{"an application key taken", &roles.AddApplication{Key: "berths", Actions: []fact.Action{{Key: "read"}}}, "key", "is taken"},
		{"an application without actions", &roles.AddApplication{Key: "cranes"}, "actions", "names no action"},
		{"an action twice", &roles.AddApplication{Key: "cranes", Actions: []fact.Action{{Key: "read"}, {Key: "read"}}}, "actions", "twice"},
		{"a resource without its parent", &roles.AddResource{Application: "berths", Path: "south/1"}, "path", "parent “south” is not registered"},
		{"a resource twice", &roles.AddResource{Application: "berths", Path: "north"}, "path", "registered already"},
		{"a resource in the built-in tree", &roles.AddResource{Application: "able-roster", Path: "x"}, "application", "built in"},
		{"retiring the built-in application", &roles.UpdateApplication{Application: "able-roster", Label: text("x")}, "application", "built in"},
		{"a time zone that does not exist", &rules.SetOrganisation{Name: "Larkhaven", TimeZone: "Atlantis/Port"}, "time_zone", "not a time zone"},
		{"revoking what is not held", &roles.Revoke{Role: "tariffs/releaser", User: "ines.halloran"}, "", "does not hold"},
		{"revoking an assignment that is over", &roles.Revoke{Assignment: "assignment-99"}, "assignment", "no assignment “assignment-99” in force"},
		{"rights in able-roster for everybody", &roles.Grant{Role: "marine-manager", Group: "public"}, "", "nothing in it is for everybody"},
	} {
		t.Run(x.name, func(t *testing.T) {
			d := laws.DraftOf(s, x.op)
			if len(d.Faults) == 0 {
				t.Fatal("was not refused")
			}
			if f := d.Faults[0]; f.Field != x.field || !strings.Contains(f.Message, x.says) {
				t.Errorf("%s: %s; want %s: …%s…", f.Field, f.Message, x.field, x.says)
			}
		})
	}
}

func TestEveryFaultOfAChangeIsNamedAtItsPlace(t *testing.T) {
	d := laws.DraftOf(laws.Port(t),
		&people.AddUser{Personal: fact.Personal{UserName: "ines.halloran", Email: "x"}, UserFacts: fact.UserFacts{Unit: "a//b"}},
		&roles.Grant{Role: "berths/nothing", User: "nobody"},
		&roles.AddGroup{Key: "UPPER"},
		&roles.AddMember{Group: "UPPER", User: "ines.halloran"}) // follows from the one before: not told twice
	var got []string
	for _, f := range d.Faults {
		got = append(got, fmt.Sprint(f.Operation, " ", f.Field))
	}
	want := []string{"0 unit", "0 user_name", "0 email", "1 role", "1 user", "2 key"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("faults at %q, want %q", got, want)
	}
}

func TestWhatIsSoAlreadyMakesNoChangeAndSaysSinceWhen(t *testing.T) {
	s := laws.Port(t, &roles.AddMember{Group: "pilots", User: "ines.halloran"})
	zone := "Europe/Lisbon"
	for _, op := range []change.Operation{
		&roles.Grant{Role: "berths/reader", Group: "marine-staff"},
		&roles.AddMember{Group: "pilots", User: "ines.halloran"},
		&roles.IncludeRole{Role: "berths/scheduler", Includes: "berths/reader"},
		&roles.AddPermission{Role: "berths/reader", Actions: []string{"read"}, Pattern: "/"},
		&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &[]string{"marine/pilotage"}[0]}},
		&rules.SetOrganisation{Name: "Larkhaven", TimeZone: zone},
	} {
		d := laws.DraftOf(s, op)
		if len(d.Faults) > 0 || len(d.Changes()) > 0 || len(d.Notes) != 1 {
			t.Errorf("%s: faults %v, changes %v, notes %v", op.Verb(), d.Faults, d.Changes(), d.Notes)
		}
	}
	// On other bounds it is another assignment; a membership has one set of bounds.
	if d := laws.DraftOf(s, &roles.Grant{Role: "berths/reader", Group: "marine-staff", Window: calendar.Window{Until: 900}}); len(d.Changes()) != 1 {
		t.Errorf("a grant until a day: %v", d.Changes())
	}
	if d := laws.DraftOf(s, &roles.AddMember{Group: "pilots", User: "ines.halloran", Window: calendar.Window{Until: 900}}); len(d.Changes()) != 2 {
		t.Errorf("a membership on new bounds: %v", d.Changes())
	}
}

func TestARevokeSaysThroughWhatARoleIsHeld(t *testing.T) {
	s := laws.Port(t, &roles.AddMember{Group: "pilots", User: "ines.halloran"})
	d := laws.DraftOf(s, &roles.Revoke{Role: "berths/reader", User: "ines.halloran"})
	if len(d.Faults) != 1 || !strings.Contains(d.Faults[0].Message, "comes through the group marine-staff") {
		t.Errorf("%v", d.Faults)
	}
	d = laws.DraftOf(laws.Port(t, &roles.Grant{Role: "berths/reader", User: "ines.halloran"}, &roles.Grant{Role: "berths/reader", User: "ines.halloran", Window: calendar.Window{Until: 900}}),
		&roles.Revoke{Role: "berths/reader", User: "ines.halloran"})
	if len(d.Faults) != 1 || !strings.Contains(d.Faults[0].Message, "held there 2 times") {
		t.Errorf("%v", d.Faults)
	}
}

// An operation that was tried on one draft and lost must not carry that draft's
// ids into the next try.
func TestACopyOfAnOperationSharesNothingWithIt(t *testing.T) {
	manager, status := change.UserRef("tomas.brandt"), fact.Active
	ops := []change.Operation{
		&people.AddUser{Personal: fact.Personal{UserName: "new.one"}},
		&people.UpdateUser{User: "ines.halloran", Manager: &manager, Status: &status},
		&roles.AddPermission{Role: "berths/reader", Actions: []string{"update", "read"}, Pattern: "/"},
		&roles.Grant{Role: "berths/reader", User: "new.one"},
	}
	var before []string
	for _, op := range ops {
		raw, _ := change.EncodeOperation(op)
		before = append(before, string(raw))
	}
	d := change.NewDraft(laws.Port(t))
	for i, op := range ops {
		d.Apply(i, op, 2)
	}
	if len(d.Faults) > 0 {
		t.Fatal(d.Faults)
	}
	for i, op := range ops {
		if raw, _ := change.EncodeOperation(op); string(raw) != before[i] {
			t.Errorf("applying made %s of %s", raw, before[i])
		}
	}
}

func TestOperationsAreReadStrictly(t *testing.T) {
	for raw, says := range map[string]string{
		`{"op":"grant","user":"a","rule":"b"}`:                "rule is not a field",
		`{"op":"grnt"}`:                                       `there is no operation “grnt”`,
		`{"user":"a"}`:                                        "op is missing",
		`["grant"]`:                                           "must be an object",
		`{"op":"grant","user":7}`:                             "user must be a",
		`{"op":"grant","from":"soon"}`:                        "RFC 3339",
		`{"op":"grant","assignment":"assignment-1"}`:          "set by the service",
		`{"op":"grant","origin":"import"}`:                    "set by the service",
		`{"op":"add_user","user_name":"x","user":"user-1"}`:   "set by the service",
		`{"op":"add_group","key":"x","group":"group-9"}`:      "set by the service",
		`{"op":"add_member","group":"g","membership":"m"}`:    "set by the service",
		`{"op":"add_permission","permission":"permission-1"}`: "set by the service",
	} {
		_, faults := change.DecodeOperation([]byte(raw))
		if len(faults) == 0 || !strings.Contains(faults[0].Error(), says) {
			t.Errorf("%s: %v, want …%s…", raw, faults, says)
		}
	}
}

// The host alone mends, and what cannot be read is no replacement; whoever may not administer
// erases no reason.
func TestWhatIsDoneToTheLedgerItself(t *testing.T) {
	for name, x := range map[string]struct {
		op    change.Operation
		ready func(*change.Draft)
		says  string
	}{
		"by somebody":       {&rules.MendOperation{Revision: 1, Replacement: `{"op":"revoke"}`}, func(d *change.Draft) { d.Author = 1 }, "on the host alone"},
		"by nothing":        {&rules.MendOperation{Revision: 1, Replacement: `{"op":`}, func(*change.Draft) {}, "cannot be read either"},
		"of no revision":    {&rules.EraseReason{Revision: 4711}, func(*change.Draft) {}, "there is no revision 4711"},
		"replayed, by them": {&rules.MendOperation{Revision: 1, Replacement: `{"op":"revoke"}`}, func(d *change.Draft) { d.Author, d.Replays = 1, true }, ""},
	} {
		d := change.NewDraft(laws.Port(t))
		x.ready(d)
		d.Apply(0, x.op, 2)
		if x.says == "" && len(d.Faults) > 0 || x.says != "" && (len(d.Faults) != 1 || !strings.Contains(d.Faults[0].Error(), x.says)) {
			t.Errorf("%s: %v", name, d.Faults)
		}
	}
	d := change.NewDraft(laws.Port(t))
	d.May = func(string, string) bool { return false }
	d.Apply(0, &rules.EraseReason{Revision: 4711}, 2)
	if len(d.Faults) > 0 || len(d.Needs) != 1 || d.Needs[0].Path != "ledger" {
		t.Errorf("%v, %v", d.Needs, d.Faults)
	}
}

// Every kind of operation comes back from its stored form as it was, and says
// what it did.
func TestEveryOperationIsKeptAndTold(t *testing.T) {
	told := map[string]bool{}
	for seed := range uint64(56) {
		c := laws.NewChance(seed)
		s := access.Empty() // growing from nothing, every kind comes to fit
		if seed == 0 {      // but for what takes several to be ready
			s = laws.Port(t, &people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"marta.quill", "tomas.brandt"}},
				&people.SetSharedAccount{User: "berth-board", Custodian: "tomas.brandt", Group: "pilots"})
		}
		for range 1800 {
			op := c.Operation()
			switch c.IntN(179) {
			case 175, 176:
				op = &people.AddSubstitute{User: c.User(), Substitute: c.User(), Start: 1, End: calendar.Date(1 + c.IntN(3))}
			case 177:
				op = &people.EndSubstitute{User: c.User(), Number: 1 + c.IntN(2), End: calendar.Date(c.IntN(3))}
			case 125:
				op = &people.EndPosition{User: c.User(), Position: 1 + c.IntN(2)}
				if c.IntN(4) == 0 { // seldom: the first departs
					op = &people.MergeUsers{User: c.User(), Into: c.User()}
				}
			case 126:
				op = &people.OpenAccess{User: c.User(), Window: calendar.Window{From: 3, Until: 1 << 40}, Reference: "TCK-1"}
			case 127, 128:
				op = &people.CloseAccess{User: c.User()}
			case 129, 130:
				op = &people.SetLegalHold{User: c.User(), Until: calendar.Date(10 + c.IntN(60))}
			case 131:
				op = &people.EndLegalHold{User: c.User()}
			case 132, 133:
				op = &people.SetAttributeSource{User: c.User(), Attributes: laws.Pick(c, []string{"title"}, []string{"unit", "email"}, nil), Overridable: laws.Pick(c, []string{"location"}, nil), Filter: laws.Pick(c, "", `title co "a"`)}
			case 134, 135:
				most := 3
				op = &roles.UpdateRole{Role: laws.Pick[change.RoleRef](c, "app0/r0", "app1/r1"), MaxShares: &most}
			case 136, 137, 138:
				op = &roles.ShareRole{Role: laws.Pick[change.RoleRef](c, "app0/r0", "app1/r1"), User: c.User(), Path: laws.Pick(c, "a", "b", "c")}
			case 139:
				op = &roles.EndShares{Application: laws.Pick[change.ApplicationRef](c, "app0", "app1"), Path: laws.Pick(c, "/", "a")}
			case 147, 148, 149, 163, 164:
				op = &people.SetSharedAccount{User: c.User(), Custodian: c.User(), Group: laws.Pick[change.GroupRef](c, "g0", "g1", "g2"), Emergency: c.IntN(2) == 0}
			case 150, 151, 152:
				op = &people.CheckOutAccount{User: sharedOf(c, s)}
			case 153, 154:
				op = &people.ReturnAccount{User: sharedOf(c, s)}
			case 155, 156:
				op = &people.ConfirmRotation{User: sharedOf(c, s)}
			case 157, 159, 160:
				op = &people.RecordAccountTest{User: sharedOf(c, s)}
			case 158, 161, 162:
				if op = change.Operation(&people.CheckOutAccount{User: sharedOf(c, s)}); c.IntN(6) == 0 { // seldom: it is shared no more
					op = &people.EndSharedAccount{User: sharedOf(c, s)}
				}
			case 165, 166, 167:
				op = &rules.SetTeamRule{Key: laws.Pick(c, "project", "shift"), Filter: laws.Pick(c, `not (title eq "z")`, `title co "a"`), Roles: laws.Pick(c, nil, []change.RoleRef{"app0/r0"}), Invites: c.IntN(2) == 0}
			case 168, 169, 170, 171:
				op = &roles.OpenTeam{Rule: laws.Pick[change.TeamRuleRef](c, "project", "shift"), Key: fmt.Sprint("team", c.IntN(9)), Owner: c.User()}
			case 172, 173:
				op = &roles.CloseTeam{Group: change.GroupRef(fmt.Sprint("team", c.IntN(9)))}
			case 174:
				if op = change.Operation(&roles.OpenTeam{Rule: "project", Key: fmt.Sprint("team", c.IntN(9)), Owner: c.User()}); c.IntN(9) == 0 { // seldom: its teams are managed no more
					op = &rules.EndTeamRule{Rule: laws.Pick[change.TeamRuleRef](c, "project", "shift")}
				}
			case 140, 141:
				op = &rules.SetSignUpRule{Domain: laws.Pick(c, "pilots.example", "tugs.example"), Unit: c.Unit(), Sponsor: change.UserRef(laws.Pick(c, "", string(c.User()))), Days: laws.Pick(c, 0, 90)}
			case 142:
				op = &rules.EndSignUpRule{Rule: laws.Pick[change.SignUpRuleRef](c, "pilots.example", "tugs.example")}
			case 120:
				op = &people.SetEmploymentType{Key: laws.Pick(c, "vendor", "guest"), External: true, MaxDays: 90, Closed: true, MaxHours: 700}
			case 121:
				op = &people.EndEmploymentType{EmploymentType: laws.Pick[change.EmploymentRef](c, "vendor", "guest", "contractor")}
			case 122, 145, 146:
				kind, by, end, at := "vendor", "Dredgers", calendar.Date(9), c.User()
				op = &people.UpdateUser{User: c.User(), Manager: &at, UserEdits: fact.UserEdits{Employment: &kind, Company: &by, End: &end}}
			case 123, 143, 144:
				op = &people.ExtendContract{User: c.User(), End: calendar.Date(10 + c.IntN(60))}
			case 124:
				op = &roles.ExcludeRole{Role: "app0/r0", Excludes: "app0/r1"}
			case 0, 1:
				op = &people.EraseUser{User: c.User()}
			case 2:
				op = &people.DeclareAttribute{Key: laws.Pick(c, "grade", "ticket"), CaseExact: c.IntN(2) == 0}
			case 3:
				op = &people.DeclareAttribute{Key: "desk", Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: "marine", Value: "M1"}}}}
			case 178:
				op = &rules.SetMoveReviews{On: c.IntN(3) > 0}
			case 5:
				op = &rules.SetSignIn{Group: laws.Pick(c, "", c.Group())}
			case 6:
				op = &rules.SetSecondPerson{SecondPerson: fact.SecondPerson{OwnGains: c.IntN(2) == 0, HighRisk: c.IntN(2) == 0, Safeguards: false}}
			case 7:
				op = &rules.SetSecondPerson{}
			case 8:
				op = &rules.EraseReason{Revision: int64(c.IntN(9)), Digest: laws.Pick(c, "", "00ff", "ff00")}
			case 9:
				op = &rules.MendOperation{Revision: 1, Position: c.IntN(2), Digest: "00ff", Replacement: laws.Pick(c, `{"op":"add_group","key":"quay"}`, `{"op":"revoke"}`, "{")}
			case 10, 11:
				op = &rules.SetFreeze{Key: laws.Pick(c, "close", "audit"), Why: "x", Window: calendar.Window{Until: laws.Pick[calendar.Instant](c, 0, 5000)}, Units: laws.Pick(c, nil, []string{"marine"}),
					Applications: laws.Pick(c, nil, []change.ApplicationRef{laws.Pick[change.ApplicationRef](c, "app0", "app1")}), LetThrough: laws.Pick(c, nil, []change.UserRef{c.User()})}
			case 12:
				op = &rules.EndFreeze{Freeze: laws.Pick[change.FreezeRef](c, "close", "audit")}
			case 13:
				op = &rules.SetReferences{References: fact.References{Pattern: laws.Pick(c, "", "TCK-[0-9]+", "("), Address: laws.Pick(c, "", "https://tickets.larkhaven.example/{reference}")}}
			case 21, 22, 23:
				op = &people.SetMachineAccount{User: c.User(), Purpose: laws.Pick(c, "x", "y"), Accountable: []change.UserRef{c.User(), c.User()}}
			case 14:
				op = &people.AdoptUnits{}
			case 15, 16:
				op = &people.AddUnit{Path: laws.Pick(c, "marine", "marine/pilotage", "quay", "quay/north"), Head: laws.Pick(c, "", c.User())}
			case 17:
				op = &people.MoveUnit{Unit: laws.Pick[change.UnitRef](c, "marine", "quay"), To: laws.Pick(c, "sea", "marine", "quay/marine")}
			case 18:
				op = &people.MergeUnit{Unit: laws.Pick[change.UnitRef](c, "quay/north", "sea"), Into: laws.Pick[change.UnitRef](c, "marine", "quay")}
			case 19:
				op = &people.EndUnit{Unit: laws.Pick[change.UnitRef](c, "quay/north", "sea", "quay")}
			case 20:
				head := laws.Pick(c, "", c.User())
				op = &people.UpdateUnit{Unit: laws.Pick[change.UnitRef](c, "marine", "quay"), Head: &head}
			case 4:
				op = &people.RetireAttribute{Attribute: laws.Pick[change.AttributeRef](c, "grade", "ticket", "bonus")}
			}
			d := change.NewDraft(s)
			op = d.Apply(0, op, 2)
			if d.Finish(); len(d.Faults) > 0 {
				continue
			}
			s = d.Seal(d.Revision, s.At+1)
			raw, err := change.EncodeOperation(op)
			if err != nil || !json.Valid(raw) {
				t.Fatalf("%s: %s %v", op.Verb(), raw, err)
			}
			back, err := change.DecodeStored(raw)
			if err != nil || !reflect.DeepEqual(back, op) {
				t.Fatalf("%s came back as %#v (%v), was %#v", raw, back, err, op)
			}
			if text := op.Sentence(s, plainNames{s}); text == "" || strings.Contains(text, "%!") {
				t.Fatalf("%s says %q", raw, text)
			}
			told[op.Verb()] = true
		}
	}
	for _, kind := range change.Descriptors() {
		if !told[kind.Verb] && kind.Verb != "set_organisation" {
			t.Errorf("%s was never tried", kind.Verb)
		}
	}
}

// sharedOf is one of the accounts that are shared, where one is.
func sharedOf(c *laws.Chance, s *access.Snapshot) change.UserRef {
	if all := record.SharedAccounts(s); len(all) > 0 {
		return change.UserRef(all[c.IntN(len(all))].User.String())
	}
	return c.User()
}

type plainNames struct{ s *access.Snapshot }

func (n plainNames) UserName(id fact.UserID) string { return n.s.User(id).UserName }

func FuzzDecodeOperation(f *testing.F) {
	for _, s := range []string{`{"op":"grant","role":"a/b","user":"c","until":"2027-01-31T18:00:00Z"}`, `{"op":"add_user","user_name":"x"}`, `{}`, `{"op":{}}`, `[]`, `{"op":"grant","op":"revoke"}`} {
		f.Add([]byte(s))
	}
	s := laws.Port(f)
	f.Fuzz(func(t *testing.T, raw []byte) {
		op, faults := change.DecodeOperation(raw)
		if (op == nil) == (len(faults) == 0) {
			t.Fatalf("%s: %v with faults %v", raw, op, faults)
		}
		if op != nil {
			d := change.NewDraft(s)
			d.Apply(0, op, 2)
			if len(d.Faults) == 0 {
				effect.Of(d, 2)
			}
		}
	})
}

// The subjects of an operation are the ids among its references, as its JSON
// shows them.
func TestSubjectsAreTheIDsAnOperationRefersTo(t *testing.T) {
	some := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		d := change.NewDraft(s)
		for i := range 200 {
			op := d.Apply(i, c.Operation(), c.Instant())
			raw, err := change.EncodeOperation(op)
			if err != nil {
				t.Fatal(err)
			}
			var fields map[string]any
			if err := json.Unmarshal(raw, &fields); err != nil {
				t.Fatal(err)
			}
			want := []string{}
			for name, v := range fields {
				if slices.Contains([]string{"op", "key", "label", "filter", "pattern", "path", "title", "unit", "user_name", "custom"}, name) {
					continue // texts that are no references
				}
				all, ok := v.([]any)
				if !ok {
					all = []any{v}
				}
				for _, x := range all {
					if id, ok := x.(string); ok && fact.LooksLikeID(id) && !slices.Contains(want, id) {
						want = append(want, id)
					}
				}
			}
			slices.Sort(want)
			if got := change.SubjectsOf(op); !slices.Equal(got, want) {
				t.Fatalf("%s: %v, want %v", raw, got, want)
			}
			some += len(want)
		}
	})
	if some < 1000 {
		t.Errorf("only %d subjects", some)
	}
}
