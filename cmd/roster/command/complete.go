package command

import (
	"context"
	"flag"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"ableroster/client"
)

func init() {
	Add("completion", "SHELL", "the script by which bash, zsh or fish completes command lines", Completion)
	AddForPrograms("complete", "WORD…", "how a command line may go on", Complete)
}

// shells are the scripts by which a shell asks us how a command line goes on. Each gives the
// words after roster, the last of which is being typed.
var shells = map[string]string{
	"bash": `_roster() {
    local IFS=$'\n'
    COMPREPLY=($(roster complete -- "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
}
complete -o default -F _roster roster
`,
	"zsh": `#compdef roster
_roster() {
    local -a all
    all=("${(@f)$(roster complete -- "${(@)words[2,CURRENT]}" 2>/dev/null)}")
    compadd -a all
}
compdef _roster roster
`,
	"fish": `complete -c roster -f -a '(roster complete -- (commandline -opc)[2..] (commandline -ct) 2>/dev/null)'
`,
}

// Completion prints the script of a shell.
func Completion(c *Call) error {
	if err := c.Parse("SHELL"); err != nil {
		return err
	}
	script, ok := shells[c.Args[0]]
	if !ok {
		return WrongUse("knows bash, zsh and fish")
	}
	if err := c.writes("a shell script"); err != nil {
		return err
	}
	_, err := io.WriteString(c.Out, script)
	return err
}

// Complete prints how the last of some words may go on, a line each. It says nothing else,
// whatever goes wrong.
func Complete(c *Call) error {
	words := c.raw
	if len(words) > 0 && words[0] == "--" {
		words = words[1:]
	}
	if len(words) == 0 {
		words = []string{""}
	}
	for _, x := range c.candidates(words[:len(words)-1], words[len(words)-1]) {
		fmt.Fprintln(c.Out, Clean(x))
	}
	return nil
}

// candidates are what may stand after some words, and begins as it is typed.
func (c *Call) candidates(before []string, typed string) []string {
	var out []string
	add := func(x string) {
		if strings.HasPrefix(x, typed) && !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	if len(before) > 0 && before[0] == "help" {
		before = before[1:]
	}
	cmd, rest, ok := Find(before)
	if more := strings.Join(before, " "); !ok || len(rest) == 0 && len(before) == 1 {
		for _, x := range All {
			if words := strings.Fields(x.Words); !x.hidden && len(words) > len(before) && strings.HasPrefix(x.Words+" ", strings.TrimLeft(more+" ", " ")) {
				add(words[len(before)])
			}
		}
	}
	if !ok {
		return out
	}
	flags := options(cmd)
	if strings.HasPrefix(typed, "-") {
		for _, f := range flags {
			add("-" + f.Name)
		}
		return out
	}
	// What is typed is the value of an option, or an argument.
	place := 0
	for i := 0; i < len(rest); i++ {
		name, isFlag := strings.CutPrefix(rest[i], "-")
		if !isFlag {
			place++
			continue
		}
		name = strings.TrimPrefix(name, "-")
		f := slices.IndexFunc(flags, func(f *flag.Flag) bool { return f.Name == name })
		if f < 0 || isBool(flags[f]) {
			continue
		}
		if i == len(rest)-1 {
			return c.named(name, typed)
		}
		i++
	}
	var places []string
	for _, a := range strings.Fields(cmd.args) {
		if a == "|" {
			break
		}
		if a[0] != '[' && strings.ToUpper(a) == a {
			places = append(places, a)
		}
	}
	if len(places) == 0 {
		return out
	}
	for _, x := range c.named(strings.ToLower(strings.TrimRight(places[min(place, len(places)-1)], "…")), typed) {
		add(x)
	}
	return out
}

// fixed are the values of options that have few.
var fixed = map[string][]string{
	"output": {"table", "json", "csv"}, "status": {"invited", "active", "suspended", "departed"}, "risk": {"low", "medium", "high"}, "shell": {"bash", "fish", "zsh"},
	"state": {"draft", "rehearsal", "live", "retired"}, "approve|refuse": {"approve", "refuse"}, "may|may-not": {"may", "may-not"}, "format": {"csv", "ldif"},
}

// kinds say of what kind an argument or the value of an option is, by its name.
var kinds = map[string]string{
	"user": "user", "colleague": "user", "by": "user", "for": "user", "manager": "user", "owner": "user", "hand-over-to": "user", "pass-to": "user", "let-through": "user",
	"role": "role", "other_role": "role", "replacement": "role", "group": "group", "trial-group": "group", "application": "application", "unit": "unit", "to": "unit", "into": "unit", "head": "user",
}

// named are the names of a kind that begin as is typed, as the service has them.
func (c *Call) named(kind, typed string) []string {
	if all, ok := fixed[kind]; ok {
		return beginning(all, typed)
	}
	c.takesFlags()
	if c.find() != nil {
		return nil
	}
	ctx, cancel := context.WithTimeout(c.Ctx, 2*time.Second) // somebody waits for a key
	defer cancel()
	var all []string
	switch kinds[kind] {
	case "user":
		if out, err := c.Client.Users(ctx, client.Query{"q": typed, "limit": "100"}); err == nil {
			for _, u := range out.Users {
				all = append(all, u.UserName)
			}
		}
	case "role":
		if out, err := c.Client.Roles(ctx, nil); err == nil {
			for _, r := range out.Roles {
				all = append(all, r.Key)
			}
		}
	case "group":
		if out, err := c.Client.Groups(ctx, nil); err == nil {
			for _, g := range out.Groups {
				all = append(all, g.Key)
			}
		}
	case "application":
		if out, err := c.Client.Applications(ctx, nil); err == nil {
			for _, a := range out.Applications {
				all = append(all, a.Key)
			}
		}
	case "unit":
		if out, err := c.Client.Units(ctx, nil); err == nil {
			for _, u := range out.Units {
				all = append(all, u.Path)
			}
		}
	}
	return beginning(all, typed)
}

func beginning(all []string, typed string) []string {
	return slices.DeleteFunc(slices.Clone(all), func(x string) bool { return !strings.HasPrefix(x, typed) })
}

// isBool says whether an option takes no value.
func isBool(f *flag.Flag) bool {
	b, ok := f.Value.(interface{ IsBoolFlag() bool })
	return ok && b.IsBoolFlag()
}
