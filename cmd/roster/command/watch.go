package command

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"ableroster/client"
	"ableroster/wire"
)

// Watched sends a file under a name, and shows at a terminal how far the import is. When the
// user breaks off, it is cancelled, and they are told what became of it.
func Watched(c *Call, q client.Query, do func(context.Context) (wire.ChangeResult, error)) (wire.ChangeResult, error) {
	name := rand.Text()
	q["track"] = name
	sending, giveUp := context.WithCancel(context.WithoutCancel(c.Ctx))
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
	for broken := c.Ctx.Done(); ; {
		select {
		case x := <-done:
			return x.ChangeResult, x.error
		case <-broken:
			broken = nil
			signal.Reset(os.Interrupt, syscall.SIGTERM) // once more, and the command ends
			fmt.Fprintln(c.Err, "Cancelling …")
			if err := cancelNamed(c, sending, name); err != nil {
				fmt.Fprintf(c.Err, "It cannot be cancelled: %s.\n", sentence(err))
			} else {
				giveUp()
				return wire.ChangeResult{}, &wire.Problem{Status: 409, Title: "Cancelled", Detail: "the import was cancelled: nothing was changed"}
			}
			fmt.Fprintln(c.Err, "Waiting for it to end. Ctrl-C again to wait no longer; roster imports list tells what came of it.")
		case <-tick.C:
			if c.Screen.terminal == nil {
				continue
			}
			if p, err := c.Client.ImportNamed(sending, name); err == nil && p.Ended == nil {
				c.Screen.WaitsFor(FarOf(p))
			}
		}
	}
}

// cancelNamed cancels an import; one that was not there yet is cancelled by not sending it.
func cancelNamed(c *Call, ctx context.Context, name string) error {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	err := c.Client.CancelImport(ctx, name)
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

// FarOf is how far an import is, in words.
func FarOf(p wire.Import) string {
	far := cmp.Or(p.Stage, p.State)
	if p.Done > 0 && p.Of > 0 {
		far += fmt.Sprintf(", %d of %d operations", p.Done, p.Of)
	}
	if p.SecondsLeft > 0 {
		far += fmt.Sprintf(", about %d s left", p.SecondsLeft)
	}
	return far
}
