package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/internal/calendar"
)

var errHelp = errors.New("help was asked for")

// call is one run of a command: its flags, its arguments, where it writes.
type call struct {
	ctx      context.Context
	cmd      command
	raw      []string
	in       io.Reader
	out, err io.Writer
	client   *client.Client

	flags   *flag.FlagSet
	output  string
	service string
	asOf    string
	args    []string

	profile   string // under which name one is signed in
	wide      bool   // whole cells, however wide
	unguarded bool   // texts of CSV as they are
	screen    *screen
	home      *time.Location // of the organisation, once it was asked for

	unchanged string // what to say where nobody gains or loses anything
}

func newCall(ctx context.Context, cmd command, raw []string, in io.Reader, out, errOut io.Writer) *call {
	c := &call{ctx: ctx, cmd: cmd, raw: raw, in: in}
	c.screen, c.out, c.err = newScreen(out, errOut)
	c.takesFlags()
	return c
}

// takesFlags makes the flags that every command takes.
func (c *call) takesFlags() {
	c.flags = flag.NewFlagSet("roster "+c.cmd.words, flag.ContinueOnError)
	c.flags.SetOutput(io.Discard)
	c.flags.StringVar(&c.output, "output", "table", "table, json or csv")
	c.flags.BoolVar(&c.wide, "wide", false, "show whole cells, however wide the table becomes")
	c.flags.BoolVar(&c.unguarded, "raw", false, "with -output csv: texts as they are, without the ' before what a spreadsheet would run")
	c.flags.StringVar(&c.service, "service", "", "address of the service (ROSTER_SERVICE; else the one signed in at)")
	c.flags.StringVar(&c.profile, "profile", os.Getenv("ROSTER_PROFILE"), "which of several sign-ins (ROSTER_PROFILE)")
	c.client = &client.Client{Agent: "roster/1"}
}

// reads adds the option of everything that reads.
func (c *call) reads() {
	c.flags.StringVar(&c.asOf, "as-of", "", "a past day (2026-03-01, at its end) or instant (RFC 3339)")
}

// parse reads flags and arguments in any order and finds the service. want are
// the names of the arguments.
func (c *call) parse(want ...string) error { return c.parseSome(len(want), want...) }

// parseSome is parse for commands whose last arguments may be left out.
func (c *call) parseSome(least int, want ...string) error {
	rest := c.raw
	for len(rest) > 0 {
		if err := c.flags.Parse(rest); err != nil {
			if errors.Is(err, flag.ErrHelp) {
				c.help()
				return errHelp
			}
			return &usageError{err.Error()}
		}
		rest = c.flags.Args()
		if len(rest) > 0 {
			c.args = append(c.args, rest[0])
			rest = rest[1:]
		}
	}
	switch {
	case len(c.args) < least:
		return &usageError{"name the " + strings.ToLower(strings.Join(want[len(c.args):least], ", the "))}
	case len(c.args) > len(want):
		return &usageError{fmt.Sprintf("does not know what to do with “%s”", strings.Join(c.args[len(want):], " "))}
	case c.output != "table" && c.output != "json" && c.output != "csv":
		return &usageError{"-output is table, json or csv"}
	}
	return c.find()
}

func first(all ...string) string {
	for _, s := range all {
		if s != "" {
			return s
		}
	}
	return ""
}

// at adds the past day asked about to a query.
func (c *call) at(q client.Query) (client.Query, error) {
	if c.asOf == "" {
		return q, nil
	}
	if d, err := time.ParseInLocation(time.DateOnly, c.asOf, c.zone()); err == nil {
		end := d.AddDate(0, 0, 1).Add(-time.Microsecond)
		if now := time.Now(); end.After(now) && d.Before(now) {
			end = now
		}
		return q.AsOf(end), nil
	}
	t, err := time.Parse(time.RFC3339, c.asOf)
	if err != nil {
		return nil, &usageError{fmt.Sprintf("-as-of %q is neither a day such as 2026-03-01 nor an instant such as 2026-03-01T12:00:00Z", c.asOf)}
	}
	return q.AsOf(t), nil
}

// asked is parse and at for a question whose query needs nothing of the flags.
func (c *call) asked(q client.Query, want ...string) (client.Query, error) {
	if err := c.parse(want...); err != nil {
		return nil, err
	}
	return c.at(q)
}

// zone is the organisation's time zone: days are its days, wherever the terminal stands.
func (c *call) zone() *time.Location {
	if c.home == nil {
		c.home = time.Local
		if me, err := c.client.Me(c.ctx); err == nil {
			if z, err := time.LoadLocation(me.Zone); err == nil {
				c.home = z
			}
		}
	}
	return c.home
}

// instant reads a day or an instant of a flag; blank is open. A day that is an end is the last
// one.
func (c *call) instant(name, s string) (string, error) {
	if s == "" {
		return "", nil
	}
	if d, err := calendar.ReadDate(s); err == nil {
		if name == "until" { // the last day
			d++
		}
		return d.Begins(c.zone()).Time().Format(time.RFC3339), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return "", &usageError{fmt.Sprintf("-%s %q is neither a day such as 2027-01-31 nor an instant such as 2027-01-31T18:00:00Z", name, s)}
	}
	return t.UTC().Format(time.RFC3339), nil
}

// hoursOn is the instant so many hours after one of a flag; blank is now.
func (c *call) hoursOn(from string, hours int) (string, error) {
	at := time.Now()
	if text, err := c.instant("from", from); err != nil {
		return "", err
	} else if text != "" {
		if at, err = time.Parse(time.RFC3339, text); err != nil {
			return "", err
		}
	}
	return at.Add(time.Duration(hours) * time.Hour).UTC().Format(time.RFC3339), nil
}

// people says whether a person reads the output.
func (c *call) people() bool { return c.output == "table" }

func (c *call) say(format string, args ...any) {
	if !c.people() {
		return
	}
	for i, a := range args {
		if s, ok := a.(string); ok {
			args[i] = clean(s)
		}
	}
	fmt.Fprintln(c.out, strings.TrimRight(fmt.Sprintf(format, args...), " "))
}

// given says whether a flag was given, were it blank.
func (c *call) given(name string) bool {
	found := false
	c.flags.Visit(func(f *flag.Flag) { found = found || f.Name == name })
	return found
}
