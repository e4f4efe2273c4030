package effect

import (
	"cmp"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// Effect is what a draft does to users who gain and lose the same. Nobody signed
// in stands as user 0.
type Effect struct {
	Users  []fact.UserID
	Gained []query.Entitlement
	Lost   []query.Entitlement
}

// Preview is the effect of a draft, from an instant on.
type Preview struct {
	Effects []Effect
	Touched []fact.UserID // all users whose access had to be looked at
}

// manyTouched is from how many users on the work is shared by all processors.
const manyTouched = 2000

// manyAlike is from how many users on it pays to look first at what bears on the change.
const manyAlike = 100

// Of works out what the draft gives and takes from an instant on, once
// for each class of users whose holdings are equal before and after, and puts
// together those who gain and lose the same, the most first.
func Of(d *change.Draft, from calendar.Instant) Preview {
	p := Preview{Touched: touchedUsers(d)}
	var b *query.Bearing
	if len(p.Touched) >= manyAlike {
		b = query.BearingOn(d.Base(), &d.Snapshot, d.Changes())
	}
	parts := []effects{{}}
	if len(p.Touched) < manyTouched || d.Calm != nil {
		parts[0] = effectsOn(d, b, p.Touched, from)
	} else {
		n := runtime.GOMAXPROCS(0)
		parts = make([]effects, n)
		var wait caught.Group
		for i := range parts {
			wait.Go(func() { // each reads the draft and writes its own part
				parts[i] = effectsOn(d, b, p.Touched[len(p.Touched)*i/n:len(p.Touched)*(i+1)/n], from)
			})
		}
		wait.Wait()
	}
	p.Effects = parts[0].all
	alike := parts[0].alike
	for _, more := range parts[1:] {
		for k := range more.all {
			e := &more.all[k]
			if i, ok := alike[more.texts[k]]; ok {
				p.Effects[i].Users = append(p.Effects[i].Users, e.Users...)
			} else {
				alike[more.texts[k]] = len(p.Effects)
				p.Effects = append(p.Effects, *e)
			}
		}
	}
	slices.SortStableFunc(p.Effects, func(a, b Effect) int { return cmp.Compare(len(b.Users), len(a.Users)) })
	return p
}

// effects are those on some users, each with a text that is equal for equal ones.
type effects struct {
	all   []Effect
	texts []string
	alike map[string]int // where each text stands
}

func effectsOn(d *change.Draft, b *query.Bearing, users []fact.UserID, from calendar.Instant) effects {
	out := effects{alike: map[string]int{}}
	class := map[string]int{} // the place among the effects, or -1 for none
	var k []byte
	for n, id := range users {
		d.Rest(n)
		if len(users) > 1 { // one is a class of their own
			k = query.AppendChange(d.Base(), &d.Snapshot, b, k[:0], id, from)
		}
		i, ok := class[string(k)]
		if !ok {
			g, l := query.DifferenceOn(d.Base(), &d.Snapshot, b, id, from)
			i = -1
			if len(g)+len(l) > 0 {
				text := effectText(g) + "\n" + effectText(l)
				if i, ok = out.alike[text]; !ok {
					i = len(out.all)
					out.alike[text] = i
					out.all = append(out.all, Effect{Gained: g, Lost: l})
					out.texts = append(out.texts, text)
				}
			}
			class[string(k)] = i
		}
		if i >= 0 {
			out.all[i].Users = append(out.all[i].Users, id)
		}
	}
	return out
}

// effectText is equal for equal entitlements.
func effectText(es []query.Entitlement) string {
	var b strings.Builder
	for i := range es {
		e := &es[i]
		b.WriteString(strconv.FormatUint(uint64(e.Application), 36))
		for _, x := range []string{e.Action, e.Target, e.Schedule.String()} {
			b.WriteByte(0) // in no name
			b.WriteString(x)
		}
		if e.Own {
			b.WriteString(" own")
		}
		for _, w := range e.When {
			b.WriteByte(' ')
			b.WriteString(strconv.FormatInt(int64(w.From), 36))
			b.WriteByte('-')
			b.WriteString(strconv.FormatInt(int64(w.Until), 36))
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// touchedUsers are the users whose access a draft may alter, in order of id,
// nobody (0) first: those below what changed, before it and after.
func touchedUsers(d *change.Draft) []fact.UserID {
	set := map[fact.UserID]struct{}{}
	add := func(id fact.UserID) { set[id] = struct{}{} }
	for _, c := range d.Changes() {
		for i, f := range []fact.Fact{c.Before, c.After} {
			if f == nil {
				continue
			}
			s := d.Base()
			if i == 1 {
				s = &d.Snapshot
			}
			below(s, f, add)
		}
	}
	out := make([]fact.UserID, 0, len(set))
	for id := range set {
		out = append(out, id)
	}
	slices.Sort(out)
	return out
}

// below calls add for every user whose access a fact may bear on.
func below(s *access.Snapshot, f fact.Fact, add func(fact.UserID)) {
	member := func(m fact.Member) {
		if m.User != 0 {
			add(m.User)
			return
		}
		if m.Group == fact.PublicGroup {
			add(0)
		}
		s.EachMember(m.Group, map[fact.GroupID]bool{}, add)
	}
	switch f := f.(type) {
	case *fact.Organisation:
		s.EachMember(fact.PublicGroup, nil, add)
	case *fact.User:
		add(f.ID)
	case fact.OfUser:
		add(f.Whose())
	case *fact.EmploymentType:
		for u := range s.Users() {
			if fact.Fold(u.Employment) == fact.Fold(f.Key) {
				add(u.ID)
			}
		}
	case *fact.Group:
		if f.Filter != "" {
			s.EachChosen(f.ID, add)
		}
	case *fact.Membership:
		member(f.Member)
	case *fact.Assignment:
		member(f.Assignee)
	case *fact.Role:
		s.HoldersBelow(f.ID, add)
	case *fact.Inclusion:
		s.HoldersBelow(f.Role, add)
	case *fact.Permission:
		s.HoldersBelow(f.Role, add)
	case *fact.Application:
		query.HoldersIn(s, f.ID, add)
	case *fact.Resource:
		query.HoldersIn(s, f.Application, add)
	case *fact.Fence:
		query.HoldersIn(s, f.Application, add)
	}
}
