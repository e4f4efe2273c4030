package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"ableroster/internal/openid"
	"ableroster/internal/sealed"
	"ableroster/internal/signin"
)

// secretsKey makes a key that secrets in the database are sealed with.
func secretsKey(args []string, out, errOut io.Writer) error {
	fs := flag.NewFlagSet("rosterd secrets-key", flag.ContinueOnError)
	path := fs.String("out", "", "file to write the key to, which is not there yet")
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	if *path == "" {
		return errors.New("give -out FILE: keep it apart from the database, and where only the service reads it")
	}
	f, err := os.OpenFile(*path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if _, err = f.WriteString(sealed.NewKey()); err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	fmt.Fprintf(out, "The key is in %s; serve with -secrets-key %s, each service on the database.\nKeep a copy: without it, one-time codes are of no use, and recovery codes alone remain.\n", *path, *path)
	return nil
}

// readSecretsKey reads the keys that secrets are sealed with, none without a path.
func (c *serveConfig) readSecretsKey() (*sealed.Box, error) {
	if c.secretsKey == "" {
		return nil, nil
	}
	if err := onlyOwners(c.secretsKey); err != nil {
		return nil, fmt.Errorf("-secrets-key: %w", err)
	}
	box, err := sealed.ReadKeys(c.secretsKey)
	if err != nil {
		return nil, fmt.Errorf("-secrets-key: %w", err)
	}
	return box, nil
}

// guardSignIn sets how secrets are sealed and when sessions end, and seals what lies open.
func (r *running) guardSignIn(ctx context.Context, a *signin.Authenticator) (err error) {
	if a.Secrets, err = r.c.readSecretsKey(); err != nil {
		return err
	}
	a.Idle = r.c.sessionIdle
	lost, err := a.SealSecrets(ctx)
	if lost > 0 {
		r.log.Error("one-time codes cannot be checked: their secrets are sealed with a key that was not given; recovery codes and passkeys work on", "users", lost)
	}
	return err
}

// onlyOwners refuses a file of secrets that others than its owner can read.
func onlyOwners(path string) error {
	if info, err := os.Stat(path); err == nil && info.Mode().Perm()&0o077 != 0 {
		return fmt.Errorf("%s can be read by others than its owner: chmod 600", path)
	}
	return nil
}

// identityProviders reads the file of identity providers, if one was given.
func (c *serveConfig) identityProviders() ([]openid.Config, error) {
	if c.providers == "" {
		return nil, nil
	}
	out, err := openid.Read(c.providers)
	if err != nil {
		return nil, fmt.Errorf("-identity-providers: %w", err)
	}
	return out, nil
}
