package changing

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
	"ableroster/internal/operation"
	"ableroster/internal/pace"
	"ableroster/internal/patterns"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/internal/workflows"
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
func Change(ctx context.Context, d *seeing.Service, c seeing.Caller, req wire.ChangeRequest, how How) (wire.ChangeResult, error) {
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
	if err := nameReasons(ctx, d, ops); err != nil {
		return wire.ChangeResult{}, err
	}
	if f := CheckReason(req.Reason, how.DryRun); f != nil {
		faults = append(faults, *f)
	}
	faults = append(faults, acknowledgements(req.Acknowledge)...)
	place := func(f change.Fault) wire.Fault { return wire.Fault{Place: seeing.PlaceOf(f.Operation, f.Field)} }
	if len(faults) > 0 {
		if len(req.Operations) <= mostOperations && !slices.Contains(ops, nil) {
			faults = append(faults, FaultsOf(d.Now(ctx, c), ops, place)...)
		}
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	faults, err := workflows.CheckItems(d.Now(ctx, c), ops)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	body, err := json.Marshal(req)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	pending, seconded, faults, err := makes(d.Now(ctx, c), req.PendingChanges, req.Operations)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	digest := sha256.Sum256(body)
	out, err := Make(ctx, d, c, Wanted{
		Change:      ledger.Change{Author: c.User, Via: c.Via, Reason: req.Reason, Operations: ops, Key: how.Key, Request: digest[:]},
		How:         how,
		basedOn:     req.BasedOn,
		Acknowledge: req.Acknowledge,
		Place:       place,
		seconded:    seconded,
	})
	var refused *wire.Problem
	switch {
	case err == nil && !how.DryRun:
		made(ctx, d, c, pending, &out)
	case errors.As(err, &refused) && refused.Status == 403 && how.DryRun:
		refused.Split = split(d.Now(ctx, c), ops)
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

// CheckReason is the fault of a reason that says nothing, or too much; nil for none.
func CheckReason(reason string, dryRun bool) *wire.Fault {
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
			out = append(out, decodeFault(seeing.PlaceOf(i, f.Field), f))
		}
		ops = append(ops, op)
	}
	return ops, out
}

// nameReasons gives operations that erase a reason the digest that stands for it.
func nameReasons(ctx context.Context, d *seeing.Service, ops []change.Operation) (err error) {
	for _, op := range ops {
		if o, ok := op.(*operation.EraseReason); ok && err == nil {
			o.Digest, err = d.Ledger.ReasonDigest(ctx, o.Revision)
		}
	}
	return err
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

// Wanted is a change on its way, whatever it came from.
type Wanted struct {
	ledger.Change
	How
	basedOn     int64
	Acknowledge []string
	Place       func(change.Fault) wire.Fault // where in what was sent a fault lies
	seconded    bool                          // somebody else, who may make it too, prepared all of it
	counted     change.Counted                // what it does to all of them
	Quiet       bool                          // says what it does in numbers, not operation by operation
}

// Make judges a change and, unless it is a dry run, commits it.
func Make(ctx context.Context, d *seeing.Service, c seeing.Caller, x Wanted) (wire.ChangeResult, error) {
	v := d.Now(ctx, c)
	out := wire.ChangeResult{DryRun: x.DryRun, Sentences: []string{}}
	if err := d.Telling.Wait(c.User, d.Clock()); err != nil {
		return out, err
	}
	defer func(v *seeing.View) {
		if ctx.Err() == nil { // else the change may be judged still, and its caller is told nothing
			v.Settle()
		}
	}(v)
	// look puts the view where the change is judged: the head may be newer.
	look := func(s *access.Snapshot, at calendar.Instant) {
		v.JudgeBy(s, at)
	}
	judge := func(draft *change.Draft, at calendar.Instant) error {
		look(draft.Base(), at)
		p, err := judge(v, draft, &x)
		out.Preview = p
		return err
	}
	x.Prepare = func(d *change.Draft, at calendar.Instant) {
		look(d.Base(), at)
		prepare(v, d)
	}
	x.Rejudge = func(d *change.Draft, after *access.Snapshot, at calendar.Instant) error {
		look(d.Base(), at)
		return judgeAgain(v, d, after, &x)
	}
	// try applies the operations to what is the head now, outside the ledger's queue.
	try := func() (*change.Draft, []change.Operation, calendar.Instant, error) {
		at := calendar.At(d.Clock())
		draft := change.NewDraft(v.Service.Ledger.Head())
		draft.Author = x.Author
		if len(x.Operations) >= ledger.StagedFrom {
			draft.Calm = pace.GiveWay
		}
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
		out.Revision, out.Unchanged = v.UncutToday().Revision, len(draft.Changes()) == 0
	} else {
		if err := plainly(ctx, d, v, &x, try); err != nil {
			return out, err
		}
		done, err := d.Ledger.Commit(ctx, &x.Change, judge)
		switch {
		case errors.Is(err, ledger.ErrKeyReused):
			return out, seeing.Problem(seeing.KindKeyReused, 409, "Idempotency key reused", "%s; use a fresh key", err)
		case err != nil:
			return out, err
		}
		out.Revision, out.At, out.Unchanged, out.Repeated = done.Revision, seeing.Instant(done.At), done.Unchanged, done.Repeated
		draft, x.Operations = done.Draft, done.Operations
	}
	if draft == nil { // repeated: what it did is in the ledger
		return out, nil
	}
	v.ShowChange(draft.Base(), &draft.Snapshot)
	if workflows.SpeaksOfRequests(x.Operations) {
		v = v.WithKnownUsers()
	}
	if !x.Quiet {
		for _, op := range x.Operations {
			out.Sentences = append(out.Sentences, op.Sentence(v.Uncut(), v))
		}
	}
	if len(x.Operations) <= mostOperations { // of an import nobody reads so many notes
		out.Notes = append(expected(v, draft, x.Operations), coverNothing(v, x.Operations)...)
	}
	out.Notes = append(append(notes(v, draft), out.Notes...), append(append(workflows.GrownSince(v, x.Operations), workflows.WaitsFor(v, x.Operations)...), handOver(v, x.Operations)...)...)
	out.Notes = append(out.Notes, wouldDecide(v, draft)...)
	return out, nil
}

// judge decides on a draft: its faults, what its author lacks, what moved since
// they looked, and the guard rails it runs into.
func judge(v *seeing.View, d *change.Draft, x *Wanted) (*wire.Preview, error) {
	if err := allowed(v, d, x.Place); err != nil {
		return nil, err
	}
	p := d.Preview(v.At)
	if x.basedOn > 0 {
		if moved := d.Moved(x.basedOn); len(moved) > 0 && len(d.Changes()) > 0 {
			return nil, movedSince(v, moved, x.basedOn)
		}
	}
	out, err := preview(v, d, p, x.How)
	if err != nil {
		return nil, err
	}
	sees := counted(v, d)
	x.counted = d.Count(p, sees)
	return out, stopped(v, d.GuardRails(v.Caller.User, p, v.At, sees), x, out)
}

// judgeAgain decides once more on a large change that was judged before others made theirs:
// on what it does to those whom they gave something, and on what is counted over all.
func judgeAgain(v *seeing.View, d *change.Draft, after *access.Snapshot, x *Wanted) error {
	if len(d.Changes()) > 0 {
		if err := allowed(v, d, x.Place); err != nil {
			return err
		}
		if err := stopped(v, d.GuardRails(v.Caller.User, d.Preview(v.At), v.At, counted(v, d)), x, new(wire.Preview)); err != nil {
			return err
		}
	}
	return stopped(v, x.counted.RailsAgain(d.Base(), after, v.At, counted(v, d)), x, new(wire.Preview))
}

// stopped puts guard rails into a preview, and refuses a change that one of them stops.
func stopped(v *seeing.View, rails []change.Rail, x *Wanted, out *wire.Preview) error {
	var stop []wire.Rail
	for _, r := range rails {
		w := wire.Rail{Code: string(r.Code), Message: rail(v, r), Passable: r.Passable}
		w.Passed = r.Passable && slices.Contains(x.Acknowledge, w.Code) || r.Code == change.NeedsSecondPerson && x.seconded
		if !w.Passed {
			stop = append(stop, w)
		}
		out.Rails = append(out.Rails, w)
	}
	out.Refused = len(stop) > 0
	if n := seeing.Tells(stop); n > 0 && !v.SeesAll() {
		v.Told(n, "a guard rail that speaks of what they may not see")
	}
	if len(stop) > 0 && !x.DryRun {
		e := seeing.Problem(seeing.KindGuardRail, 409, "A guard rail stands in the way", "%s", stop[0].Message)
		if stop[0].Passable {
			e.Detail += " Acknowledge " + stop[0].Code + " to go on."
		}
		e.Rails = stop
		return e
	}
	return nil
}

// counted says whom guard rails count for the caller: those they may read or give roles
// to; nil for everybody.
func counted(v *seeing.View, d *change.Draft) func(fact.UserID) bool {
	rights := v.Rights()
	if rights.ReadsAllUsers() {
		return nil
	}
	return func(id fact.UserID) bool {
		return rights.MayReadUser(&d.Snapshot, id) || rights.May(access.ActAssign, d.UserPath(id))
	}
}

// mayKnow says what the caller may know of, nil for everything.
func mayKnow(v *seeing.View) func(fact.FactKind, uint32) bool {
	if v.SeesAll() {
		return nil
	}
	return v.ReadsThing
}

// prepare sets in a draft what the caller may know and do.
func prepare(v *seeing.View, d *change.Draft) {
	d.Visible, d.May = mayKnow(v), v.Rights().May
}

// allowed is the refusal of a draft whose author may not make it, or of one with
// faults: rights come first, so that nobody learns from the faults of a change that
// they may not make.
func allowed(v *seeing.View, d *change.Draft, place func(change.Fault) wire.Fault) error {
	if lacks := v.Rights().Lacks(d); len(lacks) > 0 {
		return refusal(v, d, lacks)
	}
	if len(d.Faults) > 0 {
		v.Told(len(slices.DeleteFunc(slices.Clone(d.Faults), func(f change.Fault) bool { return !f.Tells })), "names that are taken by what they may not see")
		return seeing.Invalid("nothing was changed", faultsIn(v, d, place)...)
	}
	if lacks := v.Rights().LacksFor(d, d.RoleGains(v.At)); len(lacks) > 0 {
		return refusal(v, d, lacks)
	}
	return nil
}

// soonJudged is how many operations of somebody who may do everything wait for no
// trial: judging them in the ledger's queue keeps nobody waiting.
const soonJudged = 8

// plainly refuses a change that is to be refused, without keeping the ledger's queue
// busy: it is tried on what is the head now. What is let through is judged again
// there. Large changes of those who may make any are judged beside the queue anyway. A change that was made before under its key is let through, to be told so.
func plainly(ctx context.Context, d *seeing.Service, v *seeing.View, x *Wanted, try func() (*change.Draft, []change.Operation, calendar.Instant, error)) error {
	if n := len(x.Operations); (n <= soonJudged || n >= ledger.StagedFrom) && MayAll(v) {
		return nil
	}
	draft, _, _, err := try()
	if err == nil {
		err = allowed(v, draft, x.Place)
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
func MayAll(v *seeing.View) bool {
	for _, act := range []string{access.ActCreate, access.ActUpdate, access.ActAssign} {
		if !v.Rights().May(act, patterns.Root) {
			return false
		}
	}
	return true
}

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
		case l.Need != nil:
			f.Place = fmt.Sprintf("/operations/%d", l.Need.Operation)
			f.Message = "you may not " + l.Need.What
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
	for _, id := range []fact.UserID{l.Gain.User, l.Gain.Decides} {
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
		revs, err := v.Service.Ledger.History(v.Ctx, ledger.HistoryFilter{Subject: []string{seeing.SubjectID(s)}}, 1)
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

func preview(v *seeing.View, d *change.Draft, p change.Preview, how How) (*wire.Preview, error) {
	out := &wire.Preview{Effects: []wire.Effect{}}
	w := *v
	w.ShowDraft(&d.Snapshot)
	out.Outside = !w.SeesAll() // always: whether there is anybody is not told
	out.States = states(&w, d)
	everybody := w.Rights().ReadsAllUsers()
	type part struct {
		effect *wire.Effect
		users  []fact.UserID
	}
	var first, rest []part
	for _, e := range alike(p.Effects) {
		seen, early := e.Users, 0
		if !everybody {
			seen = slices.DeleteFunc(slices.Clone(e.Users), func(id fact.UserID) bool { return id != 0 && !w.ReadsUser(id) })
		}
		for _, id := range seen {
			if e.early[id] {
				early++
			}
		}
		x := &wire.Effect{UserCount: len(seen), EndEarly: early}
		x.Gained = w.Entitlements(e.Gained)
		x.Lost = w.Entitlements(e.Lost)
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
		for some := range slices.Chunk(seen, seeing.MostNamed) {
			if len(first) == out.EffectCount {
				first = append(first, part{x, some})
			} else {
				rest = append(rest, part{x, some})
			}
		}
		out.EffectCount++
	}
	page, next, err := seeing.Cut(append(first, rest...), how.Cursor, cmp.Or(how.Limit, seeing.EffectsAPage))
	if err != nil {
		return nil, err
	}
	out.Next = next
	for _, x := range page {
		e := *x.effect
		for _, id := range x.users {
			ref := wire.Ref{Label: "Nobody signed in"}
			if id != 0 {
				ref = w.UserRef(id)
			}
			e.Users = append(e.Users, ref)
		}
		out.Effects = append(out.Effects, e)
	}
	return out, nil
}

func rail(v *seeing.View, r change.Rail) string {
	switch r.Code {
	case change.LastAdministrator:
		return "Nobody would be left who can administer Able Roster without a window or an end date. No acknowledgement is possible: make somebody else administrator first."
	case change.OwnAccessLowered:
		return "You would lose some of your own rights in Able Roster."
	case change.GainForEverybody:
		return "Everybody would gain by this, those not here yet too."
	case change.AdministeringGain:
		return "Rights to administer Able Roster would be given to " + v.Several(r.Users) + "."
	case change.ViolationPrevented, change.ViolationWarned:
		return sodRuleRail(v, r)
	case change.ExpectationBroken, change.ExpectationWarned:
		return expectationRail(v, r)
	case change.WideLoss:
		return fmt.Sprintf("%s would lose all they have in %s: %.0f %% of those who have anything there.", v.Several(r.Users), v.ApplicationRef(r.Application, false).Label, 100*r.Share)
	case change.LeavingLive:
		return leavingLive(v, r)
	case change.NeedsSecondPerson:
		return "A second person must make this change: pass it on to somebody who may. No acknowledgement is possible."
	case change.ApplicationDepends:
		return fmt.Sprintf("%s checks access as %s, which could no longer do so: its checks would be refused.", v.ApplicationRef(r.Application, false).Label, v.Several(r.Users))
	case change.DirectAssignment:
		return fmt.Sprintf("Roles of %s are meant to be given through groups, and this gives one to %s directly.", v.ApplicationRef(r.Application, false).Label, v.Several(r.Users))
	case change.WideGain:
		return fmt.Sprintf("%.0f %% of all active users would gain by this.", 100*r.Share)
	}
	return string(r.Code)
}

// notes say what was so already, and since when.
func notes(v *seeing.View, d *change.Draft) []wire.Note {
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
	v.Reasons(func(g seeing.Giving) {
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
