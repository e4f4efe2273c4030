package access

import (
	"cmp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// Effect is what a draft does to users who gain and lose the same. Nobody signed
// in stands as user 0.
type Effect struct {
	Users  []UserID
	Gained []Entitlement
	Lost   []Entitlement
}

// Preview is the effect of a draft, from an instant on.
type Preview struct {
	Effects []Effect
	Touched []UserID // all users whose access had to be looked at
}

// manyTouched is from how many users on the work is shared by all processors.
const manyTouched = 2000

// Preview works out what the draft gives and takes from an instant on, once
// for each class of users whose holdings are equal before and after, and puts
// together those who gain and lose the same, the most first.
func (d *Draft) Preview(from Instant) Preview {
	p := Preview{Touched: d.touchedUsers()}
	parts := []effects{{}}
	if len(p.Touched) < manyTouched {
		parts[0] = d.effectsOn(p.Touched, from)
	} else {
		n := runtime.GOMAXPROCS(0)
		parts = make([]effects, n)
		var wait sync.WaitGroup
		for i := range parts {
			wait.Go(func() { // each reads the draft and writes its own part
				parts[i] = d.effectsOn(p.Touched[len(p.Touched)*i/n:len(p.Touched)*(i+1)/n], from)
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

func (d *Draft) effectsOn(users []UserID, from Instant) effects {
	out := effects{alike: map[string]int{}}
	class := map[string]int{} // the place among the effects, or -1 for none
	var k []byte
	for _, id := range users {
		if len(users) > 1 { // one is a class of their own
			k = d.appendHolding(d.base.appendHolding(k[:0], id, from), id, from)
		}
		i, ok := class[string(k)]
		if !ok {
			g, l := difference(d.base, &d.Snapshot, id, from)
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
func effectText(es []Entitlement) string {
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
func (d *Draft) touchedUsers() []UserID {
	set := map[UserID]struct{}{}
	add := func(id UserID) { set[id] = struct{}{} }
	for _, c := range d.Changes() {
		for i, f := range []Fact{c.Before, c.After} {
			if f == nil {
				continue
			}
			s := d.base
			if i == 1 {
				s = &d.Snapshot
			}
			s.below(f, add)
		}
	}
	out := make([]UserID, 0, len(set))
	for id := range set {
		out = append(out, id)
	}
	slices.Sort(out)
	return out
}

// below calls add for every user whose access a fact may bear on.
func (s *Snapshot) below(f Fact, add func(UserID)) {
	member := func(m Member) {
		if m.User != 0 {
			add(m.User)
			return
		}
		if m.Group == PublicGroup {
			add(0)
		}
		s.members(m.Group, map[GroupID]bool{}, add)
	}
	switch f := f.(type) {
	case *Organisation:
		s.members(PublicGroup, nil, add)
	case *User:
		add(f.ID)
	case *Group:
		if f.Filter != "" {
			s.chosenBy(f.ID, add)
		}
	case *Membership:
		member(f.Member)
	case *Assignment:
		member(f.Assignee)
	case *Role:
		s.holdersBelow(f.ID, add)
	case *Inclusion:
		s.holdersBelow(f.Role, add)
	case *Permission:
		s.holdersBelow(f.Role, add)
	case *Application:
		s.holdersOf(f.ID, add)
	case *Resource:
		s.holdersOf(f.Application, add)
	case *Fence:
		s.holdersOf(f.Application, add)
	}
}

// holdersOf calls add for everybody who holds a permission in an application.
func (s *Snapshot) holdersOf(app ApplicationID, add func(UserID)) {
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil {
			continue
		}
		for _, p := range rec.permissions {
			if s.permissions.At(int(p)).fact.Application == app {
				s.holdersBelow(RoleID(i), add)
				break
			}
		}
	}
}

// RoleGain is a role that a user comes to hold, or to hold for longer or on
// wider terms, or that gives more than it did to somebody who holds it.
type RoleGain struct {
	User   UserID // 0 is everybody, or everybody in a part: the role reaches public, all-users, or whom a rule chooses
	Role   RoleID
	Scopes []Scope // within which it is gained; none: wherever the role reaches
	Within string  // for User 0, the part of the register of users; blank is all of it
}

// RoleGains are all of them in a draft, whichever way they come about. They
// are what its author needs "assign" for. What all-users and public held
// before, they give to whoever arrives on the authority of who granted it.
func (d *Draft) RoleGains(touched []UserID, from Instant) []RoleGain {
	widened := map[RoleID]bool{}
	var everybody heldRoles
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *Permission:
			widened[f.Role] = true
		case *Assignment:
			if !ownGroups(f.Assignee.Group) {
				everybody = everybody.add(&d.Snapshot, f.Role, f.terms(), Always())
			}
		}
		if f, ok := c.Before.(*Fence); ok { // what it kept out comes in
			d.reachedAgain(f, widened)
		}
	}
	before := d.base.anybodysRoles()
	for _, h := range d.anybodysRoles() {
		if (before.find(h.role, h.text) == nil || widened[h.role]) && everybody.find(h.role, h.text) == nil {
			everybody = append(everybody, h)
		}
	}
	var out []RoleGain
	now := func(elsewhere bool, opened int64) bool { return elsewhere && opened == d.Revision }
	for _, h := range everybody {
		out = append(out, RoleGain{Role: h.role, Scopes: h.scopes})
	}
	out = append(out, d.ruleGains(widened)...)
	out = append(out, d.defaultGains(widened)...)
	out = append(out, d.promised...)
	out = append(out, d.offerGains(widened)...)
	ahead := Window{From: from}
	for _, id := range touched {
		if id == 0 {
			continue
		}
		if len(widened) > 0 {
			for _, h := range d.heldRoles(id, ownGroups) {
				if widened[h.role] {
					out = append(out, RoleGain{User: id, Role: h.role, Scopes: h.scopes})
				}
			}
		}
		// What default rules and approved requests come to give is given on the
		// authority of who wrote the rule or the route.
		before := d.base.heldRoles(id, ownGroups)
		for _, h := range d.heldRolesBut(id, ownGroups, now) {
			when := h.when
			if b := before.find(h.role, h.text); b != nil { // on the same terms
				when = when.minus(b.when)
			}
			if b := before.find(h.role, ""); b != nil { // or on none
				when = when.minus(b.when)
			}
			if !widened[h.role] && len(when.within(ahead)) > 0 {
				out = append(out, RoleGain{User: id, Role: h.role, Scopes: h.scopes})
			}
		}
	}
	slices.SortFunc(out, func(a, b RoleGain) int {
		return cmp.Or(cmp.Compare(a.User, b.User), cmp.Compare(a.Role, b.Role), compareScopes(a.Scopes, b.Scopes))
	})
	return out
}

// reachedAgain marks the roles that give more once a fence has gone.
func (d *Draft) reachedAgain(f *Fence, widened map[RoleID]bool) {
	for i := range d.roles.Len() {
		rec := d.roles.At(i)
		if rec == nil {
			continue
		}
		for _, id := range rec.permissions {
			p := d.Permission(id)
			if p.Application == f.Application && !f.passes(p.Pattern) && overlap(f.Pattern, p.Pattern) && slices.ContainsFunc(p.Actions, func(a string) bool { return a == AllActions || f.guards(a) }) {
				widened[RoleID(i)] = true
			}
		}
	}
}
