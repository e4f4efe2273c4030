package command

import (
	"flag"
	"fmt"
	"io"
	"slices"
	"strings"

	"ableroster/internal/near"
)

const everyCommand = `Every command takes -help, -output table, json or csv, -service URL and -profile
NAME; what reads takes -as-of DATE; what changes takes -dry-run, -reason TEXT
and -acknowledge CODE. A role is named application/key, or key for a role of the
organisation. A day that is an end is the last day; days are those of the
organisation's time zone. ROSTER_SERVICE and ROSTER_TOKEN stand in for signing
in, ROSTER_PROFILE for -profile.

Exit codes: 0 done or allowed, 1 denied or something found, 2 wrong usage,
3 refused by the service, 4 the service was not reached, 5 the output could not
be written, 130 interrupted.
`

// usage lists all commands, or those that begin with some words.
func usage(w io.Writer, begin string) {
	fmt.Fprint(w, "roster speaks to an Able Roster service.\n\n")
	for _, c := range All {
		if !c.hidden && strings.HasPrefix(c.Words+" ", begin) {
			fmt.Fprintf(w, "  roster %s\n      %s\n", strings.TrimSpace(c.Words+" "+c.args), c.about)
		}
	}
	fmt.Fprintf(w, "\nroster help COMMAND says more of one, with examples.\n\n%s", everyCommand)
}

// wantsHelp says whether a command line asks for help, and about what. A word that begins
// several commands, before -help, asks for help about these.
func wantsHelp(args []string) (about []string, asked bool) {
	forHelp := []string{"-h", "-help", "--help", "help"}
	switch {
	case len(args) == 0:
		return nil, true
	case slices.Contains(forHelp, args[0]):
		return args[1:], true
	}
	if _, _, ok := Find(args[:1]); !ok && len(args) == 2 && isGroup(args[0]) && slices.Contains(forHelp, args[1]) {
		return args[:1], true
	}
	return nil, false
}

// Find finds the command that a command line begins with, and what follows it.
func Find(args []string) (cmd Command, rest []string, ok bool) {
	for _, words := range []int{2, 1} {
		if len(args) < words {
			continue
		}
		name := strings.Join(args[:words], " ")
		for _, c := range All {
			if c.Words == name {
				return c, args[words:], true
			}
		}
	}
	return Command{}, nil, false
}

// isGroup says whether a word begins several commands, as "users" does.
func isGroup(word string) bool {
	return slices.ContainsFunc(All, func(c Command) bool { return !c.hidden && strings.HasPrefix(c.Words, word+" ") })
}

// unknown says that there is no such command, and what may have been meant: what is
// spelled nearly so, else what has the word somewhere, else what begins with the first.
func unknown(w io.Writer, args []string) {
	given := strings.Join(args[:min(2, len(args))], " ")
	fmt.Fprintf(w, "roster: there is no command “%s”\n", given)
	var words, with, under []string
	for _, c := range All {
		if c.hidden {
			continue
		}
		words = append(words, c.Words)
		if slices.Contains(strings.Fields(c.Words), args[0]) {
			with = append(with, "roster "+c.Words)
		}
		if strings.HasPrefix(c.Words, args[0]+" ") {
			under = append(under, "roster "+c.Words)
		}
	}
	meant := near.Of(given, words)
	if len(meant) == 0 && len(with) == 0 {
		meant = near.Of(args[0], words)
	}
	switch {
	case len(meant) > 0:
		fmt.Fprintf(w, "Did you mean roster %s?\n", strings.Join(meant, ", or roster "))
	case len(under) > 0:
		fmt.Fprintf(w, "There are: %s\n", strings.Join(under, ", "))
	case len(with) > 0:
		fmt.Fprintf(w, "There are: %s\n", strings.Join(with, ", "))
	default:
		fmt.Fprintln(w, "roster help lists all commands.")
	}
}

// help prints what a command does, with examples and options.
func (c *Call) help() {
	fmt.Fprintf(c.Out, "roster %s\n  %s\n", strings.TrimSpace(c.Command.Words+" "+c.Command.args), c.Command.about)
	if all := Examples[c.Command.Words]; len(all) > 0 {
		fmt.Fprint(c.Out, "\nExamples\n")
		for _, x := range all {
			fmt.Fprintf(c.Out, "  %s\n", x)
		}
	}
	fmt.Fprint(c.Out, "\nOptions\n")
	c.Flags.SetOutput(c.Out)
	c.Flags.PrintDefaults()
}

// options are the flags that a command takes.
func options(cmd Command) []*flag.Flag {
	c := &Call{Command: cmd, raw: []string{"-help"}, Out: io.Discard, Err: io.Discard, Screen: &screen{}}
	c.takesFlags()
	_ = cmd.run(c) // it says no more than its help
	var out []*flag.Flag
	c.Flags.VisitAll(func(f *flag.Flag) { out = append(out, f) })
	return out
}
