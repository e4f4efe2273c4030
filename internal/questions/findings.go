package questions

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"unicode"
	"unicode/utf8"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// FindingSearch chooses findings; blank fields do not narrow.
type FindingSearch struct {
	Code        string
	Application string
	Aside       bool // those set aside, instead of the others
	Cursor      string
	Limit       int
}

// Findings are what looks wrong now, of what the caller may read.
func Findings(ctx context.Context, d *seeing.Service, c seeing.Caller, q FindingSearch) (wire.FindingList, error) {
	v := d.Now(ctx, c)
	out := wire.FindingList{Basis: v.Basis(), Findings: []wire.Finding{}}
	if q.Code != "" && finding.AboutOf(finding.Code(q.Code)) == nil {
		return out, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "code", Message: fmt.Sprintf("there is no kind of finding “%s”", q.Code)})
	}
	var app fact.ApplicationID
	if q.Application != "" {
		id, ok := v.Uncut().FindApplication(q.Application)
		if !ok || !v.ReadsApplication(id) {
			return out, v.Missing(fact.FactApplication, q.Application)
		}
		app = id
	}
	all, err := findings(v)
	if err != nil {
		return out, err
	}
	aside := finding.SetAsides(v.Uncut(), calendar.DateOf(v.At.Time().In(v.Zone())))
	place := map[finding.Code]int{}
	for i, a := range finding.All {
		place[a.Code] = i
		out.Kinds = append(out.Kinds, wire.FindingKind{Code: string(a.Code), Title: a.Title, Why: a.Why})
	}
	var chosen []*finding.Finding
	for i := range all {
		f := &all[i]
		if !readsFinding(v, f) || app != 0 && f.Application != app {
			continue
		}
		off := len(aside) > 0 && aside[f.Key()] != nil
		if off {
			out.Kinds[place[f.Code]].Aside++
		} else {
			out.Kinds[place[f.Code]].Count++
		}
		if off == q.Aside && (q.Code == "" || string(f.Code) == q.Code) {
			chosen = append(chosen, f)
		}
	}
	page, next, err := seeing.Cut(chosen, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(chosen), next
	var given []*wire.Given
	for _, f := range page {
		x := findingAnswer(v, f)
		var g *wire.Given
		if a := aside[x.Key]; a != nil {
			g = &wire.Given{Revision: a.Opened}
			x.Aside = &wire.Aside{Until: a.Until.String()}
		}
		given = append(given, g)
		out.Findings = append(out.Findings, x)
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range given {
			g(&given[i])
		}
	})
	for i, g := range given {
		if g != nil {
			a := out.Findings[i].Aside
			a.By, a.Why, a.Since = g.By, g.Reason, g.At
		}
	}
	return out, nil
}

// findings are all there are, whoever asks.
func findings(v *seeing.View) ([]finding.Finding, error) {
	var used finding.Accounts
	if v.Service.Accounts != nil {
		var err error
		if used, err = v.Service.Accounts(v.Ctx); err != nil {
			return nil, err
		}
	}
	return v.Findings(used), nil
}

// readsFinding says whether the caller may read all that a finding speaks of.
func readsFinding(v *seeing.View, f *finding.Finding) bool {
	return (f.User == 0 || v.ReadsUser(f.User)) && (f.Group == 0 || v.ReadsGroup(f.Group)) && (f.Role == 0 || v.ReadsRole(f.Role)) &&
		(f.Other == 0 || v.ReadsRole(f.Other)) && (f.Application == 0 || f.Role != 0 || v.ReadsApplication(f.Application))
}

// findingAnswer draws one.
func findingAnswer(v *seeing.View, f *finding.Finding) wire.Finding {
	out := wire.Finding{Key: f.Key(), Code: string(f.Code), Path: f.Path, Message: findingWords(v, f)}
	ref := func(to **wire.Ref, there bool, r wire.Ref) {
		if there {
			*to = &r
		}
	}
	ref(&out.User, f.User != 0, v.UserRef(f.User))
	ref(&out.Group, f.Group != 0, v.GroupRef(f.Group, false))
	ref(&out.Role, f.Role != 0, v.RoleRef(f.Role, false))
	ref(&out.Other, f.Other != 0, v.RoleRef(f.Other, false))
	ref(&out.Application, f.Application != 0, v.ApplicationRef(f.Application, true))
	ops, words := mend(v, f)
	for _, op := range ops {
		if raw, err := change.EncodeOperation(op); err == nil {
			out.Mend = append(out.Mend, json.RawMessage(raw))
		}
	}
	out.MendWords = words
	return out
}

// findingWords says what is wrong in a plain sentence.
func findingWords(v *seeing.View, f *finding.Finding) string {
	user, group, role, other, app := "", "", "", "", ""
	if f.User != 0 {
		user = v.UserName(f.User)
	}
	if f.Group != 0 {
		group = "the group " + v.GroupRef(f.Group, false).Label
	}
	if f.Role != 0 {
		role = v.RoleRef(f.Role, false).Label
	}
	if f.Other != 0 {
		other = v.RoleRef(f.Other, false).Label
	}
	if f.Application != 0 {
		app = v.ApplicationRef(f.Application, true).Label
	}
	to := user
	if to == "" {
		to = group
	}
	switch f.Code {
	case finding.PastEnd:
		return fmt.Sprintf("%s is past the end date by %s, and still active.", user, fact.Count(f.Count, "day"))
	case finding.WildcardInFence:
		return fmt.Sprintf("%s passes the fence on %s in %s with the pattern %s: whatever is registered there is covered.", role, v.Uncut().Fence(f.Fence).Pattern, app, f.Path)
	case finding.AccountUnused:
		return fmt.Sprintf("%s has not signed in for %s.", user, fact.Count(f.Count, "day"))
	case finding.Unaccounted:
		return fmt.Sprintf("%s has %d of the two accountable people that there should be.", user, f.Count)
	case finding.Overdue:
		return fmt.Sprintf("%s was to be returned %s ago.", user, hoursOrDays(f.Count))
	case finding.SecretUsed:
		return fmt.Sprintf("%s was returned %s ago, and its secret is the one that was used.", user, hoursOrDays(f.Count))
	case finding.Untested:
		if f.Count == 0 {
			return fmt.Sprintf("%s was never tested.", user)
		}
		return fmt.Sprintf("%s was last tested %s ago.", user, fact.Count(f.Count, "day"))
	case finding.AlmostEverybody:
		return fmt.Sprintf("%s is held by %d people, almost all there are.", role, f.Count)
	case finding.Direct:
		return fmt.Sprintf("%s has %s directly, where %s wants it given through groups.", user, role, app)
	case finding.Doubled:
		return fmt.Sprintf("%s has %s directly, and through %s as well.", user, role, group)
	case finding.Over:
		return fmt.Sprintf("%s of %s ended at %s.", role, to, calendar.UntilWords(v.Uncut().Assignment(f.Assignment).Window.Until.Time(), v.Zone()))
	case finding.NothingMatches:
		return fmt.Sprintf("%s has a permission on %s, which is nothing registered in %s.", role, f.Path, app)
	case finding.Unreached:
		return fmt.Sprintf("No role reaches %s in %s.", f.Path, app)
	case finding.HoldsNothing:
		return fmt.Sprintf("%s has what everybody has, and nothing else.", user)
	case finding.RoleEmpty:
		return fmt.Sprintf("%s carries no permission and includes no role that does.", role)
	case finding.RoleUnheld:
		return fmt.Sprintf("Nobody holds %s.", role)
	case finding.RoleSingle:
		return fmt.Sprintf("Only %s holds %s.", user, role)
	case finding.RoleAlike:
		return fmt.Sprintf("%s and %s give nearly the same.", role, other)
	case finding.RoleUnowned:
		return fmt.Sprintf("The role %s has no owner.", role)
	case finding.ApplicationAlone:
		return fmt.Sprintf("%s has no owner.", app)
	case finding.GroupEmpty:
		return fmt.Sprintf("%s has no members, and would give whoever is added what it holds.", capital(group))
	case finding.TeamUnmanaged:
		return fmt.Sprintf("%s is a team that nobody manages.", capital(group))
	}
	return string(f.Code)
}

func capital(s string) string {
	r, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[size:]
}

// mostMended bounds how many assignments one change of a finding moves.
const mostMended = 200

// mend is the change that would mend a finding, and what it does in words. There
// is none where somebody must be chosen first.
func mend(v *seeing.View, f *finding.Finding) ([]change.Operation, string) {
	role, user := change.RoleRef(f.Role.String()), change.UserRef(f.User.String())
	switch f.Code {
	case finding.PastEnd:
		departed := fact.Departed
		return []change.Operation{&people.UpdateUser{User: user, Status: &departed}}, "Mark as departed"
	case finding.AccountUnused, finding.HoldsNothing:
		suspended := fact.Suspended
		return []change.Operation{&people.UpdateUser{User: user, Status: &suspended}}, "Suspend them, until they ask"
	case finding.WildcardInFence:
		return mendWildcard(v, f)
	case finding.Unaccounted:
		return nil, "Say on the page of machine accounts which two people are"
	case finding.Overdue:
		return nil, "Have it returned, or return it for them"
	case finding.SecretUsed:
		return nil, "Change its secret, and say so"
	case finding.Untested:
		return nil, "Test it, and say so"
	case finding.AlmostEverybody:
		return []change.Operation{&rules.AddDefault{Key: freshDefault(v, f.Role), Label: v.RoleRef(f.Role, false).Label + " for everybody", Everybody: true, Roles: []change.RoleRef{role}}}, "Make it a default rule for everybody"
	case finding.Direct:
		return mendDirect(v, f)
	case finding.Doubled, finding.Over:
		return []change.Operation{&roles.Revoke{Assignment: change.AssignmentRef(f.Assignment.String())}}, "Revoke it"
	case finding.NothingMatches:
		return []change.Operation{&roles.RemovePermission{Permission: change.PermissionRef(f.Permission.String())}}, "Take the permission away"
	case finding.Unreached:
		return mendUnreached(v, f)
	case finding.RoleEmpty, finding.RoleUnheld:
		return []change.Operation{&roles.RetireRole{Role: role}}, "Retire the role"
	case finding.RoleAlike:
		return mendAlike(v, f)
	case finding.RoleUnowned:
		me := change.UserRef(v.Caller.User.String())
		return []change.Operation{&roles.UpdateRole{Role: role, Owner: &me}}, "Answer for it yourself"
	case finding.ApplicationAlone:
		me := change.UserRef(v.Caller.User.String())
		return []change.Operation{&roles.UpdateApplication{Application: change.ApplicationRef(f.Application.String()), Owner: &me}}, "Answer for it yourself"
	case finding.TeamUnmanaged:
		return nil, "Name another owner, or close it"
	case finding.GroupEmpty:
		var ops []change.Operation
		for _, a := range v.Uncut().Given(fact.Assignee{Group: f.Group}) {
			ops = append(ops, &roles.Revoke{Assignment: change.AssignmentRef(a.ID.String())})
		}
		for _, m := range v.Uncut().MembershipsOf(fact.Member{Group: f.Group}) {
			ops = append(ops, &roles.RemoveMember{Group: change.GroupRef(m.Group.String()), Member: change.GroupRef(f.Group.String())})
		}
		return ops, "Take from the group what it would give"
	}
	return nil, "Give it to somebody else too"
}

// mendWildcard writes the pattern out as what it covers today.
func mendWildcard(v *seeing.View, f *finding.Finding) ([]change.Operation, string) {
	p := v.Uncut().Permission(f.Permission)
	ops := []change.Operation{&roles.RemovePermission{Permission: change.PermissionRef(f.Permission.String())}}
	paths, open := query.PatternCovers(v.Uncut(), f.Application, f.Path)
	if open || len(paths) > mostMended {
		return nil, "Write the pattern without a star"
	}
	for _, path := range paths {
		ops = append(ops, &roles.AddPermission{Role: change.RoleRef(f.Role.String()), Application: change.ApplicationRef(f.Application.String()), Actions: slices.Clone(p.Actions), Pattern: path, Own: p.Own})
	}
	return ops, "Name each of what it covers today instead"
}

// mendDirect moves somebody into a group that gives the role, and nothing else
// they have not; into a new one where there is none.
func mendDirect(v *seeing.View, f *finding.Finding) ([]change.Operation, string) {
	a := v.Uncut().Assignment(f.Assignment)
	if a.Window != (calendar.Window{}) || len(a.Scopes) > 0 || a.Schedule != nil {
		return nil, "This assignment has its own dates: ask the holder whether it is still needed"
	}
	revoke := &roles.Revoke{Assignment: change.AssignmentRef(f.Assignment.String())}
	user := change.UserRef(f.User.String())
	for g := range v.Uncut().Groups() {
		given := v.Uncut().Given(fact.Assignee{Group: g.ID})
		if len(given) == 1 && given[0].Role == f.Role && given[0].Window == (calendar.Window{}) && len(given[0].Scopes) == 0 && given[0].Schedule == nil &&
			g.Filter == "" && len(v.Uncut().MembershipsOf(fact.Member{Group: g.ID})) == 0 && v.ReadsGroup(g.ID) && g.ID != fact.PublicGroup && g.ID != fact.AllUsersGroup {
			return []change.Operation{&roles.AddMember{Group: change.GroupRef(g.ID.String()), User: user}, revoke}, "Put them into the group " + g.Label + ", which gives it"
		}
	}
	key := v.Uncut().Role(f.Role).Key + "-holders"
	for i := 2; ; i++ {
		if _, taken := v.Uncut().FindGroup(key); !taken {
			break
		}
		key = fmt.Sprintf("%s-holders-%d", v.Uncut().Role(f.Role).Key, i)
	}
	return []change.Operation{
		&roles.AddGroup{Key: key, Label: v.RoleRef(f.Role, false).Label + ": holders"},
		&roles.Grant{Role: change.RoleRef(f.Role.String()), Group: change.GroupRef(key)},
		&roles.AddMember{Group: change.GroupRef(key), User: user},
		revoke,
	}, "Make a group that gives it, with them as its member"
}

// mendUnreached lets the role that reads a sister read it too.
func mendUnreached(v *seeing.View, f *finding.Finding) ([]change.Operation, string) {
	c := query.CoverageOf(v.Uncut(), f.Application, v.At, nil)
	for i := range c.Rows {
		row := &c.Rows[i]
		if row.Resource.Path == f.Path || patterns.Parent(row.Resource.Path) != patterns.Parent(f.Path) || len(row.Cells) == 0 || len(row.Cells[0].Roles) == 0 {
			continue
		}
		r := row.Cells[0].Roles[0]
		if !v.ReadsRole(r) {
			continue
		}
		action := c.Application.Actions[0].Key
		return []change.Operation{&roles.AddPermission{Role: change.RoleRef(r.String()), Application: change.ApplicationRef(f.Application.String()), Actions: []string{action}, Pattern: f.Path}},
			fmt.Sprintf("Let %s %s it, as it does %s beside it", v.RoleRef(r, false).Label, action, row.Resource.Path)
	}
	return nil, "Give a role a permission on it, or retire it"
}

// mendAlike gives the holders of the second role the first, and retires it.
func mendAlike(v *seeing.View, f *finding.Finding) ([]change.Operation, string) {
	holders := v.Uncut().RoleHolders(f.Other)
	if len(holders) > mostMended || len(v.Uncut().RoleIncludedBy(f.Other)) > 0 {
		return nil, "Decide which of them stays"
	}
	var ops []change.Operation
	for _, h := range holders {
		a := h.Assignment
		if a.Rule != 0 || a.Assignee.User != 0 && !v.ReadsUser(a.Assignee.User) || a.Assignee.Group != 0 && !v.ReadsGroup(a.Assignee.Group) {
			return nil, "Decide which of them stays"
		}
		o := &roles.Grant{Role: change.RoleRef(f.Role.String()), User: change.UserRef(a.Assignee.User.String()), Group: change.GroupRef(a.Assignee.Group.String()), Window: a.Window, Schedule: a.Schedule}
		for _, s := range a.Scopes {
			o.Scopes = append(o.Scopes, change.ScopeRef{Application: change.ApplicationRef(s.Application.String()), Pattern: s.Pattern})
		}
		ops = append(ops, o)
	}
	return append(ops, &roles.RetireRole{Role: change.RoleRef(f.Other.String())}), fmt.Sprintf("Give its holders %s instead, and retire %s", v.RoleRef(f.Role, false).Label, v.RoleRef(f.Other, false).Label)
}

func freshDefault(v *seeing.View, r fact.RoleID) string {
	base := v.Uncut().Role(r).Key
	key := base
	for i := 2; ; i++ {
		if _, taken := record.FindDefault(v.Uncut(), key); !taken {
			return key
		}
		key = fmt.Sprintf("%s-%d", base, i)
	}
}

// hoursOrDays are so many hours in words.
func hoursOrDays(hours int) string {
	switch {
	case hours < 1:
		return "less than an hour"
	case hours < 48:
		return fact.Count(hours, "hour")
	}
	return fact.Count(hours/24, "day")
}
