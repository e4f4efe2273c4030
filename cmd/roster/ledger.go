package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"time"

	"ableroster/wire"
)

// ledgerHead says how far the ledger goes, and writes it to a file that can be kept
// elsewhere.
func ledgerHead(c *call) error {
	path := c.flags.String("out", "", "file to write it to, as roster ledger verify -head reads it; - is standard output")
	revision := c.flags.Int64("revision", 0, "the head as it was at this revision; the newest by default")
	if err := c.parse(); err != nil {
		return err
	}
	h, err := c.client.LedgerHead(c.ctx, *revision)
	if err != nil {
		return err
	}
	raw, err := json.MarshalIndent(h, "", "  ")
	if err != nil {
		return err
	}
	raw = append(raw, '\n')
	switch *path {
	case "":
	case "-":
		_, err := c.out.Write(raw)
		return err
	default:
		if err := os.WriteFile(*path, raw, 0o600); err != nil {
			return err
		}
	}
	signed := "It is signed; the public key is " + h.Key + "."
	if h.Signature == "" {
		signed = "It is not signed: the service has no signing key."
	}
	c.answer(h, func() {
		c.say("Revision %d of %s, epoch %d\n%s\n%s", h.Revision, c.second(h.At), h.Epoch, h.Hash, signed)
		if *path != "" {
			c.say("Written to %s. Keep it where nobody who owns the database can alter it.", *path)
		}
	}, []string{"ledger", "epoch", "revision", "at", "hash", "key", "signature"},
		[]string{h.Ledger, strconv.Itoa(h.Epoch), strconv.FormatInt(h.Revision, 10), c.second(h.At), h.Hash, h.Key, h.Signature})
	return nil
}

// heldHead is a head that was kept, and what is wrong with it.
type heldHead struct {
	File  string          `json:"file"`
	Head  wire.LedgerHead `json:"head"`
	Wrong string          `json:"wrong,omitempty"`
}

// ledgerVerification is what verifying says, by output json.
type ledgerVerification struct {
	wire.Verification
	Heads []heldHead `json:"heads,omitempty"`
}

func ledgerVerify(c *call) error {
	var files names
	c.flags.Var(&files, "head", "a file of heads that were kept elsewhere, to hold the ledger to; may be given again")
	key := c.flags.String("key", "", "the public key that kept heads must be signed with, in base64")
	if err := c.parse(); err != nil {
		return err
	}
	heads, err := readHeads(files)
	if err != nil {
		return err
	}
	v, err := c.client.Verify(c.ctx, func(r wire.VerificationRun) {
		c.screen.waitsFor(fmt.Sprintf("Verifying: %d of %d revisions", r.Done, r.Of))
	})
	if err != nil {
		return err
	}
	for i := range heads {
		if heads[i].Wrong, err = c.fits(heads[i].Head, *key); err != nil {
			return err
		}
	}
	bad := slices.ContainsFunc(heads, func(h heldHead) bool { return h.Wrong != "" })
	state := "verifies"
	if !v.Verified || bad {
		state = "does not verify"
	}
	c.answer(ledgerVerification{v, heads}, func() {
		switch {
		case !v.Verified:
			c.say("The ledger does not verify: revision %d %s.\nRevisions 1 to %d fit; keep the database as it is and look at what touched it.", v.First, v.Fault, v.Revision)
		case bad:
			c.say("The ledger verifies in itself, but is not the one that was kept:")
		default:
			c.say("The ledger verifies: %s, every hash and every row matches.\nHead %s", count(int(v.Revision), "revision"), v.Hash)
			if v.Rows < v.Revision {
				c.say("The rows of a large change are being written: they were compared up to revision %d.", v.Rows)
			}
			for _, n := range v.Mended {
				c.say("Revision %d was mended: not all of its operations can be read as they were stored.", n)
			}
		}
		c.sayHeads(heads, bad)
	}, []string{"ledger", "revisions_that_fit", "head", "first_fault", "fault"}, []string{state, strconv.FormatInt(v.Revision, 10), v.Hash, strconv.FormatInt(v.First, 10), v.Fault})
	if !v.Verified || bad {
		return errDenied
	}
	return nil
}

func ledgerEraseReason(c *call) error {
	change := c.changes()
	if err := c.parse("REVISION"); err != nil {
		return err
	}
	n, err := strconv.ParseInt(c.args[0], 10, 64)
	if err != nil {
		return fmt.Errorf("a revision is a number: %q is none", c.args[0])
	}
	return change.make(c, map[string]any{"op": "erase_reason", "revision": n})
}

// ledgerUndo takes a revision back, as a change of its own.
func ledgerUndo(c *call) error {
	change := c.changes()
	if err := c.parse("REVISION"); err != nil {
		return err
	}
	n, err := strconv.ParseInt(c.args[0], 10, 64)
	if err != nil {
		return &usageError{fmt.Sprintf("a revision is a number: %q is none", c.args[0])}
	}
	x, err := c.client.Undo(c.ctx, n)
	if err != nil {
		return err
	}
	for _, s := range x.Stays {
		fmt.Fprintln(c.err, clean(s))
	}
	if x.Outside {
		fmt.Fprintln(c.err, "There is more to it, outside what you may see: it stays.")
	}
	var ops []json.RawMessage
	for _, l := range x.Lines {
		ops = append(ops, l.Operations...)
	}
	if len(ops) == 0 {
		return &wire.Problem{Status: 409, Title: "Nothing to undo", Detail: fmt.Sprintf("nothing of revision %d is taken back", n)}
	}
	if change.basedOn == 0 {
		change.basedOn = x.Revision
	}
	return change.send(c, ops)
}

// fits says what is wrong with a kept head, blank for nothing.
func (c *call) fits(h wire.LedgerHead, key string) (string, error) {
	if err := h.Check(); key != "" || h.Signature != "" {
		switch {
		case err != nil:
			return err.Error(), nil
		case key != "" && h.Key != key:
			return "it is signed with another key", nil
		}
	}
	now, err := c.client.LedgerHead(c.ctx, h.Revision)
	var p *wire.Problem
	switch {
	case errors.As(err, &p) && p.Status == 404:
		return "the ledger does not go so far any more", nil
	case err != nil:
		return "", err
	case now.Ledger != h.Ledger:
		return "it is of another ledger", nil
	case now.Hash != h.Hash:
		return "that revision, or one before it, was altered", nil
	}
	return "", nil
}

// sayHeads says which heads fit, and from where the ledger is another one.
func (c *call) sayHeads(heads []heldHead, bad bool) {
	fits, odd := int64(0), int64(0)
	for _, h := range heads {
		if h.Wrong == "" {
			fits = max(fits, h.Head.Revision)
			continue
		}
		c.say("Revision %d, as kept in %s: %s.", h.Head.Revision, h.File, h.Wrong)
		if odd == 0 || h.Head.Revision < odd {
			odd = h.Head.Revision
		}
	}
	switch {
	case bad && fits > 0 && odd > fits:
		between := fmt.Sprintf("at revision %d", odd)
		if odd > fits+1 {
			between = fmt.Sprintf("between revisions %d and %d", fits+1, odd)
		}
		c.say("Up to revision %d it is the one that was kept; it was altered or lost %s.", fits, between)
	case !bad && len(heads) > 0:
		c.say("It is the one that was kept: %s, up to revision %d.", count(len(heads), "head"), fits)
	}
}

// readHeads reads files of heads: one, or one a line as the service keeps them.
func readHeads(files []string) ([]heldHead, error) {
	var out []heldHead
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		before := len(out)
		for d := json.NewDecoder(bytes.NewReader(text)); ; {
			var x struct {
				Head *wire.LedgerHead
				wire.LedgerHead
			}
			if err := d.Decode(&x); err == io.EOF {
				break
			} else if err != nil {
				return nil, fmt.Errorf("%s holds no heads of a ledger: %w", file, err)
			}
			if x.Head == nil {
				x.Head = &x.LedgerHead
			}
			if x.Head.Revision == 0 || x.Head.Hash == "" {
				return nil, fmt.Errorf("%s holds no heads of a ledger", file)
			}
			out = append(out, heldHead{File: file, Head: *x.Head})
		}
		if len(out) == before {
			return nil, fmt.Errorf("%s is empty", file)
		}
	}
	return out, nil
}

// second is a time to the second, in the zone of whoever asks.
func (c *call) second(t time.Time) string { return t.In(c.zone()).Format("2006-01-02 15:04:05 MST") }
