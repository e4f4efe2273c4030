package service

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/near"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// mostOperations bounds one change made by hand; imports have their own bound.
const mostOperations = 2000

// How says how a change is to be made.
type How struct {
	DryRun bool   // only say what it would do
	Key    string // the caller's idempotency key, or nothing
	Cursor string // the page of the preview, and how many effects it has
	Limit  int
}

// Change makes a change, or says what it would do.
func (d *Service) Change(ctx context.Context, c Caller, req wire.ChangeRequest, how How) (wire.ChangeResult, error) {
	if !how.DryRun {
		how.Cursor = ""
	}
	ops, faults := decode(req.Operations)
	if len(req.Operations) == 0 {
		faults = append(faults, wire.Fault{Place: "/operations", Message: "is empty: there is nothing to do"})
	}
	if len(req.Operations) > mostOperations {
		faults = append(faults, wire.Fault{Place: "/operations", Message: fmt.Sprintf("has more than %d operations", mostOperations)})
	}
	if f := checkReason(req.Reason, how.DryRun); f != nil {
		faults = append(faults, *f)
	}
	faults = append(faults, acknowledgements(req.Acknowledge)...)
	place := func(f change.Fault) wire.Fault { return wire.Fault{Place: placeOf(f.Operation, f.Field)} }
	if len(faults) > 0 {
		if len(req.Operations) <= mostOperations && !slices.Contains(ops, nil) {
			faults = append(faults, d.Now(ctx, c).faultsOf(ops, place)...)
		}
		return wire.ChangeResult{}, Invalid("nothing was changed", faults...)
	}
	faults, err := d.Now(ctx, c).checkItems(ops)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, Invalid("nothing was changed", faults...)
	}
	body, err := json.Marshal(req)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	pending, seconded, faults, err := d.Now(ctx, c).makes(req.PendingChanges, req.Operations)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, Invalid("nothing was changed", faults...)
	}
	digest := sha256.Sum256(body)
	out, err := d.change(ctx, c, changing{
		Change:      ledger.Change{Author: c.User, Via: c.Via, Reason: req.Reason, Operations: ops, Key: how.Key, Request: digest[:]},
		How:         how,
		basedOn:     req.BasedOn,
		acknowledge: req.Acknowledge,
		place:       place,
		seconded:    seconded,
	})
	var refused *wire.Problem
	switch {
	case err == nil && !how.DryRun:
		d.made(ctx, c, pending, &out)
	case errors.As(err, &refused) && refused.Status == 403 && how.DryRun:
		refused.Split = d.Now(ctx, c).split(ops)
	}
	return out, err
}

// acknowledgements are the faults of acknowledgements that name no guard rail.
func acknowledgements(given []string) []wire.Fault {
	var out []wire.Fault
	var known []string
	for _, c := range change.RailCodes {
		known = append(known, string(c))
	}
	for i, code := range given {
		if !slices.Contains(known, code) {
			out = append(out, wire.Fault{Place: fmt.Sprintf("/acknowledge/%d", i), Message: unknown("guard rail", code, known), DidYouMean: near.Of(code, known)})
		}
	}
	return out
}

// unknown says that there is nothing of a kind under a name, and what may have been
// meant: in the same words everywhere.
func unknown(kind, given string, known []string) string {
	return fmt.Sprintf("there is no %s “%s”", kind, strictjson.Short(given)) + near.Words(given, known)
}

// placeOf is where in a change something lies.
func placeOf(operation int, field string) string {
	at := fmt.Sprintf("/operations/%d", operation)
	if field != "" {
		at += "/" + field
	}
	return at
}

func checkReason(reason string, dryRun bool) *wire.Fault {
	switch {
	case strings.TrimSpace(reason) == "" && !dryRun:
		return &wire.Fault{Place: "/reason", Message: "is missing: say why, for whoever asks later"}
	}
	if m := fact.CheckWords(reason, 2000); m != "" {
		return &wire.Fault{Place: "/reason", Message: m}
	}
	return nil
}

func decode(raw []json.RawMessage) ([]change.Operation, []wire.Fault) {
	var ops []change.Operation
	var out []wire.Fault
	for i, r := range raw {
		op, faults := change.DecodeOperation(r)
		for _, f := range faults {
			out = append(out, decodeFault(placeOf(i, f.Field), f))
		}
		ops = append(ops, op)
	}
	return ops, out
}

// decodeFault is a fault of an operation that cannot be read, with the verbs that may
// have been meant.
func decodeFault(place string, f change.Fault) wire.Fault {
	out := wire.Fault{Place: place, Message: f.Message}
	if f.Given == "" {
		return out
	}
	var verbs []string
	for _, kind := range change.Descriptors() {
		verbs = append(verbs, kind.Verb)
	}
	out.Message, out.DidYouMean = unknown("operation", f.Given, verbs), near.Of(f.Given, verbs)
	return out
}

// changing is a change on its way, whatever it came from.
type changing struct {
	ledger.Change
	How
	basedOn     int64
	acknowledge []string
	place       func(change.Fault) wire.Fault // where in what was sent a fault lies
	seconded    bool                          // somebody else, who may make it too, prepared all of it
	quiet       bool                          // says what it does in numbers, not operation by operation
}

func (d *Service) change(ctx context.Context, c Caller, x changing) (wire.ChangeResult, error) {
	v := d.Now(ctx, c)
	out := wire.ChangeResult{DryRun: x.DryRun, Sentences: []string{}}
	if err := d.telling.wait(c.User, d.Clock()); err != nil {
		return out, err
	}
	defer func(v *View) {
		if ctx.Err() == nil { // else the change may be judged still, and its caller is told nothing
			v.settle()
		}
	}(v)
	// look puts the view where the change is judged: the head may be newer.
	look := func(s *access.Snapshot, at calendar.Instant) {
		if v.auth == nil || v.Snapshot != s || v.at != at {
			v.Snapshot, v.today, v.at, v.auth = s, s, at, change.AuthorityOf(s, c.User, at)
		}
	}
	judge := func(draft *change.Draft, at calendar.Instant) error {
		look(draft.Base(), at)
		p, err := v.judge(draft, &x)
		out.Preview = p
		return err
	}
	x.Prepare = func(d *change.Draft, at calendar.Instant) {
		look(d.Base(), at)
		v.prepare(d)
	}
	// try applies the operations to what is the head now, outside the ledger's queue.
	try := func() (*change.Draft, []change.Operation, calendar.Instant, error) {
		at := calendar.At(d.Clock())
		draft := change.NewDraft(v.service.Ledger.Head())
		draft.Author = x.Author
		x.Prepare(draft, at)
		settled := make([]change.Operation, len(x.Operations))
		for i, op := range x.Operations {
			if err := x.Watched(i); err != nil {
				return nil, nil, at, err
			}
			settled[i] = draft.Apply(i, op, at)
		}
		draft.Finish()
		return draft, settled, at, nil
	}
	var draft *change.Draft
	if x.DryRun {
		var at calendar.Instant
		var err error
		var settled []change.Operation
		if draft, settled, at, err = try(); err != nil {
			return out, err
		}
		if err := judge(draft, at); err != nil {
			return out, err
		}
		x.Operations = settled
		out.Revision, out.Unchanged = v.today.Revision, len(draft.Changes()) == 0
	} else {
		if err := d.plainly(ctx, v, &x, try); err != nil {
			return out, err
		}
		done, err := d.Ledger.Commit(ctx, &x.Change, judge)
		switch {
		case errors.Is(err, ledger.ErrKeyReused):
			return out, problem(KindKeyReused, 409, "Idempotency key reused", "%s; use a fresh key", err)
		case err != nil:
			return out, err
		}
		out.Revision, out.At, out.Unchanged, out.Repeated = done.Revision, instant(done.At), done.Unchanged, done.Repeated
		draft, x.Operations = done.Draft, done.Operations
	}
	if draft == nil { // repeated: what it did is in the ledger
		return out, nil
	}
	v.Snapshot, v.before = &draft.Snapshot, draft.Base()
	v.today = v.Snapshot
	if speaksOfRequests(x.Operations) {
		v = v.withKnownUsers()
	}
	if !x.quiet {
		for _, op := range x.Operations {
			out.Sentences = append(out.Sentences, op.Sentence(v.Snapshot, v))
		}
	}
	if len(x.Operations) <= mostOperations { // of an import nobody reads so many notes
		out.Notes = append(v.expected(draft, x.Operations), v.coverNothing(x.Operations)...)
	}
	out.Notes = append(append(v.notes(draft), out.Notes...), append(append(v.grownSince(x.Operations), v.waitsFor(x.Operations)...), v.handOver(x.Operations)...)...)
	out.Notes = append(out.Notes, v.wouldDecide(draft)...)
	return out, nil
}

// judge decides on a draft: its faults, what its author lacks, what moved since
// they looked, and the guard rails it runs into.
func (v *View) judge(d *change.Draft, x *changing) (*wire.Preview, error) {
	if err := v.allowed(d, x.place); err != nil {
		return nil, err
	}
	p := d.Preview(v.at)
	if x.basedOn > 0 {
		if moved := d.Moved(x.basedOn); len(moved) > 0 && len(d.Changes()) > 0 {
			return nil, v.moved(moved, x.basedOn)
		}
	}
	out, err := v.preview(d, p, x.How)
	if err != nil {
		return nil, err
	}
	var stop []wire.Rail
	for _, r := range d.GuardRails(v.caller.User, p, v.at, v.counted(d)) {
		w := wire.Rail{Code: string(r.Code), Message: v.rail(r), Passable: r.Passable}
		w.Passed = r.Passable && slices.Contains(x.acknowledge, w.Code) || r.Code == change.NeedsSecondPerson && x.seconded
		if !w.Passed {
			stop = append(stop, w)
		}
		out.Rails = append(out.Rails, w)
	}
	out.Refused = len(stop) > 0
	if n := tells(stop); n > 0 && !v.seesAll() {
		v.told(n, "a guard rail that speaks of what they may not see")
	}
	if len(stop) > 0 && !x.DryRun {
		e := problem(KindGuardRail, 409, "A guard rail stands in the way", "%s", stop[0].Message)
		if stop[0].Passable {
			e.Detail += " Acknowledge " + stop[0].Code + " to go on."
		}
		e.Rails = stop
		return out, e
	}
	return out, nil
}

// counted says whom guard rails count for the caller: those they may read or give roles
// to; nil for everybody.
func (v *View) counted(d *change.Draft) func(fact.UserID) bool {
	rights := v.rights()
	if rights.ReadsAllUsers() {
		return nil
	}
	return func(id fact.UserID) bool {
		return rights.MayReadUser(&d.Snapshot, id) || rights.May(access.ActAssign, d.UserPath(id))
	}
}

// mayKnow says what the caller may know of, nil for everything.
func (v *View) mayKnow() func(fact.FactKind, uint32) bool {
	if v.seesAll() {
		return nil
	}
	return v.reads
}

// prepare sets in a draft what the caller may know and do.
func (v *View) prepare(d *change.Draft) {
	d.Visible, d.May = v.mayKnow(), v.rights().May
}

// allowed is the refusal of a draft whose author may not make it, or of one with
// faults: rights come first, so that nobody learns from the faults of a change that
// they may not make.
func (v *View) allowed(d *change.Draft, place func(change.Fault) wire.Fault) error {
	if lacks := v.rights().Lacks(d); len(lacks) > 0 {
		return v.refusal(d, lacks)
	}
	if len(d.Faults) > 0 {
		v.told(len(slices.DeleteFunc(slices.Clone(d.Faults), func(f change.Fault) bool { return !f.Tells })), "names that are taken by what they may not see")
		return Invalid("nothing was changed", v.faults(d, place)...)
	}
	if lacks := v.rights().LacksFor(d, d.RoleGains(v.at)); len(lacks) > 0 {
		return v.refusal(d, lacks)
	}
	return nil
}

// soonJudged is how many operations of somebody who may do everything wait for no
// trial: judging them in the ledger's queue keeps nobody waiting.
const soonJudged = 8

// plainly refuses a change that is to be refused, without keeping the ledger's queue
// busy: it is tried on what is the head now. What is let through is judged again
// there. A change that was made before under its key is let through, to be told so.
func (d *Service) plainly(ctx context.Context, v *View, x *changing, try func() (*change.Draft, []change.Operation, calendar.Instant, error)) error {
	if len(x.Operations) <= soonJudged && v.MayAll() {
		return nil
	}
	draft, _, _, err := try()
	if err == nil {
		err = v.allowed(draft, x.place)
	}
	if err == nil || x.Change.Key == "" {
		return err
	}
	if _, known, lost := d.Ledger.Known(ctx, &x.Change); known || lost != nil {
		return lost // the ledger tells it once more
	}
	return err
}

// MayAll says whether the caller may change everything in Able Roster.
func (v *View) MayAll() bool {
	for _, act := range []string{access.ActCreate, access.ActUpdate, access.ActAssign} {
		if !v.rights().May(act, patterns.Root) {
			return false
		}
	}
	return true
}

// mostGuessed bounds for how many faults of a change the names are told that may
// have been meant: each takes a look at all names.
const mostGuessed = 25

// faults are those of a draft, with the names that may have been meant.
func (v *View) faults(d *change.Draft, place func(change.Fault) wire.Fault) []wire.Fault {
	var out []wire.Fault
	for i, f := range d.Faults {
		w := place(f)
		w.Message = f.Message
		if i < mostLookedUp {
			w.Message += v.lastRevoked(f)
		}
		if f.Given != "" && i < mostGuessed {
			w.DidYouMean = v.near(f.Subject, f.Given)
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
func (v *View) lastRevoked(f change.Fault) string {
	if f.NotHeld == nil {
		return ""
	}
	ctx, cancel := context.WithTimeout(v.ctx, lookUpLasts)
	defer cancel()
	n, at, err := v.service.Ledger.LastRevoked(ctx, f.NotHeld.Assignee, f.NotHeld.Role)
	if err != nil || n == 0 {
		return ""
	}
	return fmt.Sprintf(". It was revoked on %s (revision %d)", at.In(v.Zone()).Format("2 Jan 2006"), n)
}

// faultsOf are those that operations would run into, tried for nothing else.
func (v *View) faultsOf(ops []change.Operation, place func(change.Fault) wire.Fault) []wire.Fault {
	return v.faults(v.try(ops).draft, place)
}

func (v *View) refusal(d *change.Draft, lacks []change.Refusal) *wire.Problem {
	e := Refused("nothing was changed: you may not do this")
	seen := map[string]bool{}
	for _, l := range lacks {
		f := wire.Fault{Place: "/"}
		e.About = append(e.About, spokenOf(&l)...)
		switch {
		case l.Need != nil:
			f.Place = fmt.Sprintf("/operations/%d", l.Need.Operation)
			f.Message = "you may not " + l.Need.What
		case l.Gain.Decides != 0 || l.Gain.Group != 0:
			f.Message = v.becomes(d, l.Gain)
		case l.Gain.User == 0:
			f.Message = v.anybody(d, &l)
		case !v.rights().MayReadUser(&d.Snapshot, l.Gain.User):
			f.Message = "somebody outside your part would come to hold " + v.draftRole(d, l.Gain.Role)
		case l.PassedOn:
			f.Message = fmt.Sprintf("%s would get rights in Able Roster that you do not hold through one assignment of yours, by %s", v.gainer(d, l.Gain.User), v.draftRole(d, l.Gain.Role))
		default:
			f.Message = fmt.Sprintf("%s would come to hold %s, which you may not assign there", v.gainer(d, l.Gain.User), v.draftRole(d, l.Gain.Role))
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
	for _, id := range []fact.UserID{l.Gain.User, l.Gain.Decides} {
		if id != 0 {
			out = append(out, id.String())
		}
	}
	return out
}

// becomes says on what somebody would come to decide, which the caller could not give
// themselves.
func (v *View) becomes(d *change.Draft, g *change.RoleGain) string {
	who := "whoever is in the group"
	if g.Decides != 0 {
		who = v.gainer(d, g.Decides)
		if v.today.User(g.Decides) != nil && !v.readsUser(g.Decides) {
			who = "somebody " + Outside
		}
	}
	whose := "anybody who may hold it"
	if g.User != 0 {
		whose = v.gainer(d, g.User)
	}
	return fmt.Sprintf("%s would decide on requests for %s for %s: you may not assign it there yourself", who, v.draftRole(d, g.Role), whose)
}

// anybody says what everybody somewhere could come to hold.
func (v *View) anybody(d *change.Draft, l *change.Refusal) string {
	where := "anybody in the organisation"
	if unit, ok := strings.CutPrefix(l.Gain.Within, "users/"); ok {
		where = "anybody in " + unit
	}
	role := v.draftRole(d, l.Gain.Role)
	switch {
	case l.PassedOn:
		return fmt.Sprintf("%s could come to have rights in Able Roster that you do not hold through one assignment, by %s", where, role)
	case l.Gain.Also != 0:
		return fmt.Sprintf("%s could come to hold %s, with permissions in %s, whose roles you may not assign there", where, role, d.Application(l.Gain.Also).Key)
	}
	return fmt.Sprintf("%s could come to hold %s, which you may not assign there. Say within which unit it may be held (held_within)", where, role)
}

func (v *View) gainer(d *change.Draft, id fact.UserID) string {
	if id == 0 {
		return "everybody"
	}
	if u := d.User(id); u != nil {
		return label(u)
	}
	return Outside
}

// draftRole names a role of a draft, were it only made in it.
func (v *View) draftRole(d *change.Draft, id fact.RoleID) string {
	if v.today.Role(id) != nil && !v.readsRole(id) {
		return "a role " + Outside
	}
	return "the role " + d.RoleKey(id)
}

// moved tells the author of a change what others did since they looked.
func (v *View) moved(subjects []change.Subject, basedOn int64) error {
	e := problem(KindMoved, 409, "Somebody was faster", "nothing was changed: what this change builds on has moved since revision %d; look again and decide anew", basedOn)
	for _, s := range subjects {
		m := wire.Moved{What: v.subjectRef(s)}
		revs, err := v.service.Ledger.History(v.ctx, ledger.HistoryFilter{Subject: []string{subjectID(s)}}, 1)
		if err == nil && len(revs) > 0 && revs[0].Revision > basedOn {
			r := v.revision(revs[0], subjectID(s))
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

func subjectID(s change.Subject) string { return fmt.Sprintf("%s-%d", s.Kind, s.Row) }

func (v *View) subjectRef(s change.Subject) wire.Ref {
	switch s.Kind {
	case fact.FactUser:
		return v.userRef(fact.UserID(s.Row))
	case fact.FactGroup:
		return v.groupRef(fact.GroupID(s.Row), false)
	case fact.FactRole:
		return v.roleRef(fact.RoleID(s.Row), false)
	}
	return v.applicationRef(fact.ApplicationID(s.Row), false)
}

// mostNamed bounds how many users of one class an effect names, and
// effectsAPage how many effects there are on a page unless asked otherwise.
const (
	mostNamed    = 50
	effectsAPage = 100
)

func (v *View) preview(d *change.Draft, p change.Preview, how How) (*wire.Preview, error) {
	out := &wire.Preview{Effects: []wire.Effect{}}
	w := *v
	w.Snapshot = &d.Snapshot
	out.Outside = !w.seesAll() // always: whether there is anybody is not told
	w.today = w.Snapshot       // those a change adds are seen where it puts them
	out.States = w.states(d)
	everybody := w.rights().ReadsAllUsers()
	type part struct {
		effect *wire.Effect
		users  []fact.UserID
	}
	var first, rest []part
	for _, e := range alike(p.Effects) {
		seen, early := e.Users, 0
		if !everybody {
			seen = slices.DeleteFunc(slices.Clone(e.Users), func(id fact.UserID) bool { return id != 0 && !w.readsUser(id) })
		}
		for _, id := range seen {
			if e.early[id] {
				early++
			}
		}
		x := &wire.Effect{UserCount: len(seen), EndEarly: early}
		x.Gained = w.entitlements(e.Gained)
		x.Lost = w.entitlements(e.Lost)
		if len(seen) == 0 || len(x.Gained)+len(x.Lost) == 0 {
			continue
		}
		if len(x.Gained) > 0 {
			out.UsersGaining += x.UserCount
		}
		if len(x.Lost) > 0 {
			out.UsersLosing += x.UserCount
		}
		out.Gained += x.UserCount * len(x.Gained)
		out.Lost += x.UserCount * len(x.Lost)
		for some := range slices.Chunk(seen, mostNamed) {
			if len(first) == out.EffectCount {
				first = append(first, part{x, some})
			} else {
				rest = append(rest, part{x, some})
			}
		}
		out.EffectCount++
	}
	page, next, err := cut(append(first, rest...), how.Cursor, cmp.Or(how.Limit, effectsAPage))
	if err != nil {
		return nil, err
	}
	out.Next = next
	for _, x := range page {
		e := *x.effect
		for _, id := range x.users {
			ref := wire.Ref{Label: "Nobody signed in"}
			if id != 0 {
				ref = w.userRef(id)
			}
			e.Users = append(e.Users, ref)
		}
		out.Effects = append(out.Effects, e)
	}
	return out, nil
}

// entitlements are those in applications the caller may read, and whether
// there are others.
func (v *View) entitlements(es []query.Entitlement) (out []wire.Entitlement) {
	for _, e := range es {
		if v.readsApplication(e.Application) {
			out = append(out, v.entitlement(e, false))
		}
	}
	return out
}

// entitlement draws one; own lets its application be named to whoever may not
// read it otherwise.
func (v *View) entitlement(e query.Entitlement, own bool) wire.Entitlement {
	x := wire.Entitlement{Application: v.applicationRef(e.Application, own), Action: e.Action, Target: e.Target, Own: e.Own, Schedule: schedule(e.Schedule),
		From: instant(e.When[0].From), Until: instant(e.When[0].Until), When: v.when(e.When)}
	if e.When[0].From <= v.at {
		x.From = nil // from now on
	}
	return x
}

// when is each of several times from the view's instant on; none where there is one.
func (v *View) when(all calendar.Intervals) []wire.Window {
	var out []wire.Window
	for _, w := range all.From(v.at) {
		x := wire.Window{From: instant(w.From), Until: instant(w.Until)}
		if w.From <= v.at {
			x.From = nil // from now on
		}
		out = append(out, x)
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

func (v *View) rail(r change.Rail) string {
	switch r.Code {
	case change.LastAdministrator:
		return "Nobody would be left who can administer Able Roster without a window or an end date. No acknowledgement is possible: make somebody else administrator first."
	case change.OwnAccessLowered:
		return "You would lose some of your own rights in Able Roster."
	case change.GainForEverybody:
		return "Everybody would gain by this, those not here yet too."
	case change.AdministeringGain:
		return "Rights to administer Able Roster would be given to " + v.several(r.Users) + "."
	case change.ViolationPrevented, change.ViolationWarned:
		return v.sodRuleRail(r)
	case change.ExpectationBroken, change.ExpectationWarned:
		return v.expectationRail(r)
	case change.WideLoss:
		return fmt.Sprintf("%s would lose all they have in %s: %.0f %% of those who have anything there.", v.several(r.Users), v.applicationRef(r.Application, false).Label, 100*r.Share)
	case change.LeavingLive:
		return v.leavingLive(r)
	case change.NeedsSecondPerson:
		return "A second person must make this change: pass it on to somebody who may. No acknowledgement is possible."
	case change.ApplicationDepends:
		return fmt.Sprintf("%s checks access as %s, which could no longer do so: its checks would be refused.", v.applicationRef(r.Application, false).Label, v.several(r.Users))
	case change.DirectAssignment:
		return fmt.Sprintf("Roles of %s are meant to be given through groups, and this gives one to %s directly.", v.applicationRef(r.Application, false).Label, v.several(r.Users))
	case change.WideGain:
		return fmt.Sprintf("%.0f %% of all active users would gain by this.", 100*r.Share)
	}
	return string(r.Code)
}

// several names or counts the users the caller may read.
func (v *View) several(ids []fact.UserID) string {
	seen := slices.DeleteFunc(slices.Clone(ids), func(id fact.UserID) bool { return id == 0 || !v.readsUser(id) })
	switch {
	case len(ids) == 1 && ids[0] == 0:
		return "whomever the rule will choose"
	case len(seen) == 0:
		return "somebody " + Outside
	case len(seen) == 1:
		return v.UserName(seen[0])
	}
	return fmt.Sprintf("%d users", len(seen))
}

// notes say what was so already, and since when.
func (v *View) notes(d *change.Draft) []wire.Note {
	var out []wire.Note
	for _, n := range d.Notes {
		text := "This is so already."
		switch n.Code {
		case change.AlreadyHeld:
			text = "The role is held already, with the same limits."
		case change.AlreadyMember:
			text = "The membership is there already, with the same limits."
		}
		note := wire.Note{Operation: n.Operation, Code: string(n.Code), Message: text}
		if n.Since > 0 && n.Since <= d.Base().Revision {
			note.Since = &wire.Given{Revision: n.Since}
		}
		out = append(out, note)
	}
	v.reasons(func(g giving) {
		for i := range out {
			g(&out[i].Since)
		}
	})
	for i := range out {
		if s := out[i].Since; s != nil && !s.At.IsZero() {
			out[i].Message = strings.TrimSuffix(out[i].Message, ".") + ", since " + s.At.In(v.Zone()).Format("2 January 2006") + fmt.Sprintf(" (revision %d).", s.Revision)
		}
	}
	return out
}
