package ledger

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("ledger head", "[-out FILE] [-revision N]", "how far the ledger goes, signed: to be kept elsewhere", LedgerHead)
	command.Add("ledger verify", "[-head FILE…] [-key KEY]", "recompute the chain and replay it against the rows; hold it to heads that were kept", LedgerVerify)
	command.Add("ledger undo", "REVISION -reason TEXT", "take a revision back; what stays is said, and what others changed since stays theirs", LedgerUndo)
	command.Add("ledger erase-reason", "REVISION -reason TEXT", "erase the reason of a revision, which cannot be brought back", LedgerEraseReason)
}

// atRevision asks for the head at a revision, or for the newest by 0.
func atRevision(revision int64) client.Query {
	if revision == 0 {
		return nil
	}
	return client.Query{"revision": strconv.FormatInt(revision, 10)}
}

// LedgerHead says how far the ledger goes, and writes it to a file that can be kept
// elsewhere.
func LedgerHead(c *command.Call) error {
	path := c.Flags.String("out", "", "file to write it to, as roster ledger verify -head reads it; - is standard output")
	revision := c.Flags.Int64("revision", 0, "the head as it was at this revision; the newest by default")
	if err := c.Parse(); err != nil {
		return err
	}
	h, err := c.Client.LedgerHead(c.Ctx, atRevision(*revision))
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
		_, err := c.Out.Write(raw)
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
	c.Answer(h, func() {
		c.Say("Revision %d of %s, epoch %d\n%s\n%s", h.Revision, c.Second(h.At), h.Epoch, h.Hash, signed)
		if *path != "" {
			c.Say("Written to %s. Keep it where nobody who owns the database can alter it.", *path)
		}
	}, []string{"ledger", "epoch", "revision", "at", "hash", "key", "signature"},
		[]string{h.Ledger, strconv.Itoa(h.Epoch), strconv.FormatInt(h.Revision, 10), c.Second(h.At), h.Hash, h.Key, h.Signature})
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

func LedgerVerify(c *command.Call) error {
	var files command.Names
	c.Flags.Var(&files, "head", "a file of heads that were kept elsewhere, to hold the ledger to; may be given again")
	key := c.Flags.String("key", "", "the public key that kept heads must be signed with, in base64")
	if err := c.Parse(); err != nil {
		return err
	}
	heads, err := readHeads(files)
	if err != nil {
		return err
	}
	v, err := c.Client.Verify(c.Ctx, func(r wire.VerificationRun) {
		c.Screen.WaitsFor(fmt.Sprintf("Verifying: %d of %d revisions", r.Done, r.Of))
	})
	if err != nil {
		return err
	}
	for i := range heads {
		if heads[i].Wrong, err = fits(c, heads[i].Head, *key); err != nil {
			return err
		}
	}
	bad := slices.ContainsFunc(heads, func(h heldHead) bool { return h.Wrong != "" })
	state := "verifies"
	if !v.Verified || bad {
		state = "does not verify"
	}
	c.Answer(ledgerVerification{v, heads}, func() {
		switch {
		case !v.Verified:
			c.Say("The ledger does not verify: revision %d %s.\nRevisions 1 to %d fit; keep the database as it is and look at what touched it.", v.First, v.Fault, v.Revision)
		case bad:
			c.Say("The ledger verifies in itself, but is not the one that was kept:")
		default:
			c.Say("The ledger verifies: %s, every hash and every row matches.\nHead %s", command.Count(int(v.Revision), "revision"), v.Hash)
			if v.Rows < v.Revision {
				c.Say("The rows of a large change are being written: they were compared up to revision %d.", v.Rows)
			}
			for _, n := range v.Mended {
				c.Say("Revision %d was mended: not all of its operations can be read as they were stored.", n)
			}
		}
		sayHeads(c, heads, bad)
	}, []string{"ledger", "revisions_that_fit", "head", "first_fault", "fault"}, []string{state, strconv.FormatInt(v.Revision, 10), v.Hash, strconv.FormatInt(v.First, 10), v.Fault})
	if !v.Verified || bad {
		return command.ErrDenied
	}
	return nil
}

func LedgerEraseReason(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("REVISION"); err != nil {
		return err
	}
	n, err := strconv.ParseInt(c.Args[0], 10, 64)
	if err != nil {
		return fmt.Errorf("a revision is a number: %q is none", c.Args[0])
	}
	return change.Make(c, map[string]any{"op": "erase_reason", "revision": n})
}

// LedgerUndo takes a revision back, as a change of its own.
func LedgerUndo(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("REVISION"); err != nil {
		return err
	}
	n, err := strconv.ParseInt(c.Args[0], 10, 64)
	if err != nil {
		return command.WrongUse(fmt.Sprintf("a revision is a number: %q is none", c.Args[0]))
	}
	x, err := c.Client.Undo(c.Ctx, n)
	if err != nil {
		return err
	}
	for _, s := range x.Stays {
		fmt.Fprintln(c.Err, command.Clean(s))
	}
	if x.Outside {
		fmt.Fprintln(c.Err, "There is more to it, outside what you may see: it stays.")
	}
	var ops []json.RawMessage
	for _, l := range x.Lines {
		ops = append(ops, l.Operations...)
	}
	if len(ops) == 0 {
		return &wire.Problem{Status: 409, Title: "Nothing to undo", Detail: fmt.Sprintf("nothing of revision %d is taken back", n)}
	}
	if change.BasedOn == 0 {
		change.BasedOn = x.Revision
	}
	return change.Send(c, ops)
}

// fits says what is wrong with a kept head, blank for nothing.
func fits(c *command.Call, h wire.LedgerHead, key string) (string, error) {
	if err := h.Check(); key != "" || h.Signature != "" {
		switch {
		case err != nil:
			return err.Error(), nil
		case key != "" && h.Key != key:
			return "it is signed with another key", nil
		}
	}
	now, err := c.Client.LedgerHead(c.Ctx, atRevision(h.Revision))
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
func sayHeads(c *command.Call, heads []heldHead, bad bool) {
	fits, odd := int64(0), int64(0)
	for _, h := range heads {
		if h.Wrong == "" {
			fits = max(fits, h.Head.Revision)
			continue
		}
		c.Say("Revision %d, as kept in %s: %s.", h.Head.Revision, h.File, h.Wrong)
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
		c.Say("Up to revision %d it is the one that was kept; it was altered or lost %s.", fits, between)
	case !bad && len(heads) > 0:
		c.Say("It is the one that was kept: %s, up to revision %d.", command.Count(len(heads), "head"), fits)
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
