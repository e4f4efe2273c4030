package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"ableroster/demo"
	"ableroster/internal/calendar"
	"ableroster/internal/ledger"
	"ableroster/internal/signin"
)

// loadDemo loads the demo organisation into an empty ledger and gives those of
// the walk sign-in.
func loadDemo(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs, c := newFlags("load-demo", errOut)
	tokenFile := fs.String("token-file", "", "where to write the API token of the berth board")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	log, err := c.logger(errOut)
	if err != nil {
		return err
	}
	o, err := c.open(ctx, log)
	if err != nil {
		return err
	}
	defer o.close()
	if o.ledger.Head().Revision != 0 {
		fmt.Fprintf(out, "The ledger has %d revisions already; the demo was not loaded.\n", o.ledger.Head().Revision)
		return nil
	}
	began := time.Now()
	history := demo.Larkhaven(time.Now())
	changes := make([]*ledger.Change, len(history))
	for i, x := range history {
		changes[i] = &ledger.Change{AuthorName: x.Author, Via: x.Via, Reason: x.Reason, Reference: x.Reference, Operations: x.Operations, Claimed: calendar.At(x.At)}
	}
	if err := o.ledger.LoadHistory(ctx, changes); err != nil {
		return err
	}
	hash, err := signin.HashPassword(ctx, demo.Password)
	if err != nil {
		return err
	}
	for _, s := range demo.SignIns {
		id, _ := o.ledger.Head().FindUser(s.UserName)
		if err := o.authenticator.SetHash(ctx, id, hash); err != nil {
			return err
		}
	}
	dormant, _ := o.ledger.Head().FindUser(demo.Dormant)
	if err := o.authenticator.SetHash(ctx, dormant, hash); err != nil {
		return err
	}
	if err := o.authenticator.Backdate(ctx, dormant, began.AddDate(0, 0, -140)); err != nil {
		return err
	}
	if *tokenFile != "" {
		id, _ := o.ledger.Head().FindUser(demo.BerthBoard)
		_, secret, err := o.authenticator.NewToken(ctx, id, 0, signin.Means{}, nil, "berth board", "", 366*24*time.Hour, "this host")
		if err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Dir(*tokenFile), 0o700); err != nil {
			return err
		}
		if err := os.WriteFile(*tokenFile, []byte(secret+"\n"), 0o600); err != nil {
			return err
		}
	}
	fmt.Fprintf(out, "Loaded the Larkhaven Port Authority, which is made up: %s, in %.1f s.\n", demo.Describe(history), time.Since(began).Seconds())
	return nil
}

// personnel prints the made-up personnel export.
func personnel(args []string, out, errOut io.Writer) error {
	fs := flag.NewFlagSet("rosterd personnel", flag.ContinueOnError)
	mended := fs.Bool("mended", false, "without the faults planted in it")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	content, _ := demo.Personnel(*mended)
	_, err := out.Write(content)
	return err
}
