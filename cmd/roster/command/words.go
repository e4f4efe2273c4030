package command

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/wire"
)

// Day says an instant in the terminal's time zone.
func (c *Call) Day(t *time.Time) string { return t.In(c.Zone()).Format("2 Jan 2006") }

// Times writes the window of an operation.
func (c *Call) Times(op map[string]any, from, until string) error {
	for field, value := range map[string]string{"from": from, "until": until} {
		t, err := c.Instant(field, value)
		if err != nil {
			return err
		}
		if t != "" {
			op[field] = t
		}
	}
	return nil
}

// Count is a number with what is counted: 1 user, 2 users.
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if what == "person" {
		return strconv.Itoa(n) + " people"
	}
	return strconv.Itoa(n) + " " + what + "s"
}

// AsOfWords says which day an answer is of; blank for now.
func (c *Call) AsOfWords(s wire.Basis) string {
	if !s.AsOf {
		return ""
	}
	return ", as of " + s.At.In(c.Zone()).Format("2 January 2006 15:04") + fmt.Sprintf(" (revision %d)", s.Revision)
}

// Window is from when and until when, in words; blank where it is open.
func (c *Call) Window(from, until *time.Time) string {
	out := ""
	if from != nil {
		out = "from " + calendar.FromWords(*from, c.Zone())
	}
	if until != nil {
		out = strings.TrimSpace(out + " until " + calendar.UntilWords(*until, c.Zone()))
	}
	return out
}

// EndOf reads a day, at its end, or an instant.
func (c *Call) EndOf(s string) (time.Time, error) {
	if d, err := time.ParseInLocation(time.DateOnly, s, c.Zone()); err == nil {
		return d.AddDate(0, 0, 1).Add(-time.Microsecond), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return t, WrongUse(fmt.Sprintf("%q is neither a day such as 2026-03-01 nor an instant such as 2026-03-01T12:00:00Z", s))
	}
	return t, nil
}

// Second is a time to the second, in the zone of whoever asks.
func (c *Call) Second(t time.Time) string { return t.In(c.Zone()).Format("2006-01-02 15:04:05 MST") }

// Names gathers a flag that may be given several times.
type Names []string

// String implements flag.Value.
func (n *Names) String() string { return strings.Join(*n, ",") }

// Set implements flag.Value.
func (n *Names) Set(s string) error { *n = append(*n, s); return nil }

// ReadFile reads a file, or standard input for "-".
func ReadFile(c *Call, name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(c.In)
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return nil, WrongUse(err.Error())
	}
	return raw, nil
}

// Refs are the keys of things, one after the other.
func Refs(all []wire.Ref) string {
	var out []string
	for _, r := range all {
		out = append(out, First(r.Key, r.Label))
	}
	return strings.Join(out, ", ")
}

// Labels are what people call some things, one after the other.
func Labels(refs []wire.Ref) string {
	var out []string
	for _, r := range refs {
		out = append(out, r.Label)
	}
	return strings.Join(out, ", ")
}

// PathWords says a way to a role in words, from the user on.
func PathWords(p wire.Path) string {
	var out []string
	for i, s := range p.Steps {
		switch {
		case i == 0:
		case s.Default != nil && s.Kind == "group":
			out = append(out, "group "+s.Label+" by the default rule "+s.Default.Label)
		case s.Default != nil:
			out = append(out, "by the default rule "+s.Default.Label)
		case s.Kind == "group" && s.Rule != "":
			out = append(out, "group "+s.Label+", which chooses "+s.Rule)
		case s.Kind == "group":
			out = append(out, "group "+s.Label)
		case s.Kind == "role" && i < len(p.Steps)-1:
			out = append(out, "includes: role "+s.Label)
		}
	}
	if len(out) == 0 {
		return "given directly"
	}
	return strings.Join(out, ", ")
}

// ThroughGroup says through which group somebody is in another.
func ThroughGroup(g wire.Membership) string {
	if g.Rule != "" {
		return "(chosen by " + g.Rule + ")"
	}
	if g.Through == nil {
		return ""
	}
	return "(through " + g.Through.Label + ")"
}

// Given says who gave something, and why.
func Given(g *wire.Given) string {
	if g == nil || g.At.IsZero() {
		return ""
	}
	by := "the host"
	if g.By != nil {
		by = g.By.Label
	}
	return fmt.Sprintf("· given by %s on %s: %s", by, g.At.Format("2 Jan 2006"), g.Reason)
}

// MemberWhy says why somebody is in a group.
func MemberWhy(m wire.GroupMember) string {
	through := ""
	if len(m.Through) > 0 {
		through = " of " + Labels(m.Through)
	}
	switch m.How {
	case "everybody":
		return "everybody is"
	case "rule":
		return strings.TrimSpace("chosen by the filter" + through + " " + m.Rule)
	case "group":
		var in []string
		for _, g := range m.Through {
			in = append(in, g.Label)
		}
		return "in the group " + strings.Join(in, ", in ")
	}
	return "listed"
}

// Limits reads the scopes and the schedule of a grant.
func Limits(op map[string]any, within Names, when string) error {
	var scopes []map[string]string
	for _, w := range within {
		app, pattern, ok := strings.Cut(w, ":")
		if !ok || app == "" || pattern == "" {
			return WrongUse(fmt.Sprintf("-within %q is not an application and a pattern, such as berth-planning:berths/north-*", w))
		}
		scopes = append(scopes, map[string]string{"application": app, "pattern": pattern})
	}
	if scopes != nil {
		op["scopes"] = scopes
	}
	if when == "" {
		return nil
	}
	x, err := calendar.ReadScheduleLine(when)
	if err != nil {
		return WrongUse("-schedule " + err.Error())
	}
	op["schedule"] = x
	return nil
}

// Parenthesis is a text after a blank and in parentheses; blank for none.
func Parenthesis(s string) string {
	if s == "" {
		return ""
	}
	return "(" + s + ")"
}

// LimitsOf are an assignment's window, scopes and schedule in words.
func LimitsOf(c *Call, a wire.Assignment) string {
	out := []string{}
	if w := c.Window(a.From, a.Until); w != "" {
		out = append(out, w)
	}
	for _, s := range a.Scopes {
		out = append(out, "within "+s.Application.Key+":"+s.Pattern)
	}
	if a.Schedule != nil {
		out = append(out, a.Schedule.Words)
	}
	return strings.Join(out, ", ")
}
