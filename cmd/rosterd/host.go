package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"strings"
	"time"

	"ableroster/internal/changing"
	"ableroster/internal/signin"
)

// recoverAdministration is the way back in for whoever has the host.
func recoverAdministration(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs, c := newFlags("recover", errOut)
	user := fs.String("user", "", "user name to make administrator again")
	newPassword := fs.Bool("password", false, "also set a new password, read from standard input")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	if *user == "" {
		fmt.Fprintln(errOut, "rosterd recover: name somebody with -user")
		return errUsage
	}
	var password string
	if *newPassword {
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		password = strings.TrimRight(line, "\r\n")
		if err := signin.CheckPassword(password, *user); err != nil {
			return fmt.Errorf("the password %w; nothing was changed", err)
		}
	}
	o, err := c.open(ctx, slog.New(slog.NewTextHandler(errOut, &slog.HandlerOptions{Level: slog.LevelWarn})))
	if err != nil {
		return err
	}
	defer o.close()
	done, id, err := changing.Recover(ctx, o.service, *user)
	if err != nil {
		return err
	}
	if password != "" {
		if err := o.authenticator.SetPasswordOnHost(ctx, id, password); err != nil {
			return err
		}
	}
	if done.Unchanged {
		fmt.Fprintf(out, "%s is an active administrator already; the ledger was not changed.\n", *user)
	} else {
		fmt.Fprintf(out, "%s is an active administrator again: revision %d, recorded as recovery on the host.\n", *user, done.Revision)
	}
	if password != "" {
		fmt.Fprintln(out, "The new password holds, and earlier sessions and tokens are ended.")
	}
	return nil
}

// rebuild makes the fact rows again from the operations alone.
func rebuild(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs, c := newFlags("rebuild", errOut)
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	o, err := c.open(ctx, slog.New(slog.NewTextHandler(errOut, &slog.HandlerOptions{Level: slog.LevelWarn})))
	if err != nil {
		return err
	}
	defer o.close()
	if err := o.ledger.Rebuild(ctx); err != nil {
		return err
	}
	fmt.Fprintf(out, "All fact rows were made again from %d revisions.\n", o.ledger.Head().Revision)
	return nil
}

// ready asks a running service whether it is ready, for scripts.
func ready(ctx context.Context, args []string, errOut io.Writer) error {
	fs, _ := newFlags("ready", errOut)
	address := fs.String("address", "http://127.0.0.1:7420", "where the service is")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, *address+"/readyz", nil)
	if err != nil {
		return err
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("the service answers %s", resp.Status)
	}
	return nil
}
