package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"

	"ableroster/internal/ledger"
)

// mend puts something in the place of an operation that cannot be read, and makes the
// revision that says so.
func mend(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs, c := newFlags("mend", errOut)
	revision := fs.Int64("revision", 0, "the revision it is of, as roster ledger verify or the log says it")
	position := fs.Int("position", -1, "its place among the operations of the revision, from 0")
	file := fs.String("replacement", "", "file with the JSON that is read instead, as operation.body holds it in a back-up; - is standard input")
	reason := fs.String("reason", "", "why, for whoever asks later")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	if *revision < 1 || *position < 0 || *file == "" || *reason == "" {
		fmt.Fprintln(errOut, "rosterd mend: give -revision, -position, -replacement and -reason")
		return errUsage
	}
	text, err := readFile(*file)
	if err != nil {
		return err
	}
	pool, err := c.pool(ctx)
	if err != nil {
		return err
	}
	op, err := ledger.PrepareMending(ctx, pool, *revision, *position, string(bytes.TrimSpace(text)))
	pool.Close()
	if err != nil {
		return fmt.Errorf("nothing was changed: %w", err)
	}
	o, err := c.open(ctx, slog.New(slog.NewTextHandler(errOut, &slog.HandlerOptions{Level: slog.LevelWarn})))
	if err != nil {
		return fmt.Errorf("the replacement lies ready, and the ledger still cannot be opened; mend what else cannot be read, or give another replacement: %w", err)
	}
	defer o.close()
	done, err := o.ledger.Mend(ctx, op, *reason)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "Operation %d of revision %d is mended: revision %d says so. What was stored stays as it was found.\nStart the services again, then run roster ledger verify.\n", *position, *revision, done.Revision)
	return nil
}

func readFile(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(os.Stdin)
	}
	return os.ReadFile(name)
}
