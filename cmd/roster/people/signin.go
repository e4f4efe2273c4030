package people

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("sign-in", "[-service URL] [-user NAME] [-code CODE]", "sign in; the password is asked for, or read from standard input", SignIn)
	command.Add("sign-out", "", "end the token that sign-in got", SignOut)
	command.Add("whoami", "", "who is signed in, and where", WhoAmI)
}

func SignIn(c *command.Call) error {
	user := c.Flags.String("user", "", "user name")
	code := c.Flags.String("code", "", "of the authenticator app, or a recovery code; asked for when it is needed")
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := command.ReadProfiles()
	if err != nil {
		return err
	}
	c.Client.Token = ""
	name := *user
	if name == "" {
		name, err = c.Ask("User name: ", false)
		switch name = strings.TrimSpace(name); {
		case errors.Is(err, command.ErrInterrupted):
			return err
		case err != nil || name == "":
			return command.WrongUse("say who with -user")
		}
	}
	password, err := c.Ask("Password: ", true)
	switch {
	case errors.Is(err, command.ErrNobody):
		raw, err := io.ReadAll(io.LimitReader(c.In, 4096))
		if err != nil {
			return err
		}
		password = strings.TrimRight(string(raw), "\r\n")
	case errors.Is(err, io.EOF):
		return command.WrongUse("no password was typed")
	case err != nil:
		return err
	}
	host, _ := os.Hostname()
	t, err := c.Client.SignInByCode(c.Ctx, name, password, *code, "command line on "+host)
	var p *wire.Problem
	if errors.As(err, &p) && p.Type == "second-factor" && *code == "" {
		typed, asked := c.Ask("Code: ", false)
		if asked != nil || strings.TrimSpace(typed) == "" {
			return err
		}
		t, err = c.Client.SignInByCode(c.Ctx, name, password, strings.TrimSpace(typed), "command line on "+host)
	}
	if err != nil {
		return err
	}
	all[c.ProfileName()] = command.Saved{Service: c.Client.Base, Token: t.Secret, ID: t.ID, User: t.User.Key}
	if err := all.Write(); err != nil {
		return err
	}
	c.Client.Token = t.Secret
	c.Say("Signed in at %s as %s, until %s.", c.Client.Base, t.User.Label, t.ExpiresAt.In(c.Zone()).Format("2 January 2006"))
	return nil
}

func SignOut(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := command.ReadProfiles()
	if err != nil {
		return err
	}
	s, ok := all[c.ProfileName()]
	if !ok {
		c.Say("Nobody is signed in.")
		return nil
	}
	c.Client.Base, c.Client.Token = s.Service, s.Token
	ended := c.Client.EndToken(c.Ctx, s.ID)
	delete(all, c.ProfileName())
	if err := all.Write(); err != nil {
		return err
	}
	var p *wire.Problem
	if errors.As(ended, &p) && p.Status == 401 { // it had ended
		ended = nil
	}
	if ended != nil {
		return fmt.Errorf("the token was forgotten here, but not ended at the service: %w", ended)
	}
	c.Say("Signed out.")
	return nil
}

func WhoAmI(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	me, err := c.Client.Me(c.Ctx)
	if err != nil {
		return err
	}
	c.Answer(me, func() {
		c.Say("%s (%s) at %s, %s, revision %d.", me.User.Label, me.User.Key, c.Client.Base, me.Name, me.Revision)
	}, []string{"user", "name", "service", "organisation", "revision"}, []string{me.User.Key, me.User.Label, c.Client.Base, me.Name, strconv.FormatInt(me.Revision, 10)})
	return nil
}
