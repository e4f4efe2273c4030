package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

func signIn(c *call) error {
	user := c.flags.String("user", "", "user name")
	if err := c.parse(); err != nil {
		return err
	}
	c.client.Token = ""
	name, ok := *user, true
	if name == "" {
		if name, ok = c.ask("User name: ", false); !ok || name == "" {
			return &usageError{"say who with -user"}
		}
	}
	password, ok := c.ask("Password: ", true)
	if !ok {
		raw, err := io.ReadAll(io.LimitReader(c.in, 4096))
		if err != nil {
			return err
		}
		password = strings.TrimRight(string(raw), "\r\n")
	}
	host, _ := os.Hostname()
	t, err := c.client.SignIn(c.ctx, name, password, "command line on "+host)
	if err != nil {
		return err
	}
	path, err := savedPath()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	raw, err := json.MarshalIndent(saved{c.client.Base, t.Secret, t.ID, t.User.Key}, "", "  ")
	if err != nil {
		return err
	}
	if err := os.WriteFile(path, append(raw, '\n'), 0o600); err != nil {
		return err
	}
	c.say("Signed in at %s as %s, until %s.", c.client.Base, t.User.Label, t.ExpiresAt.In(c.zone).Format("2 January 2006"))
	return nil
}

func signOut(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	s := readSaved()
	path, err := savedPath()
	if err != nil {
		return err
	}
	if s.Token == "" {
		c.say("Nobody is signed in.")
		return nil
	}
	c.client.Base, c.client.Token = s.Service, s.Token
	ended := c.client.EndToken(c.ctx, s.ID)
	if err := os.Remove(path); err != nil {
		return err
	}
	if ended != nil {
		return fmt.Errorf("the token was forgotten here, but not ended at the service: %w", ended)
	}
	c.say("Signed out.")
	return nil
}

func whoAmI(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	me, err := c.client.Me(c.ctx)
	if err != nil {
		return err
	}
	c.answer(me, func() {
		c.say("%s (%s) at %s, %s, revision %d.", me.User.Label, me.User.Key, c.client.Base, me.Name, me.Revision)
	}, []string{"user", "name", "service", "organisation", "revision"}, []string{me.User.Key, me.User.Label, c.client.Base, me.Name, strconv.FormatInt(me.Revision, 10)})
	return nil
}
