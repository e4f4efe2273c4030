package command

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/wire"
)

// Answer prints an answer that is no list: in words for people, as it came for
// JSON, and for CSV as rows.
func (c *Call) Answer(v any, words func(), header []string, rows ...[]string) {
	if c.People() {
		words()
		return
	}
	c.Table(v, header, rows)
}

// More says, beside the output, that a list was cut: next is its cursor, blank at its end.
func (c *Call) More(next string) {
	if next != "" {
		fmt.Fprintf(c.Err, "roster %s: there is more: ask for more with -limit\n", c.Command.Words)
	}
}

// Done says that something was done that has no answer of its own.
func (c *Call) Done(format string, args ...any) {
	text := fmt.Sprintf(format, args...)
	c.Answer(map[string]string{"done": text}, func() { c.Say("%s", text) }, []string{"done"}, []string{text})
}

// writes refuses an output that a command cannot make, which writes files of one
// form.
func (c *Call) writes(form string) error {
	if c.given("output") && !strings.EqualFold(c.Output, form) {
		return WrongUse("writes " + form + ", and takes no other -output")
	}
	return nil
}

// NotThere is the answer for what a list that came from the service has not.
func NotThere(format string, args ...any) error {
	return &wire.Problem{Status: 404, Type: "not-found", Title: "Not found", Detail: fmt.Sprintf(format, args...)}
}

// pairs are rows of one text with each of others.
func pairs(one string, others []string) [][]string {
	var out [][]string
	for _, x := range others {
		out = append(out, []string{one, x})
	}
	return out
}

// Keys are the keys of things, with semicolons between them.
func Keys(all []wire.Ref) string {
	var out []string
	for _, r := range all {
		out = append(out, r.Key)
	}
	return strings.Join(out, ";")
}

// instantText is an instant as scripts read it, blank for none.
func instantText(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

var effectHeader = []string{"users", "others", "what", "application", "action", "on", "condition", "from", "until"}

// effectRows are who gains and loses what: a row for each class of users and each
// thing, with the user names behind each other and the number of those not named.
func effectRows(p *wire.Preview) [][]string {
	var out [][]string
	if p == nil {
		return nil
	}
	for _, e := range p.Effects {
		var names []string
		for _, u := range e.Users {
			names = append(names, u.Key)
		}
		for _, side := range []struct {
			what  string
			lines []wire.Entitlement
		}{{"gains", e.Gained}, {"loses", e.Lost}} {
			for _, l := range side.lines {
				condition := ""
				if l.Own {
					condition = "own"
				}
				if l.Schedule != nil {
					condition = strings.TrimPrefix(condition+", "+l.Schedule.Words, ", ")
				}
				out = append(out, []string{strings.Join(names, ";"), strconv.Itoa(e.UserCount - len(names)), side.what, l.Application.Key, l.Action, l.Target, condition, instantText(l.From), instantText(l.Until)})
			}
		}
	}
	return out
}
