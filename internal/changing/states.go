package changing

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/query"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// states says who is let in and who is shut out where a draft changes the state of an
// application: that is no entitlement, and yet all of the effect.
func states(v *seeing.View, d *change.Draft) []wire.State {
	var out []wire.State
	for _, c := range d.Changes() {
		after, ok := c.After.(*fact.Application)
		if !ok || !v.ReadsApplication(after.ID) {
			continue
		}
		x := wire.State{Application: v.ApplicationRef(after.ID, false), To: string(after.State)}
		before, _ := c.Before.(*fact.Application)
		if before == nil {
			continue // nobody holds anything in it yet
		}
		if x.From = string(before.State); before.State == after.State && before.Trial == after.Trial {
			continue
		}
		was, is := letIn(v, d.Base(), before), letIn(v, &d.Snapshot, after)
		for id := range is {
			if !was[id] {
				x.LetIn++
			}
		}
		for id := range was {
			if !is[id] {
				x.ShutOut++
			}
		}
		x.Message = stateWords(x, after.State)
		out = append(out, x)
	}
	return out
}

// letIn are the users an application lets in, of those the caller may read.
func letIn(v *seeing.View, s *access.Snapshot, a *fact.Application) map[fact.UserID]bool {
	out := map[fact.UserID]bool{}
	add := func(id fact.UserID) {
		if v.Rights().MayReadUser(s, id) {
			out[id] = true
		}
	}
	switch a.State {
	case fact.StateLive:
		query.PeopleIn(s, a.ID, v.At, add)
	case fact.StateRehearsal:
		for u := range s.Users() {
			if s.Effective(u.ID, v.At) {
				add(u.ID)
			}
		}
	case fact.StateDraft:
		if a.Trial == 0 {
			break
		}
		members := held.MembersNow(s, a.Trial, v.At)
		query.PeopleIn(s, a.ID, v.At, func(id fact.UserID) {
			if members[id] {
				add(id)
			}
		})
	}
	return out
}

func stateWords(x wire.State, to fact.State) string {
	name := x.Application.Label
	in := fmt.Sprintf("%s would be let in", fact.Count(x.LetIn, "user"))
	out := fmt.Sprintf("%s would be shut out", fact.Count(x.ShutOut, "user"))
	switch to {
	case fact.StateRehearsal:
		return fmt.Sprintf("%s would rehearse: everybody who is signed in is let in and may do everything. %s, %s.", name, in, out)
	case fact.StateLive:
		return fmt.Sprintf("%s would be live: only what somebody holds is allowed. %s, %s.", name, in, out)
	case fact.StateRetired:
		return fmt.Sprintf("%s would be retired: everything is denied. %s.", name, out)
	}
	return fmt.Sprintf("%s would be a draft: only members of its trial group are let in. %s, %s.", name, in, out)
}

// wouldDecide says who comes to decide on what by a draft: as manager, as owner or in a
// group that is asked.
func wouldDecide(v *seeing.View, d *change.Draft) []wire.Note {
	roles := map[fact.UserID][]string{}
	people := map[fact.UserID]map[fact.UserID]bool{}
	var order []fact.UserID
	for _, g := range request.Becoming(d) {
		if g.Decides == 0 || !v.ReadsUser(g.Decides) || !v.ReadsRole(g.Role) || g.User != 0 && !v.ReadsUser(g.User) {
			continue
		}
		if people[g.Decides] == nil {
			people[g.Decides] = map[fact.UserID]bool{}
			order = append(order, g.Decides)
		}
		if g.User != 0 {
			people[g.Decides][g.User] = true
		}
		if label := change.RoleLabel(&d.Snapshot, g.Role); !slices.Contains(roles[g.Decides], label) {
			roles[g.Decides] = append(roles[g.Decides], label)
		}
	}
	var out []wire.Note
	for _, id := range order {
		text := v.UserName(id) + " decides on requests for " + seeing.Listed(roles[id])
		if n := len(people[id]); n > 0 {
			text += ", of " + fact.Count(n, "user")
		}
		out = append(out, wire.Note{Code: "decides", Message: strings.TrimSuffix(text, ".") + "."})
	}
	return out
}

// wouldReview says which reviews a draft opens for whoever it moves, and who decides.
func wouldReview(v *seeing.View, d *change.Draft) []wire.Note {
	var out []wire.Note
	for _, c := range d.Changes() {
		r, ok := c.After.(*review.Round)
		if !ok || c.Before != nil || r.Moved == 0 || !v.ReadsUser(r.Moved) {
			continue
		}
		var names []string
		for i := range r.Lines {
			for _, id := range r.ReviewersOf(&d.Snapshot, &r.Lines[i], v.At) {
				if name := v.UserName(id); !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
		who := "whoever administers reviews, since nobody else decides"
		if len(names) > 0 {
			who = seeing.Listed(names)
		}
		if len(out) == mostReviews {
			return append(out, wire.Note{Code: "opens_review", Message: "More reviews are opened of what others who move were given by hand."})
		}
		out = append(out, wire.Note{Code: "opens_review", Message: fmt.Sprintf("A review is opened of what %s was given by hand before the move: %s, for %s.", v.UserName(r.Moved), fact.Count(len(r.Lines), "item"), who)})
	}
	return out
}

// mostReviews is how many reviews that a change opens are told one by one.
const mostReviews = 5
