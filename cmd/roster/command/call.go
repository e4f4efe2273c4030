package command

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

// Call is one run of a command: its flags, its arguments, where it writes.
type Call struct {
	Ctx      context.Context
	Command  Command
	raw      []string
	In       io.Reader
	Out, Err io.Writer
	Client   *client.Client

	Flags   *flag.FlagSet
	Output  string
	service string
	asOf    string
	Args    []string

	profile   string // under which name one is signed in
	wide      bool   // whole cells, however wide
	unguarded bool   // texts of CSV as they are
	Screen    *screen
	home      *time.Location // of the organisation, once it was asked for

	Unchanged string // what to say where nobody gains or loses anything
}

func newCall(ctx context.Context, cmd Command, raw []string, in io.Reader, out, errOut io.Writer) *Call {
	c := &Call{Ctx: ctx, Command: cmd, raw: raw, In: in}
	c.Screen, c.Out, c.Err = newScreen(out, errOut)
	c.takesFlags()
	return c
}

// takesFlags makes the flags that every command takes.
func (c *Call) takesFlags() {
	c.Flags = flag.NewFlagSet("roster "+c.Command.Words, flag.ContinueOnError)
	c.Flags.SetOutput(io.Discard)
	c.Flags.StringVar(&c.Output, "output", "table", "table, json or csv")
	c.Flags.BoolVar(&c.wide, "wide", false, "show whole cells, however wide the table becomes")
	c.Flags.BoolVar(&c.unguarded, "raw", false, "with -output csv: texts as they are, without the ' before what a spreadsheet would run")
	c.Flags.StringVar(&c.service, "service", "", "address of the service (ROSTER_SERVICE; else the one signed in at)")
	c.Flags.StringVar(&c.profile, "profile", os.Getenv("ROSTER_PROFILE"), "which of several sign-ins (ROSTER_PROFILE)")
	c.Client = &client.Client{Agent: "roster/1", Confirm: c.confirms}
}

// Reads adds the option of everything that reads.
func (c *Call) Reads() {
	c.Flags.StringVar(&c.asOf, "as-of", "", "a past day (2026-03-01, at its end) or instant (RFC 3339)")
}

// Parse reads flags and arguments in any order and finds the service. want are
// the names of the arguments.
func (c *Call) Parse(want ...string) error { return c.ParseSome(len(want), want...) }

// ParseSome is parse for commands whose last arguments may be left out.
func (c *Call) ParseSome(least int, want ...string) error {
	rest := c.raw
	for len(rest) > 0 {
		if err := c.Flags.Parse(rest); err != nil {
			if errors.Is(err, flag.ErrHelp) {
				c.help()
				return errHelp
			}
			return WrongUse(err.Error())
		}
		rest = c.Flags.Args()
		if len(rest) > 0 {
			c.Args = append(c.Args, rest[0])
			rest = rest[1:]
		}
	}
	switch {
	case len(c.Args) < least:
		return WrongUse("name the " + strings.ToLower(strings.Join(want[len(c.Args):least], ", the ")))
	case len(c.Args) > len(want):
		return WrongUse(fmt.Sprintf("does not know what to do with “%s”", strings.Join(c.Args[len(want):], " ")))
	case c.Output != "table" && c.Output != "json" && c.Output != "csv":
		return WrongUse("-output is table, json or csv")
	}
	return c.find()
}

// First is the first of some texts that is not blank.
func First(all ...string) string {
	for _, s := range all {
		if s != "" {
			return s
		}
	}
	return ""
}

// At adds the past day asked about to a query.
func (c *Call) At(q client.Query) (client.Query, error) {
	if c.asOf == "" {
		return q, nil
	}
	if d, err := time.ParseInLocation(time.DateOnly, c.asOf, c.Zone()); err == nil {
		end := d.AddDate(0, 0, 1).Add(-time.Microsecond)
		if now := time.Now(); end.After(now) && d.Before(now) {
			end = now
		}
		return q.AsOf(end), nil
	}
	t, err := time.Parse(time.RFC3339, c.asOf)
	if err != nil {
		return nil, WrongUse(fmt.Sprintf("-as-of %q is neither a day such as 2026-03-01 nor an instant such as 2026-03-01T12:00:00Z", c.asOf))
	}
	return q.AsOf(t), nil
}

// Asked is parse and at for a question whose query needs nothing of the flags.
func (c *Call) Asked(q client.Query, want ...string) (client.Query, error) {
	if err := c.Parse(want...); err != nil {
		return nil, err
	}
	return c.At(q)
}

// Zone is the organisation's time zone: days are its days, wherever the terminal stands.
func (c *Call) Zone() *time.Location {
	if c.home == nil {
		c.home = time.Local
		if me, err := c.Client.Me(c.Ctx); err == nil {
			if z, err := time.LoadLocation(me.Zone); err == nil {
				c.home = z
			}
		}
	}
	return c.home
}

// Instant reads a day or an instant of a flag; blank is open. A day that is an end is the last
// one.
func (c *Call) Instant(name, s string) (string, error) {
	if s == "" {
		return "", nil
	}
	if d, err := calendar.ReadDate(s); err == nil {
		if name == "until" { // the last day
			d++
		}
		return d.Begins(c.Zone()).Time().Format(time.RFC3339), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return "", WrongUse(fmt.Sprintf("-%s %q is neither a day such as 2027-01-31 nor an instant such as 2027-01-31T18:00:00Z", name, s))
	}
	return t.UTC().Format(time.RFC3339), nil
}

// HoursOn is the instant so many hours after one of a flag; blank is now.
func (c *Call) HoursOn(from string, hours int) (string, error) {
	at := time.Now()
	if text, err := c.Instant("from", from); err != nil {
		return "", err
	} else if text != "" {
		if at, err = time.Parse(time.RFC3339, text); err != nil {
			return "", err
		}
	}
	return at.Add(time.Duration(hours) * time.Hour).UTC().Format(time.RFC3339), nil
}

// People says whether a person reads the output.
func (c *Call) People() bool { return c.Output == "table" }

// Say prints a line for a person; programs read the answer alone. Texts of others are cleaned.
func (c *Call) Say(format string, args ...any) {
	if !c.People() {
		return
	}
	for i, a := range args {
		if s, ok := a.(string); ok {
			args[i] = Clean(s)
		}
	}
	fmt.Fprintln(c.Out, strings.TrimRight(fmt.Sprintf(format, args...), " "))
}

// given says whether a flag was given, were it blank.
func (c *Call) given(name string) bool {
	found := false
	c.Flags.Visit(func(f *flag.Flag) { found = found || f.Name == name })
	return found
}
