package questions

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/patterns"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// UserRef names a user within what the caller may see.
func UserRef(v *seeing.View, id fact.UserID) wire.Ref { return v.UserRef(id) }

// Me is who the caller is and what the console may offer them.
func Me(v *seeing.View) wire.Me {
	o := v.Organisation()
	out := wire.Me{User: v.UserRef(v.Caller.User), Zone: o.TimeZone, Name: o.Name, Now: v.At.Time(), Revision: v.Uncut().Revision, May: map[string]bool{}}
	if v.Rights().May(access.ActUpdate, "settings") {
		out.Second = &wire.SecondPerson{OwnGains: o.Second.OwnGains, HighRisk: o.Second.HighRisk, Safeguards: o.Second.Safeguards}
	}
	out.References, out.ReviewMoves = wire.References(o.References), o.ReviewMoves
	out.Freezes = lists.StandingFreezes(v)
	if o.SignIn != 0 {
		g := v.GroupRef(o.SignIn, false)
		out.SignIn = &g
	}
	for _, a := range []string{access.ActRead, access.ActCreate, access.ActUpdate, access.ActAssign} {
		reach := v.Rights().Reach(a)
		for _, register := range []string{"users", "groups", "applications", "roles", "ledger", "settings", "reviews"} {
			for _, p := range reach {
				// anywhere in that register, or in all of it
				if patterns.Covers(p.Pattern, register) || patterns.Covers(register, p.Pattern) {
					out.May[register+"."+a] = true
				}
			}
		}
	}
	if out.May["groups.read"] || lists.HasTeams(v) {
		out.May["teams.read"] = true
	}
	if revs, err := v.Service.Ledger.Reasons(v.Ctx, []int64{1}); err == nil {
		if r, ok := revs[1]; ok {
			out.Since = seeing.Instant(r.At)
		}
	}
	return out
}

// IDOf is the user a reference is to, or 0.
func IDOf(v *seeing.View, r wire.Ref) fact.UserID {
	n, _ := fact.ParseID("user", r.ID)
	return fact.UserID(n)
}

// SignInFor finds a user whom the caller may help to sign in, by a link or, for a
// machine account, a token: they need "update" there, and must hold all that the user
// may do to others, now or later, for they could then act as them. powers are the texts
// of that.
func SignInFor(v *seeing.View, ref string) (id fact.UserID, powers []string, err error) {
	id, ok := v.Uncut().FindUser(ref)
	if !ok || !v.ReadsUser(id) {
		return 0, nil, v.Missing(fact.FactUser, ref)
	}
	if id == v.Caller.User {
		return 0, nil, seeing.Refused("you are signed in already: change your password under your own name")
	}
	if !v.Rights().May(access.ActUpdate, v.Uncut().UserPath(id)) {
		return 0, nil, seeing.Refused("you may not update %s", v.UserName(id))
	}
	for _, p := range change.Powers(v.UncutToday(), id, v.At) {
		if !v.Rights().Covers(p) {
			return 0, nil, seeing.Refused("%s has rights in Able Roster, or decides on requests, now or later, that you do not: somebody who has them must help", v.UserName(id))
		}
		powers = append(powers, p.Text)
	}
	return id, powers, nil
}

// InviteAgain is whom the caller may mail an invitation again: whoever they could make a link for, and
// whom they invited into a team of theirs.
func InviteAgain(v *seeing.View, ref string) (fact.UserID, error) {
	if id, ok := v.Uncut().FindUser(ref); ok && v.Rights().Invited(v.Uncut(), id) {
		return id, nil
	}
	id, _, err := SignInFor(v, ref)
	return id, err
}

// Standing is what users and makers of their passwords hold, by today's facts.
type Standing struct{ *seeing.Service }

// Revision implements signin.Standing.
func (s Standing) Revision() int64 { return s.Ledger.Head().Revision }

// Powers implements signin.Standing.
func (s Standing) Powers(user, other fact.UserID) (all, lacking []string) {
	head, at := s.Ledger.Head(), calendar.At(s.Clock())
	rights := change.AuthorityOf(head, other, at)
	for _, p := range change.Powers(head, user, at) {
		all = append(all, p.Text)
		if !rights.Covers(p) {
			lacking = append(lacking, p.Text)
		}
	}
	return all, lacking
}

// AdministratorRole is the role made for the first administrator.
const AdministratorRole = "access-administrator"
