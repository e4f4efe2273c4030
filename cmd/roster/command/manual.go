package command

import (
	"fmt"
	"strings"
)

func init() {
	Add("manual", "", "a manual page of all commands, for man", Manual)
}

// Manual prints a manual page of all commands, in the language of man(7).
func Manual(c *Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	if err := c.writes("roff"); err != nil {
		return err
	}
	var b strings.Builder
	b.WriteString(".TH ROSTER 1 \"\" \"Able Roster\" \"Able Roster\"\n.SH NAME\nroster \\- the command line of Able Roster\n" +
		".SH SYNOPSIS\n.B roster\n.I COMMAND\n[\\fIoptions\\fR] [\\fIarguments\\fR]\n.SH DESCRIPTION\n")
	for para := range strings.SplitSeq(everyCommand, "\n\n") {
		fmt.Fprintf(&b, ".PP\n%s\n", roff(strings.TrimSpace(para)))
	}
	b.WriteString(".SH COMMANDS\n")
	for _, cmd := range All {
		if cmd.hidden {
			continue
		}
		fmt.Fprintf(&b, ".SS roster %s\n%s.\n", roff(strings.TrimSpace(cmd.Words+" "+cmd.args)), roff(capital(cmd.about)))
		for _, f := range options(cmd) {
			if common[f.Name] {
				continue
			}
			fmt.Fprintf(&b, ".TP\n.B \\-%s\n%s\n", roff(f.Name), roff(f.Usage))
		}
		if all := Examples[cmd.Words]; len(all) > 0 {
			b.WriteString(".PP\n.EX\n")
			for _, x := range all {
				b.WriteString(roff(x) + "\n")
			}
			b.WriteString(".EE\n")
		}
	}
	b.WriteString(".SH FILES\n.TP\n.I able\\-roster/sign\\-ins.json\nthe sign\\-ins that are kept, in the directory for configuration of the user\n")
	_, err := c.Out.Write([]byte(b.String()))
	return err
}

// common are the options of every command, which are told once.
var common = map[string]bool{"output": true, "service": true, "profile": true, "wide": true, "raw": true}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// roff is a text as it is, in roff.
func roff(s string) string {
	s = strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(s)
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		if strings.HasPrefix(l, ".") || strings.HasPrefix(l, "'") {
			lines[i] = `\&` + l
		}
	}
	return strings.Join(lines, "\n")
}
