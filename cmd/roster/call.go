package main

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"
	"time"
	"unicode/utf8"

	"ableroster/client"
	"ableroster/wire"

	"golang.org/x/term"
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
	zone    *time.Location

	unchanged string // what to say where nobody gains or loses anything
}

func newCall(ctx context.Context, cmd command, raw []string, in io.Reader, out, errOut io.Writer) *call {
	c := &call{ctx: ctx, cmd: cmd, raw: raw, in: in, out: out, err: errOut, zone: time.Local}
	c.flags = flag.NewFlagSet("roster "+cmd.words, flag.ContinueOnError)
	c.flags.SetOutput(io.Discard)
	c.flags.StringVar(&c.output, "output", "table", "table, json or csv")
	c.flags.StringVar(&c.service, "service", "", "address of the service (ROSTER_SERVICE; else the one signed in at)")
	c.client = &client.Client{Agent: "roster/1"}
	return c
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
				fmt.Fprintf(c.out, "roster %s %s\n  %s\n\n", c.cmd.words, c.cmd.args, c.cmd.about)
				c.flags.SetOutput(c.out)
				c.flags.PrintDefaults()
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

// saved is what sign-in keeps for later commands.
type saved struct {
	Service string `json:"service"`
	Token   string `json:"token"`
	ID      int64  `json:"token_id"`
	User    string `json:"user"`
}

func savedPath() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "able-roster", "sign-in.json"), err
}

func readSaved() saved {
	var s saved
	if path, err := savedPath(); err == nil {
		if raw, err := os.ReadFile(path); err == nil {
			_ = json.Unmarshal(raw, &s)
		}
	}
	return s
}

const defaultService = "http://127.0.0.1:7420"

func (c *call) find() error {
	s := readSaved()
	c.client.Base = first(c.service, os.Getenv("ROSTER_SERVICE"), s.Service, defaultService)
	c.client.Base = strings.TrimRight(c.client.Base, "/")
	c.client.Token = os.Getenv("ROSTER_TOKEN")
	// A token goes only to the service that gave it.
	if c.client.Token == "" && c.client.Base == s.Service {
		c.client.Token = s.Token
	}
	return nil
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
	if d, err := time.ParseInLocation(time.DateOnly, c.asOf, c.zone); err == nil {
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

// instant reads a day or an instant of a flag; blank is open.
func (c *call) instant(name, s string) (string, error) {
	if s == "" {
		return "", nil
	}
	if d, err := time.ParseInLocation(time.DateOnly, s, c.zone); err == nil {
		return d.UTC().Format(time.RFC3339), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return "", &usageError{fmt.Sprintf("-%s %q is neither a day such as 2027-01-31 nor an instant such as 2027-01-31T18:00:00Z", name, s)}
	}
	return t.UTC().Format(time.RFC3339), nil
}

func (c *call) json(v any) {
	e := json.NewEncoder(c.out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	_ = e.Encode(v)
}

// table prints rows as the output asks: aligned for people, or CSV; v is what
// JSON shows instead.
func (c *call) table(v any, header []string, rows [][]string) {
	switch c.output {
	case "json":
		c.json(v)
	case "csv":
		w := csv.NewWriter(c.out)
		_ = w.Write(header)
		for _, r := range rows {
			for i := range r {
				r[i] = wire.CSVText(r[i])
			}
			_ = w.Write(r)
		}
		w.Flush()
	default:
		w := tabwriter.NewWriter(c.out, 0, 4, 2, ' ', 0)
		fmt.Fprintln(w, strings.Join(upper(header), "\t"))
		for _, r := range rows {
			for i := range r {
				r[i] = clean(r[i])
			}
			fmt.Fprintln(w, strings.Join(r, "\t"))
		}
		w.Flush()
	}
}

func upper(words []string) []string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = strings.ToUpper(strings.ReplaceAll(w, "_", " "))
	}
	return out
}

// clean keeps what others wrote from moving the cursor of a terminal.
func clean(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s)
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

// ask asks a person at a terminal; ok is false when there is none.
func (c *call) ask(prompt string, hidden bool) (answer string, ok bool) {
	f, isFile := c.in.(*os.File)
	if !isFile || !term.IsTerminal(int(f.Fd())) {
		return "", false
	}
	fmt.Fprint(c.err, prompt)
	if hidden {
		raw, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(c.err)
		return string(raw), err == nil
	}
	var b strings.Builder
	one := make([]byte, 1)
	for {
		n, err := f.Read(one)
		if n == 1 && one[0] == '\n' || err != nil {
			return strings.TrimSpace(b.String()), true
		}
		b.Write(one[:n])
	}
}

// given says whether a flag was given, were it blank.
func (c *call) given(name string) bool {
	found := false
	c.flags.Visit(func(f *flag.Flag) { found = found || f.Name == name })
	return found
}
