package review

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/query"
)

func init() {
	change.Register(&OpenRound{}, "Open a review round")
	change.Register(&DecideItems{}, "Decide on items of a review: keep them, or revoke them at the sign-off")
	change.Register(&SignOff{}, "Sign a review off: what is to be revoked and held directly is revoked, and the rest waits for whoever owns the group or the rule")
	change.Register(&SettlePendingRemoval{}, "Settle what a sign-off left for the owner of a group or a rule; the reason says what came of it")
}

// RoundRef names a round by key or id.
type RoundRef string

// Refers marks it as a reference; see change.Descriptor.
func (RoundRef) Refers() {}

// PendingRemovalRef names a pending removal by its id.
type PendingRemovalRef string

// Refers marks it as a reference.
func (PendingRemovalRef) Refers() {}

// OpenRound opens a round of review.
type OpenRound struct {
	Key         string                `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string                `json:"label,omitempty" doc:"what people call it"`
	Application change.ApplicationRef `json:"application,omitempty" doc:"who holds what in it"`
	Group       change.GroupRef       `json:"group,omitempty" doc:"or: what its members hold"`
	Filter      string                `json:"filter,omitempty" flag:"where" doc:"or: what those hold whom a filter (RFC 7644, section 3.4.2.2) over users' facts chooses"`
	People      []change.UserRef      `json:"people,omitempty" flag:"person" doc:"or: what these users hold"`
	ByHand      bool                  `json:"by_hand,omitempty" doc:"only what somebody gave by hand, and no rule: such as after a move"`
	Reviewers   Whose                 `json:"reviewers" enum:"manager,unit_head,owner,users" doc:"who decides: each user's manager, the head of each user's unit, each role's owner, or named users"`
	Users       []change.UserRef      `json:"users,omitempty" doc:"the named ones"`

	Round RoundRef `json:"round,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*OpenRound) Verb() string { return "open_round" }

// ApplyTo implements change.Operation.
func (o OpenRound) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActCreate, "reviews", "open reviews") {
		return
	}
	if len(o.People) == 0 && !d.Need(access.ActRead, fact.RuleReach(o.Filter), "read all whom the review looks at") {
		return
	}
	if strings.HasPrefix(fact.Fold(o.Key), ofMoves) && !d.Judged("key", "begins with %s, as those of reviews that moves open do: choose another", ofMoves) {
		return
	}
	ok := d.CheckNew(o.Key, FindRound(&d.Snapshot, o.Key) != nil, &o.Label, "")
	f := &Round{Key: o.Key, Label: o.Label, Filter: o.Filter, Reviewers: o.Reviewers, Opener: d.Author, Fixed: d.Revision, At: d.At(), State: Open, ByHand: o.ByHand}
	given := 0
	for _, x := range []string{string(o.Application), string(o.Group), o.Filter} {
		if x != "" {
			given++
		}
	}
	if len(o.People) > 0 {
		given++
	}
	if given != 1 {
		d.Fault("application", "name one of application, group, filter and people: what the round looks at")
		ok = false
	}
	o.People = slices.Clone(o.People)
	for i := range o.People {
		id, found := d.SettleUser("people", &o.People[i])
		if ok = ok && found; found && !slices.Contains(f.People, id) {
			f.People = append(f.People, id)
			ok = d.Need(access.ActRead, d.UserPath(id), "read %s", d.User(id).UserName) && ok
		}
	}
	if o.Application != "" {
		id, found := d.SettleApplication("application", &o.Application)
		f.Application, ok = id, ok && found
	}
	if o.Group != "" {
		id, found := d.SettleGroup("group", &o.Group)
		f.Group, ok = id, ok && found
	}
	if o.Filter != "" {
		for _, m := range d.CheckRule(o.Filter) {
			d.Fault("filter", "%s", m)
			ok = false
		}
	}
	switch {
	case o.Reviewers != Manager && o.Reviewers != Head && o.Reviewers != Owner && o.Reviewers != Users:
		d.Fault("reviewers", "are the manager, the unit_head, the owner, or users")
		ok = false
	case (len(o.Users) > 0) != (o.Reviewers == Users):
		d.Fault("users", "are named where named users review, and only there")
		ok = false
	}
	o.Users = slices.Clone(o.Users)
	for i := range o.Users {
		id, found := d.SettleUser("users", &o.Users[i])
		f.Named, ok = append(f.Named, id), ok && found
	}
	if !ok {
		return
	}
	f.ID = RoundID(d.Allocate(FactRound))
	o.Round = RoundRef(f.ID.String())
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *OpenRound) Sentence(*access.Snapshot, change.Names) string {
	return "Opened the review " + o.Label
}

// ItemRef names an item in an operation.
type ItemRef struct {
	User       change.UserRef       `json:"user"`
	Assignment change.AssignmentRef `json:"assignment"`
}

// DecideItems decides on items of a round: keep them, or revoke them.
type DecideItems struct {
	Round RoundRef  `json:"round"`
	Items []ItemRef `json:"items"`
	Keep  bool      `json:"keep" doc:"keep them; else revoke them at the sign-off"`

	For  []change.UserRef `json:"for,omitempty" set:"service"`  // in whose place it was decided
	Last bool             `json:"last,omitempty" set:"service"` // of a round that a move opened, which it signs off
	SignedOff
}

// Verb implements change.Operation.
func (*DecideItems) Verb() string { return "decide_items" }

// round is the open round an operation names.
func round(d *change.Draft, ref *RoundRef) *Round {
	r := FindRound(&d.Snapshot, string(*ref))
	if r == nil || !d.MaySee(FactRound, uint32(r.ID)) {
		d.Missing(FactRound, "round", string(*ref))
		return nil
	}
	*ref = RoundRef(r.ID.String())
	if r.State != Open {
		d.Fault("round", "%s is signed off", r.Key)
		return nil
	}
	return r
}

// ApplyTo implements change.Operation.
func (o DecideItems) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	r := round(d, &o.Round)
	if r == nil {
		return
	}
	if len(o.Items) == 0 {
		d.Fault("items", "is empty: there is nothing to decide on")
		return
	}
	said := map[ItemKey]*Decision{}
	for _, v := range Decisions(&d.Snapshot) {
		if v.Round == r.ID {
			said[ItemKey{v.User, v.Assignment}] = v
		}
	}
	recorded := o.For // decisions made before places were have none
	o.Items, o.For = slices.Clone(o.Items), nil
	for i := range o.Items {
		l := &o.Items[i]
		n, _ := fact.ParseID("assignment", string(l.Assignment))
		a := d.Assignment(fact.AssignmentID(n))
		u, found := d.FindUser(string(l.User))
		var place fact.UserID
		reviews := false
		if found && a != nil {
			place, reviews = r.placeOf(&d.Snapshot, d.Author, u, a.Role, a.Origin == fact.ByShare, d.At())
		}
		switch {
		case !found || a == nil || a.Opened > r.Fixed || !query.HoldsThrough(&d.Snapshot, u, a):
			d.Fault("items", "%d: no such item, or it has ended since", i+1)
			return
		case u == d.Author:
			d.Fault("items", "%d: nobody reviews their own access", i+1)
			return
		case !reviews:
			d.Fault("items", "%d: you are not its reviewer", i+1)
			return
		}
		l.User = change.UserRef(u.String())
		switch of := change.UserRef(place.String()); {
		case place == 0:
		case d.Replays && !slices.Contains(recorded, of):
			place = 0
		case !slices.Contains(o.For, of):
			o.For = append(o.For, of)
		}
		old := said[ItemKey{u, a.ID}]
		if old != nil && old.Keep == o.Keep && old.By == d.Author {
			continue
		}
		v := &Decision{Round: r.ID, User: u, Assignment: a.ID, Keep: o.Keep, By: d.Author, For: place}
		if old != nil {
			v.ID = old.ID
		} else {
			v.ID = DecisionID(d.Allocate(FactDecision))
		}
		said[ItemKey{u, a.ID}] = v
		d.Put(v)
	}
	o.SignedOff = SignedOff{}
	if !d.Replays {
		o.Last = r.decided(d, said)
	}
	if o.Last {
		// On the authority of whoever set that moves open reviews: see SetMoveReviews.
		o.SignedOff = signOff(d, r, true, func(a *fact.Assignment) { d.End(a) })
	}
	return settled
}

// Sentence implements change.Operation.
func (o *DecideItems) Sentence(s *access.Snapshot, n change.Names) string {
	what := map[bool]string{true: "kept", false: "marked for revocation"}[o.Keep]
	text := ""
	if r := FindRound(s, string(o.Round)); r != nil {
		text = " in the review " + r.Label
	}
	text += inPlaceOf(s, n, o.For...)
	if o.Last {
		text += ", which is signed off: " + outcome(len(o.Revoked), len(o.Proposed), o.Gone)
	}
	if len(o.Items) == 1 {
		id, _ := s.FindUser(string(o.Items[0].User))
		return "An item of " + n.UserName(id) + " " + what + text
	}
	return fact.Count(len(o.Items), "item") + " " + what + text
}

// inPlaceOf says in whose places somebody decided; blank for their own.
func inPlaceOf(s *access.Snapshot, n change.Names, places ...change.UserRef) string {
	var names []string
	for _, ref := range places {
		if id, ok := s.FindUser(string(ref)); ok {
			names = append(names, n.UserName(id))
		}
	}
	if len(names) == 0 {
		return ""
	}
	return ", in the place of " + fact.ActionWords(names)
}

// SignOff ends a round: what is to be revoked and held directly is revoked, and
// the rest is left as pending removals for whoever owns the group or the rule.
type SignOff struct {
	Round RoundRef `json:"round"`
	SignedOff
}

// SignedOff is what came of a round.
type SignedOff struct {
	Revoked  []change.AssignmentRef `json:"revoked,omitempty" set:"service"`
	Proposed []PendingRemovalRef    `json:"proposed,omitempty" set:"service"`
	Gone     int                    `json:"gone,omitempty" set:"service"` // lines that had ended, or changed hands, meanwhile
	Counted  bool                   `json:"counted,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*SignOff) Verb() string { return "sign_off" }

// ApplyTo implements change.Operation.
func (o SignOff) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	r := round(d, &o.Round)
	if r == nil {
		return
	}
	if !d.Need(access.ActUpdate, "reviews", "sign reviews off") {
		return
	}
	o.SignedOff = signOff(d, r, o.Counted || !d.Replays, d.TakeBack) // those made before went by who was on the line then
	return settled
}

// signOff ends a round; take takes what is to be revoked and held directly.
func signOff(d *change.Draft, r *Round, counted bool, take func(*fact.Assignment)) (o SignedOff) {
	o.Counted = counted
	for _, v := range Decisions(&d.Snapshot) {
		if v.Round != r.ID || v.Keep {
			continue
		}
		a := d.Assignment(v.Assignment)
		switch {
		case a == nil: // taken back in the meantime
			o.Gone++
		case a.Assignee.User == v.User && a.Rule == 0:
			o.Revoked = append(o.Revoked, change.AssignmentRef(a.ID.String()))
			take(a)
		case o.Counted && !query.HoldsThrough(&d.Snapshot, v.User, a): // they have left the group
			o.Gone++
		default:
			p := &PendingRemoval{ID: PendingRemovalID(d.Allocate(FactPendingRemoval)), Round: r.ID, User: v.User, Role: a.Role, Assignment: a.ID, Group: a.Assignee.Group, Default: a.Rule}
			if p.Group != 0 {
				p.Default = query.DefaultInto(&d.Snapshot, v.User, p.Group)
			}
			o.Proposed = append(o.Proposed, PendingRemovalRef(p.ID.String()))
			d.Put(p)
		}
	}
	next := *r
	next.State = Signed
	d.Put(&next)
	return o
}

// Sentence implements change.Operation.
func (o *SignOff) Sentence(s *access.Snapshot, _ change.Names) string {
	r := FindRound(s, string(o.Round))
	if r == nil {
		return "Signed off " + string(o.Round)
	}
	revoked, proposed := len(o.Revoked), len(o.Proposed)
	if o.Counted {
		return "Signed off the review " + r.Label + ": " + outcome(revoked, proposed, o.Gone)
	}
	revoked, proposed = 0, 0
	for _, v := range Decisions(s) {
		if v.Round == r.ID && !v.Keep {
			revoked++
		}
	}
	for _, p := range PendingRemovals(s) {
		if p.Round == r.ID {
			proposed++
		}
	}
	return "Signed off the review " + r.Label + ": " + outcome(revoked-proposed, proposed, 0)
}

// outcome says what came of the items that were to be revoked.
func outcome(revoked, proposed, gone int) string {
	text := fact.Count(revoked, "item") + " revoked"
	if proposed > 0 {
		text += ", " + fact.Count(proposed, "removal") + " pending for the owner of the group or rule"
	}
	if gone > 0 {
		text += ", " + fact.Count(gone, "item") + " had ended already"
	}
	return text
}

// SettlePendingRemoval ends a pending removal, whatever came of it; the reason says what.
type SettlePendingRemoval struct {
	Removal PendingRemovalRef `json:"removal"`

	For change.UserRef `json:"for,omitempty" set:"service"` // in whose place, as owner
}

// Verb implements change.Operation.
func (*SettlePendingRemoval) Verb() string { return "settle_pending_removal" }

// ApplyTo implements change.Operation.
func (o SettlePendingRemoval) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	n, _ := fact.ParseID("pending-removal", string(o.Removal))
	p, _ := d.RecordFact(FactPendingRemoval, n).(*PendingRemoval)
	if p == nil || !d.MaySee(FactPendingRemoval, n) {
		d.Missing(FactPendingRemoval, "removal", string(o.Removal))
		return
	}
	if p.Settled {
		d.Fault("removal", "is settled already")
		return
	}
	owner := p.Owner(&d.Snapshot)
	acts := held.ActsFor(&d.Snapshot, d.Author, owner, d.At())
	if !acts && !d.Need(access.ActUpdate, "reviews", "settle pending removals") {
		return
	}
	recorded := o.For
	o.For = ""
	next := *p
	next.Settled, next.By = true, d.Author
	if acts && owner != d.Author && (recorded != "" || !d.Replays) {
		o.For, next.For = change.UserRef(owner.String()), owner
	}
	d.Put(&next)
	return settled
}

// Owner is whom a pending removal waits for: the owner of the group, or 0 for whoever
// administers reviews.
func (f *PendingRemoval) Owner(s *access.Snapshot) fact.UserID {
	if g := s.Group(f.Group); g != nil {
		return g.Owner
	}
	return 0
}

// Sentence implements change.Operation.
func (o *SettlePendingRemoval) Sentence(s *access.Snapshot, n change.Names) string {
	num, _ := fact.ParseID("pending-removal", string(o.Removal))
	if p, _ := s.RecordFact(FactPendingRemoval, num).(*PendingRemoval); p != nil {
		return "Settled the pending removal of " + change.RoleLabel(s, p.Role) + " of " + n.UserName(p.User) + inPlaceOf(s, n, o.For)
	}
	return "Settled " + string(o.Removal)
}
