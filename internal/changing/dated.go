package changing

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// farthest is how far ahead a change may be dated.
const farthest = 366 * 24 * time.Hour

// Dated is how changes are made that were prepared for a date.
const Dated = "dated"

// date is a change of the author's own that is to be made at a date: they must be able to
// make it today, and what stops it then but not now is told at once.
func date(v *seeing.View, p *saved.PendingChange, t trial, in wire.PendingChangeRequest, place func(change.Fault) wire.Fault) error {
	due := in.At.UTC().Truncate(time.Microsecond)
	if now := v.At.Time(); !due.After(now) || due.After(now.Add(farthest)) {
		return seeing.Invalid("nothing was prepared", wire.Fault{Place: "/at", Message: "is not within the year to come"})
	}
	if faults := acknowledgements(in.Acknowledge); len(faults) > 0 {
		return seeing.Invalid("nothing was prepared", faults...)
	}
	if err := allowed(v, t.draft, place); err != nil {
		return err
	}
	if len(t.draft.Changes()) == 0 {
		return seeing.Invalid("nothing was prepared", wire.Fault{Place: "/lines", Message: "all of this is so already"})
	}
	if p.BasedOn == 0 {
		p.BasedOn = v.UncutToday().Revision
	}
	if moved := t.draft.Moved(p.BasedOn); len(moved) > 0 {
		return movedSince(v, moved, p.BasedOn)
	}
	at := calendar.At(due)
	foreseen := effect.Of(t.draft, at)
	x := &Wanted{Acknowledge: in.Acknowledge}
	if err := stopped(v, effect.Rails(t.draft, v.Caller.User, foreseen, at, counted(v, t.draft)), x, new(wire.Preview)); err != nil {
		return err
	}
	mark := foreseen.Mark(v.UncutToday())
	p.State, p.Due, p.Acknowledge, p.Mark = saved.PendingDated, &due, in.Acknowledge, mark[:]
	return nil
}

// mostDue is how many changes are taken at a time whose date has come.
const mostDue = 20

// MakeDue makes the changes whose date has come. Each is looked at once more: one that its
// author may not make any more, or whose effect is another, is put before them again. It may
// be called by several services at once.
func MakeDue(ctx context.Context, d *seeing.Service) error {
	if d.Saved == nil {
		return nil
	}
	due, err := d.Saved.TakeDue(ctx, mostDue)
	for i := range due {
		p := &due[i]
		why, failed := makeDue(ctx, d, p)
		switch {
		case failed != nil: // by no fault of the change: it is tried again
			err = errors.Join(err, failed, d.Saved.LeaveDue(ctx, p.ID))
		case why != "":
			err = errors.Join(err, d.Saved.ReturnDue(ctx, p.ID, why))
		}
	}
	return err
}

// makeDue makes one change, or says why it is not made. An error is none of the change's.
func makeDue(ctx context.Context, d *seeing.Service, p *saved.PendingChange) (why string, failed error) {
	c := seeing.Caller{User: p.Author, Via: Dated}
	req := wire.ChangeRequest{Reason: p.Reason, Reference: p.Reference, BasedOn: p.BasedOn, Acknowledge: p.Acknowledge, PendingChanges: []string{pendingChangeID(p.ID)}}
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	for _, l := range lines {
		req.Operations = append(req.Operations, l.Operations...)
	}
	how := How{Key: pendingChangeID(p.ID)}
	body, err := json.Marshal(req)
	if err != nil {
		return "", err
	}
	digest := sha256.Sum256(body)
	made, known, err := d.Ledger.Known(ctx, &ledger.Change{Author: p.Author, Key: how.Key, Request: digest[:]})
	if err != nil {
		return "", err
	}
	if known { // by a service that was gone before it could say so
		_, err := d.Saved.EndPendingChange(ctx, p.ID, saved.PendingMade, p.Author, "", made.Revision)
		return "", err
	}
	v := d.Now(ctx, c)
	if !v.UncutToday().MaySignIn(p.Author, v.At) {
		return "Its author may not sign in any more.", nil
	}
	if why := otherEffect(v, p, lines); why != "" {
		return why, nil
	}
	_, err = Change(ctx, d, c, req, how)
	var refused *wire.Problem
	if errors.As(err, &refused) && refused.Status < 500 {
		return whyRefused(refused), nil
	}
	return "", err
}

// otherEffect says that a change would do something else than its author saw, nothing where
// it does the same.
func otherEffect(v *seeing.View, p *saved.PendingChange, lines []wire.PendingLine) string {
	ops, _, _ := decodeLines(lines, v.Zone())
	t := try(v, ops)
	if len(t.draft.Faults) > 0 || len(t.draft.Moved(p.BasedOn)) > 0 {
		return "" // which its making tells better
	}
	foreseen := effect.Of(t.draft, max(v.At, calendar.At(*p.Due)))
	if mark := foreseen.Mark(v.UncutToday()); bytes.Equal(mark[:], p.Mark) {
		return ""
	}
	gain, lose := map[fact.UserID]bool{}, map[fact.UserID]bool{}
	for _, e := range foreseen.Effects {
		for _, id := range e.Users {
			if v.ReadsUser(id) {
				gain[id], lose[id] = gain[id] || len(e.Gained) > 0, lose[id] || len(e.Lost) > 0
			}
		}
	}
	return "Its effect is another than you saw: by now " + usersWho(gain, "gain") + ", and " + usersWho(lose, "lose") + "."
}

// usersWho says how many of some users do something.
func usersWho(of map[fact.UserID]bool, do string) string {
	n := 0
	for _, is := range of {
		if is {
			n++
		}
	}
	switch n {
	case 0:
		return "nobody would " + do + " anything"
	case 1:
		return "1 user would " + do + " something"
	}
	return fmt.Sprintf("%d users would %s something", n, do)
}

// whyRefused says in a few sentences why a change was refused.
func whyRefused(p *wire.Problem) string {
	var out []string
	for _, m := range p.Moved[:min(len(p.Moved), 3)] {
		who := "Somebody"
		if m.By != nil {
			who = m.By.Label
		}
		out = append(out, fmt.Sprintf("%s changed what it builds on, in revision %d: %s.", who, m.Revision, strings.Join(m.Sentences, "; ")))
	}
	for _, f := range p.Faults[:min(len(p.Faults), 3)] {
		out = append(out, sentence(f.Message))
	}
	if len(out) == 0 {
		out = append(out, sentence(p.Detail))
	}
	return strings.Join(slices.Compact(out), " ")
}

// sentence is a message as a sentence of its own.
func sentence(s string) string {
	if first, n := utf8.DecodeRuneInString(s); n > 0 {
		s = string(unicode.ToUpper(first)) + s[n:]
	}
	return strings.TrimSuffix(s, ".") + "."
}
