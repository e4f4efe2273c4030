package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"ableroster/wire"
)

func signIn(c *call) error {
	user := c.flags.String("user", "", "user name")
	code := c.flags.String("code", "", "of the authenticator app, or a recovery code; asked for when it is needed")
	if err := c.parse(); err != nil {
		return err
	}
	all, err := readProfiles()
	if err != nil {
		return err
	}
	c.client.Token = ""
	name := *user
	if name == "" {
		name, err = c.ask("User name: ", false)
		switch name = strings.TrimSpace(name); {
		case errors.Is(err, errInterrupted):
			return err
		case err != nil || name == "":
			return &usageError{"say who with -user"}
		}
	}
	password, err := c.ask("Password: ", true)
	switch {
	case errors.Is(err, errNobody):
		raw, err := io.ReadAll(io.LimitReader(c.in, 4096))
		if err != nil {
			return err
		}
		password = strings.TrimRight(string(raw), "\r\n")
	case errors.Is(err, io.EOF):
		return &usageError{"no password was typed"}
	case err != nil:
		return err
	}
	host, _ := os.Hostname()
	t, err := c.client.SignInByCode(c.ctx, name, password, *code, "command line on "+host)
	var p *wire.Problem
	if errors.As(err, &p) && p.Type == "second-factor" && *code == "" {
		typed, asked := c.ask("Code: ", false)
		if asked != nil || strings.TrimSpace(typed) == "" {
			return err
		}
		t, err = c.client.SignInByCode(c.ctx, name, password, strings.TrimSpace(typed), "command line on "+host)
	}
	if err != nil {
		return err
	}
	all[c.profileName()] = saved{c.client.Base, t.Secret, t.ID, t.User.Key}
	if err := all.write(); err != nil {
		return err
	}
	c.client.Token = t.Secret
	c.say("Signed in at %s as %s, until %s.", c.client.Base, t.User.Label, t.ExpiresAt.In(c.zone()).Format("2 January 2006"))
	return nil
}

func signOut(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	all, err := readProfiles()
	if err != nil {
		return err
	}
	s, ok := all[c.profileName()]
	if !ok {
		c.say("Nobody is signed in.")
		return nil
	}
	c.client.Base, c.client.Token = s.Service, s.Token
	ended := c.client.EndToken(c.ctx, s.ID)
	delete(all, c.profileName())
	if err := all.write(); err != nil {
		return err
	}
	var p *wire.Problem
	if errors.As(ended, &p) && p.Status == 401 { // it had ended
		ended = nil
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
