package changing

import (
	"context"
	"fmt"
	"strings"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostGuessed bounds for how many faults of a change the names are told that may
// have been meant: each takes a look at all names.
const mostGuessed = 25

// faultsIn are those of a draft, with the names that may have been meant.
func faultsIn(v *seeing.View, d *change.Draft, place func(change.Fault) wire.Fault) []wire.Fault {
	var out []wire.Fault
	for i, f := range d.Faults {
		w := place(f)
		w.Message = f.Message
		if i < mostLookedUp {
			w.Message += lastRevoked(v, f)
		}
		if f.Given != "" && i < mostGuessed {
			w.DidYouMean = v.Near(f.Subject, f.Given)
		}
		out = append(out, w)
	}
	return out
}

// mostLookedUp bounds for how many faults of a change the ledger is asked when something
// was revoked, and lookUpLasts how long it may take: others may wait behind the change.
const (
	mostLookedUp = 3
	lookUpLasts  = 200 * time.Millisecond
)

// lastRevoked says when what somebody does not hold was last revoked, nothing where it
// never was or is not known now.
func lastRevoked(v *seeing.View, f change.Fault) string {
	if f.NotHeld == nil {
		return ""
	}
	ctx, cancel := context.WithTimeout(v.Ctx, lookUpLasts)
	defer cancel()
	n, at, err := v.Service.Ledger.LastRevoked(ctx, f.NotHeld.Assignee, f.NotHeld.Role)
	if err != nil || n == 0 {
		return ""
	}
	return fmt.Sprintf(". It was revoked on %s (revision %d)", at.In(v.Zone()).Format("2 Jan 2006"), n)
}

// FaultsOf are those that operations would run into, tried for nothing else.
func FaultsOf(v *seeing.View, ops []change.Operation, place func(change.Fault) wire.Fault) []wire.Fault {
	return faultsIn(v, try(v, ops).draft, place)
}

func refusal(v *seeing.View, d *change.Draft, lacks []change.Refusal) *wire.Problem {
	e := seeing.Refused("nothing was changed: you may not do this")
	seen := map[string]bool{}
	for _, l := range lacks {
		f := wire.Fault{Place: "/"}
		e.About = append(e.About, spokenOf(&l)...)
		switch {
		case d.Account != 0 && !d.OfAccount():
			if f.Message = refusedFor(v, d, &l); l.Need != nil {
				f.Place = fmt.Sprintf("/operations/%d", l.Need.Operation)
			}
		case l.Need != nil:
			f.Place = fmt.Sprintf("/operations/%d", l.Need.Operation)
			f.Message = "you may not " + l.Need.What
		case l.Gain.Instead != 0:
			f.Message = fmt.Sprintf("%s would decide in the place of %s on requests or reviews of roles that you may not assign yourself", gainer(v, d, l.Gain.Decides), gainer(v, d, l.Gain.Instead))
		case l.Gain.Decides != 0 || l.Gain.Group != 0:
			f.Message = becomes(v, d, l.Gain)
		case l.Gain.User == 0:
			f.Message = anybody(v, d, &l)
		case !v.Rights().MayReadUser(&d.Snapshot, l.Gain.User):
			f.Message = "somebody outside your part would come to hold " + draftRole(v, d, l.Gain.Role)
		case l.PassedOn:
			f.Message = fmt.Sprintf("%s would get rights in Able Roster that you do not hold through one assignment of yours, by %s", gainer(v, d, l.Gain.User), draftRole(v, d, l.Gain.Role))
		default:
			f.Message = fmt.Sprintf("%s would come to hold %s, which you may not assign there", gainer(v, d, l.Gain.User), draftRole(v, d, l.Gain.Role))
		}
		if !seen[f.Message] && len(e.Faults) < 50 {
			seen[f.Message] = true
			e.Faults = append(e.Faults, f)
		}
	}
	if len(e.Faults) > 0 {
		e.Detail = "nothing was changed: " + e.Faults[0].Message
	}
	return e
}

// spokenOf are the ids of the users a refusal speaks of.
func spokenOf(l *change.Refusal) []string {
	var out []string
	if l.Need != nil {
		if id := l.Need.Path[strings.LastIndexByte(l.Need.Path, '/')+1:]; strings.HasPrefix(l.Need.Path, "users/") && fact.LooksLikeID(id) {
			out = append(out, id)
		}
		return out
	}
	for _, id := range []fact.UserID{l.Gain.User, l.Gain.Decides, l.Gain.Instead} {
		if id != 0 {
			out = append(out, id.String())
		}
	}
	return out
}

// becomes says on what somebody would come to decide, which the caller could not give
// themselves.
func becomes(v *seeing.View, d *change.Draft, g *change.RoleGain) string {
	who := "whoever is in the group"
	if g.Decides != 0 {
		who = gainer(v, d, g.Decides)
		if v.UncutToday().User(g.Decides) != nil && !v.ReadsUser(g.Decides) {
			who = "somebody " + seeing.Outside
		}
	}
	whose := "anybody who may hold it"
	if g.User != 0 {
		whose = gainer(v, d, g.User)
	}
	return fmt.Sprintf("%s would decide on requests for %s for %s: you may not assign it there yourself", who, draftRole(v, d, g.Role), whose)
}

// anybody says what everybody somewhere could come to hold.
func anybody(v *seeing.View, d *change.Draft, l *change.Refusal) string {
	where := "anybody in the organisation"
	if unit, ok := strings.CutPrefix(l.Gain.Within, "users/"); ok {
		where = "anybody in " + unit
	}
	role := draftRole(v, d, l.Gain.Role)
	switch {
	case l.PassedOn:
		return fmt.Sprintf("%s could come to have rights in Able Roster that you do not hold through one assignment, by %s", where, role)
	case l.Gain.Also != 0:
		return fmt.Sprintf("%s could come to hold %s, with permissions in %s, whose roles you may not assign there", where, role, d.Application(l.Gain.Also).Key)
	}
	return fmt.Sprintf("%s could come to hold %s, which you may not assign there. Say within which unit it may be held (held_within)", where, role)
}

func gainer(v *seeing.View, d *change.Draft, id fact.UserID) string {
	if id == 0 {
		return "everybody"
	}
	if u := d.User(id); u != nil {
		return seeing.Label(u)
	}
	return seeing.Outside
}

// draftRole names a role of a draft, were it only made in it.
func draftRole(v *seeing.View, d *change.Draft, id fact.RoleID) string {
	if v.UncutToday().Role(id) != nil && !v.ReadsRole(id) {
		return "a role " + seeing.Outside
	}
	return "the role " + d.RoleKey(id)
}

// movedSince tells the author of a change what others did since they looked.
func movedSince(v *seeing.View, subjects []change.Subject, basedOn int64) error {
	e := seeing.Problem(seeing.KindMoved, 409, "Somebody was faster", "nothing was changed: what this change builds on has moved since revision %d; look again and decide anew", basedOn)
	for _, s := range subjects {
		m := wire.Moved{What: v.SubjectRef(s)}
		revs, err := v.Service.Ledger.History(v.Ctx, revisions.HistoryFilter{Subject: []string{seeing.SubjectID(s)}}, 1)
		if err == nil && len(revs) > 0 && revs[0].Revision > basedOn {
			r := v.RevisionAnswer(revs[0], seeing.SubjectID(s))
			m.Revision, m.At, m.By, m.Sentences = r.Revision, r.At, r.By, r.Sentences
		}
		e.Moved = append(e.Moved, m)
	}
	if m := e.Moved[0]; m.Revision > 0 && m.By != nil {
		e.Detail = fmt.Sprintf("nothing was changed: %s changed %s in revision %d (%s); look again and decide anew",
			m.By.Label, m.What.Label, m.Revision, strings.Join(m.Sentences, "; "))
	}
	return e
}
