package command

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

const exitDone = 0 // done, or allowed

// Run runs a command line, and is its exit code.
func Run(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	if about, asked := wantsHelp(args); asked {
		cmd, _, ok := Find(about)
		begin := strings.Join(about, " ") + " "
		switch {
		case ok:
			return runCommand(ctx, cmd, []string{"-help"}, in, out, errOut)
		case len(about) == 0:
			begin = ""
		case !slices.ContainsFunc(All, func(c Command) bool { return strings.HasPrefix(c.Words, begin) }):
			unknown(errOut, about)
			return exitUsage
		}
		usage(out, begin)
		return exitDone
	}
	cmd, rest, ok := Find(args)
	if !ok {
		unknown(errOut, args)
		return exitUsage
	}
	return runCommand(ctx, cmd, rest, in, out, errOut)
}

// ErrDenied ends a command whose answer is no; it has been printed.
var ErrDenied = errors.New("denied")

// errWouldRefuse ends a dry run of what would be refused; it has been printed.
var errWouldRefuse = errors.New("would be refused")

// refusedFor is errWouldRefuse where a dry run ran into guard rails that are not passed:
// it ends as the commit would.
func refusedFor(r wire.ChangeResult) error {
	if r.DryRun && r.Preview != nil && r.Preview.Refused {
		return errWouldRefuse
	}
	return nil
}

// usageError is what is wrong with a command line.
type usageError struct{ message string }

// WrongUse says what is wrong with a command line.
func WrongUse(message string) error { return &usageError{message} }

func (e *usageError) Error() string { return e.message }

func runCommand(ctx context.Context, cmd Command, args []string, in io.Reader, out, errOut io.Writer) int {
	c := newCall(ctx, cmd, args, in, out, errOut)
	code := c.ended(cmd.run(c))
	if failed := c.Screen.close(); failed != nil && (code == exitDone || code == exitDenied) {
		fmt.Fprintf(errOut, "roster %s: the output could not be written: %s\n", cmd.Words, cause(failed))
		return exitNotWritten
	}
	return code
}

// ended says what came of a command, and is its exit code.
func (c *Call) ended(err error) int {
	cmd, errOut := c.Command, c.Err
	var u *usageError
	var p *wire.Problem
	switch {
	case err == nil, errors.Is(err, errHelp):
		return exitDone
	case errors.Is(err, ErrDenied):
		return exitDenied
	case errors.Is(err, ErrInterrupted), c.Ctx.Err() != nil && errors.Is(err, context.Canceled):
		fmt.Fprintf(errOut, "roster %s: interrupted\n", cmd.Words)
		return exitBrokenOff
	case errors.Is(err, errWouldRefuse):
		return exitRefused
	case errors.As(err, &u):
		fmt.Fprintf(errOut, "roster %s: %s\nusage: roster %s\n", cmd.Words, u.message, strings.TrimSpace(cmd.Words+" "+cmd.args))
		return exitUsage
	case errors.As(err, &p):
		c.problem(p)
		return exitRefused
	case errors.Is(err, client.ErrNotReached):
		fmt.Fprintf(errOut, "roster: the service at %s did not answer: %s\n", c.Client.Base, cause(err))
		return exitNotReached
	}
	if w := (*fs.PathError)(nil); errors.As(err, &w) && w.Op == "write" { // told once, when all has ended
		c.Screen.note(err)
		return exitDone
	}
	fmt.Fprintf(errOut, "roster %s: %v\n", cmd.Words, err)
	return exitRefused
}

// mostTold is how many faults a person is told of at once.
const mostTold = 40

// problem says what the service would not do, with every fault.
func (c *Call) problem(p *wire.Problem) {
	if c.Output == "json" {
		c.JSON(p)
		return
	}
	fmt.Fprintf(c.Err, "roster %s: %s\n", c.Command.Words, p.Detail)
	faults := p.Faults
	if len(faults) > mostTold {
		faults = byKind(faults)
	}
	for i, f := range faults {
		if i == mostTold {
			fmt.Fprintf(c.Err, "  … and %d more kinds; -output json has them all\n", len(faults)-i)
			break
		}
		line := f.Message
		if place := c.place(f.Place); place != "" {
			line = place + ": " + f.Message
		}
		if !strings.HasSuffix(p.Detail, f.Message) {
			fmt.Fprintf(c.Err, "  %s\n", line)
		}
		if len(f.DidYouMean) > 0 && !strings.Contains(p.Detail, "did you mean") {
			fmt.Fprintf(c.Err, "    did you mean %s?\n", strings.Join(f.DidYouMean, " or "))
		}
	}
	for _, r := range p.Rails {
		how := "no acknowledgement is possible"
		if r.Passable {
			how = "add -acknowledge " + r.Code + " to go on"
		}
		if !strings.HasPrefix(p.Detail, r.Message) {
			fmt.Fprintf(c.Err, "  %s\n", r.Message)
		}
		fmt.Fprintf(c.Err, "    %s\n", how)
	}
	for _, m := range p.Moved {
		if m.Revision > 0 {
			fmt.Fprintf(c.Err, "  revision %d: %s\n", m.Revision, strings.Join(m.Sentences, "; "))
		}
	}
	if p.Type == "confirmation-needed" && !strings.Contains(p.Detail, "no password") {
		fmt.Fprintln(c.Err, "  At a terminal you are asked for it; roster sign-in signs you in again.")
	}
	if p.Status == 401 {
		fmt.Fprintln(c.Err, "  roster sign-in gets a token.")
	}
}

// byKind puts faults together that say the same of the same column: the first, with how many more
// there are. They are in the order of their number.
func byKind(faults []wire.Fault) []wire.Fault {
	type kind struct{ column, message string }
	count := map[kind]int{}
	var out []wire.Fault
	for _, f := range faults {
		k := kind{f.Column, f.Message}
		if count[k]++; count[k] == 1 {
			out = append(out, f)
		}
	}
	slices.SortStableFunc(out, func(a, b wire.Fault) int {
		return count[kind{b.Column, b.Message}] - count[kind{a.Column, a.Message}]
	})
	for i := range out {
		if n := count[kind{out[i].Column, out[i].Message}]; n > 1 {
			out[i].Message += fmt.Sprintf(" (and %d more like it)", n-1)
		}
	}
	return out
}

// place makes a JSON pointer into a change readable: the operations of a
// command are its own business.
func (c *Call) place(p string) string {
	if _, after, ok := strings.Cut(p, "/operations/"); ok && strings.HasPrefix(p, "/lines/") { // of a pending change
		p = "/operations/" + after
	}
	if rest, ok := strings.CutPrefix(p, "/operations/"); ok {
		_, field, _ := strings.Cut(rest, "/")
		return field
	}
	if n, ok := strings.CutPrefix(p, "/paths/"); ok { // of a list, a line each
		if i, err := strconv.Atoi(n); err == nil {
			return fmt.Sprintf("line %d", i+1)
		}
	}
	return strings.TrimPrefix(p, "/")
}

// cause is what went wrong, without what everybody knows who wrote the command.
func cause(err error) string {
	var u *url.Error
	var p *fs.PathError
	var o *net.OpError
	switch {
	case errors.As(err, &o) && o.Err != nil:
		return o.Op + ": " + o.Err.Error()
	case errors.As(err, &u) && u.Err != nil:
		return u.Err.Error()
	case errors.As(err, &p) && p.Err != nil:
		return p.Err.Error()
	}
	return err.Error()
}

// The exit codes, for scripts.
const (
	exitDenied     = 1 // denied, or a finding
	exitUsage      = 2
	exitRefused    = 3 // by the service
	exitNotReached = 4
	exitNotWritten = 5   // the output
	exitBrokenOff  = 130 // as shells have it: 128 and the number of the signal
)
