package main

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/wire"

	"golang.org/x/term"
)

// importer brings a file in as one change. Faults can be kept as a file of their
// own, by line, for whoever mends the source.
func importer(what string) func(*call) error {
	return func(c *call) error {
		var format, mapping *string
		none := ""
		format, mapping = &none, &none
		if what == "users" {
			format = c.flags.String("format", "", "csv or ldif; seen from the file's name when not given")
			mapping = c.flags.String("mapping", "", "a saved mapping of the file's columns to ours; see roster mappings")
		}
		faults := c.flags.String("faults", "", "write what is wrong with the file as CSV to this file, by line")
		return bring(c, func(content []byte, q client.Query) (wire.ChangeResult, error) {
			q["format"], q["mapping"] = *format, *mapping
			if what == "users" && *format == "" && strings.HasSuffix(strings.ToLower(c.args[0]), ".ldif") {
				q["format"] = "ldif"
			}
			out, err := c.watched(func(track string) (wire.ChangeResult, error) {
				q["track"] = track
				return c.client.Import(c.ctx, what, content, q)
			})
			var p *wire.Problem
			if errors.As(err, &p) && *faults != "" && len(p.Faults) > 0 {
				if err := writeFaults(*faults, p.Faults); err != nil {
					return out, err
				}
				p.Detail += fmt.Sprintf("; %s are in %s", count(len(p.Faults), "fault"), filepath.Base(*faults))
				p.Faults = nil
			}
			return out, err
		})
	}
}

// watched shows at a terminal how far an import is, and cancels it when the user
// breaks off.
func (c *call) watched(do func(track string) (wire.ChangeResult, error)) (wire.ChangeResult, error) {
	track := rand.Text()
	ctx, stop := signal.NotifyContext(c.ctx, os.Interrupt)
	defer stop()
	done := make(chan struct{})
	watching := make(chan struct{})
	go func() {
		defer close(watching)
		c.watch(ctx, track, done)
	}()
	out, err := do(track)
	close(done)
	<-watching
	return out, err
}

func (c *call) watch(ctx context.Context, track string, done chan struct{}) {
	f, isFile := c.err.(*os.File)
	shows := isFile && term.IsTerminal(int(f.Fd()))
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	for broken := ctx.Done(); ; {
		select {
		case <-done:
			if shows {
				fmt.Fprint(c.err, "\r\x1b[K")
			}
			return
		case <-broken:
			broken = nil
			if err := c.client.CancelImport(c.ctx, track); err != nil {
				fmt.Fprintf(c.err, "\ncannot be cancelled: %s\n", err)
			}
		case <-tick.C:
			if !shows {
				continue
			}
			if p, err := c.client.ImportProgress(c.ctx, track); err == nil {
				far := ""
				if p.Done > 0 && p.Of > 0 {
					far = fmt.Sprintf(", %d of %d operations", p.Done, p.Of)
				}
				if p.SecondsLeft > 0 {
					far += fmt.Sprintf(", about %d s left", p.SecondsLeft)
				}
				fmt.Fprintf(c.err, "\r\x1b[K%s%s …", p.Stage, far)
			}
		}
	}
}

// writeFaults writes faults as CSV (RFC 4180).
func writeFaults(file string, faults []wire.Fault) error {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write([]string{"line", "column", "fault"}) // into memory: it cannot fail
	for _, f := range faults {
		line := ""
		if f.Line > 0 {
			line = strconv.Itoa(f.Line)
		}
		_ = w.Write([]string{line, wire.CSVText(f.Column), wire.CSVText(f.Message)})
	}
	w.Flush()
	return os.WriteFile(file, out.Bytes(), 0o600)
}
