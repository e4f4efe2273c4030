// Command roster is the command-line client of Able Roster.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"ableroster/cmd/roster/command"
	_ "ableroster/cmd/roster/ledger" // its commands, as those of the others
	_ "ableroster/cmd/roster/people"
	_ "ableroster/cmd/roster/questions"
	_ "ableroster/cmd/roster/roles"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := command.Run(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
