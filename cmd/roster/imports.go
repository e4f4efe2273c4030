package main

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"strconv"
	"strings"
	"syscall"
	"time"

	"ableroster/client"
	"ableroster/wire"
)

// watched sends a file under a name, and shows at a terminal how far the import is. When the
// user breaks off, it is cancelled, and they are told what became of it.
func (c *call) watched(q client.Query, do func(context.Context) (wire.ChangeResult, error)) (wire.ChangeResult, error) {
	name := rand.Text()
	q["track"] = name
	sending, giveUp := context.WithCancel(context.WithoutCancel(c.ctx))
	defer giveUp()
	type ended struct {
		wire.ChangeResult
		error
	}
	done := make(chan ended, 1)
	go func() {
		out, err := do(sending)
		done <- ended{out, err}
	}()
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	for broken := c.ctx.Done(); ; {
		select {
		case x := <-done:
			return x.ChangeResult, x.error
		case <-broken:
			broken = nil
			signal.Reset(os.Interrupt, syscall.SIGTERM) // once more, and the command ends
			fmt.Fprintln(c.err, "Cancelling …")
			if err := c.cancelNamed(sending, name); err != nil {
				fmt.Fprintf(c.err, "It cannot be cancelled: %s.\n", sentence(err))
			} else {
				giveUp()
				return wire.ChangeResult{}, &wire.Problem{Status: 409, Title: "Cancelled", Detail: "the import was cancelled: nothing was changed"}
			}
			fmt.Fprintln(c.err, "Waiting for it to end. Ctrl-C again to wait no longer; roster imports list tells what came of it.")
		case <-tick.C:
			if c.screen.terminal == nil {
				continue
			}
			if p, err := c.client.ImportNamed(sending, name); err == nil && p.Ended == nil {
				c.screen.waitsFor(farOf(p))
			}
		}
	}
}

// cancelNamed cancels an import; one that was not there yet is cancelled by not sending it.
func (c *call) cancelNamed(ctx context.Context, name string) error {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	err := c.client.CancelImport(ctx, name)
	var p *wire.Problem
	if errors.As(err, &p) && p.Status == 404 {
		return nil
	}
	return err
}

// sentence is what went wrong, without a full stop.
func sentence(err error) string {
	var p *wire.Problem
	if errors.As(err, &p) {
		return strings.TrimRight(cmp.Or(p.Detail, p.Title), ".")
	}
	return err.Error()
}

// farOf is how far an import is, in words.
func farOf(p wire.Import) string {
	far := cmp.Or(p.Stage, p.State)
	if p.Done > 0 && p.Of > 0 {
		far += fmt.Sprintf(", %d of %d operations", p.Done, p.Of)
	}
	if p.SecondsLeft > 0 {
		far += fmt.Sprintf(", about %d s left", p.SecondsLeft)
	}
	return far
}

func importsList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	out, err := c.client.Imports(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range out.Imports {
		state, revision := x.State, ""
		switch {
		case x.Ended == nil:
			state = farOf(x)
		case x.DryRun:
			state += " (preview)"
		}
		if x.Revision > 0 {
			revision = strconv.FormatInt(x.Revision, 10)
		}
		rows = append(rows, []string{x.Name, strings.ReplaceAll(x.Kind, "_", " "), x.File, x.Sent.In(c.zone()).Format("2 Jan 2006 15:04"), state, revision})
	}
	if len(rows) == 0 {
		c.say("No import of yours is under way or ended in the last day.")
		if c.people() {
			return nil
		}
	}
	c.table(out, []string{"name", "holds", "file", "sent", "state", "revision"}, rows)
	return nil
}

func importsCancel(c *call) error {
	if err := c.parse("IMPORT"); err != nil {
		return err
	}
	if err := c.client.CancelImport(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.done("Cancelled: nothing was changed.")
	return nil
}
