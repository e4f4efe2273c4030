package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/signedhead"
)

// heads keeps heads of the ledger elsewhere, as they are made, and holds the ledger to
// those that were kept whenever it is opened.
type heads struct {
	kept  signedhead.Kept
	every int64
	log   *slog.Logger

	last   signedhead.LedgerHead // that was kept
	when   time.Time
	erased map[string]bool // whose erasure was kept

	reasons map[string]bool // the digests of reasons whose erasure was kept
}

// hourly is how long at most a head that has moved is not kept.
const hourly = time.Hour

// hold holds a ledger to the heads that were kept. Where revisions were lost it begins a
// new epoch, and says that the ledger has to be opened anew; and it erases again whoever
// was erased by what was lost.
func (h *heads) hold(ctx context.Context, o *opened) (again bool, err error) {
	lines, err := h.kept.Read(ctx)
	if err != nil && h.kept.Address() { // which may come back, or never gives anything
		h.log.Warn("the ledger is not held to the heads that were kept", "place", h.kept.Place, "error", err)
		lines, err = nil, nil
	}
	if err != nil {
		return false, err
	}
	h.erased, h.reasons = map[string]bool{}, map[string]bool{}
	var why string
	var fits int64
	epoch := 0
	for _, l := range lines {
		for _, id := range l.Erased {
			h.erased[id] = true
		}
		for _, digest := range l.Reasons {
			h.reasons[digest] = true
		}
		h.last = l.Head
		odd, err := o.ledger.Fits(ctx, l.Head)
		switch {
		case err != nil:
			return false, err
		case odd == "":
			fits = l.Head.Revision
		case l.Head.Ledger != o.ledger.ID():
			return false, fmt.Errorf("%s has heads of another ledger", h.kept.Place)
		case l.Head.Epoch >= o.ledger.Epoch():
			why = fmt.Sprintf("revision %d, as it was kept in %s: %s", l.Head.Revision, h.kept.Place, odd)
		}
		epoch = max(epoch, l.Head.Epoch)
	}
	if why != "" {
		return true, o.ledger.LoseSince(ctx, why, epoch+1)
	}
	if len(lines) > 0 && h.last.Epoch < o.ledger.Epoch() {
		if err := h.eraseAgain(ctx, o, fits); err != nil {
			return false, err
		}
		h.last = signedhead.LedgerHead{} // what was kept is of before
	}
	return false, nil
}

// eraseAgain repeats erasures that were lost. A number may be another person's since: only
// whoever was there when the ledger still was what was kept is erased.
func (h *heads) eraseAgain(ctx context.Context, o *opened, fits int64) error {
	var ops []change.Operation
	departed := fact.Departed
	for id := range h.erased {
		n, _ := fact.ParseID("user", id)
		u := o.ledger.Head().User(fact.UserID(n))
		if u == nil || u.Erased {
			continue
		}
		since, err := o.ledger.UserSince(ctx, u.ID)
		if err != nil {
			return err
		}
		if since > fits {
			h.log.Warn("an erasure that was lost is not repeated: the number may be another person's now", "user", id)
			continue
		}
		if u.Status != fact.Departed {
			ops = append(ops, &people.UpdateUser{User: change.UserRef(id), Status: &departed})
		}
		if record.LegalHold(o.ledger.Head(), u.ID) != nil { // it was over, or ended, when they were erased
			ops = append(ops, &people.EndLegalHold{User: change.UserRef(id)})
		}
		ops = append(ops, &people.EraseUser{User: change.UserRef(id)})
	}
	known := o.ledger.ErasedReasons()
	for digest := range h.reasons {
		if slices.Contains(known, digest) {
			continue
		}
		n, err := o.ledger.RevisionOfReason(ctx, digest)
		if err != nil {
			return err
		}
		if n != 0 { // it is of a revision that was not lost
			ops = append(ops, &rules.EraseReason{Revision: n, Digest: digest})
		}
	}
	if len(ops) == 0 {
		return nil
	}
	_, err := o.ledger.Commit(ctx, &ledger.Change{Via: "this host", Reason: "Repeats erasures that were lost with the revisions that had them", Operations: ops}, func(d *change.Draft, _ calendar.Instant) error {
		if len(d.Faults) > 0 {
			return &d.Faults[0]
		}
		return nil
	})
	return err
}

// keep keeps the head now and then, until the context ends, and once more then.
func (h *heads) keep(ctx context.Context, o *opened) {
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
			defer cancel()
			h.add(end, o, 1)
			return
		case <-tick.C:
			h.add(ctx, o, h.every)
		}
	}
}

// add keeps the head, once it has moved by so many revisions, or somebody or a reason was erased, or
// it has moved at all within the hour.
func (h *heads) add(ctx context.Context, o *opened, every int64) {
	if o.ledger.Lost() != "" {
		return
	}
	head := o.ledger.Head()
	moved := head.Revision - h.last.Revision
	if moved == 0 {
		return
	}
	reasons := slices.DeleteFunc(o.ledger.ErasedReasons(), func(digest string) bool { return h.reasons[digest] })
	if moved < every && head.Erased() <= len(h.erased) && len(reasons) == 0 && time.Since(h.when) < hourly {
		return
	}
	var now []string
	if head.Erased() > len(h.erased) {
		for u := range head.Users() {
			if u.Erased && !h.erased[u.ID.String()] {
				now = append(now, u.ID.String())
			}
		}
	}
	line := signedhead.Line{Erased: now, Reasons: reasons}
	var err error
	if line.Head, err = o.ledger.HeadAt(ctx, head.Revision); err == nil && o.service.SigningKey != nil {
		line.Head, err = line.Head.Sign(o.service.SigningKey)
	}
	if err == nil {
		err = h.kept.Add(ctx, line)
	}
	if err != nil {
		h.log.Warn("the head of the ledger could not be kept", "in", h.kept.Place, "error", err)
		return
	}
	for _, id := range now {
		h.erased[id] = true
	}
	for _, digest := range reasons {
		h.reasons[digest] = true
	}
	h.last, h.when = line.Head, time.Now()
}

// signingKey makes a key to sign heads with, and prints the public one.
func signingKey(args []string, out, errOut io.Writer) error {
	fs := flag.NewFlagSet("rosterd signing-key", flag.ContinueOnError)
	path := fs.String("out", "", "file to write the private key to, which is not there yet")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	if *path == "" {
		return errors.New("give -out FILE: keep it apart from the database, and where only the service reads it")
	}
	key, err := signedhead.MakeKey(*path)
	if err != nil {
		return err
	}
	signed, err := signedhead.LedgerHead{}.Sign(key)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "The private key is in %s; serve with -signing-key %s.\nThe public key, for whoever verifies heads: %s\n", *path, *path, signed.Key)
	return nil
}

// readSigningKey reads the key a service signs with, none without a path.
func (c *serveConfig) readSigningKey(s *seeing.Service) error {
	if c.signingKey == "" {
		return nil
	}
	if err := onlyOwners(c.signingKey); err != nil {
		return fmt.Errorf("-signing-key: %w", err)
	}
	key, err := signedhead.ReadKey(c.signingKey)
	if err != nil {
		return fmt.Errorf("-signing-key: %w", err)
	}
	s.SigningKey = key
	return nil
}
