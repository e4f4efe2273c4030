package command

// Command is one thing the client can do.
type Command struct {
	Words string // "users list"
	args  string // what follows
	about string
	run   func(*Call) error

	hidden bool // it is for programs
}

// New is a command: its words, the arguments and options that follow them, what it does in a
// few words, and what does it.
func New(words, args, about string, run func(*Call) error) Command {
	return Command{Words: words, args: args, about: about, run: run}
}

// ForPrograms is a command that no list shows.
func ForPrograms(words, args, about string, run func(*Call) error) Command {
	return Command{Words: words, args: args, about: about, run: run, hidden: true}
}

// All are the commands there are, in the order in which they are listed. They are set before
// Run is called.
var All []Command

// Examples are command lines that work on the demo organisation, by the words of their command:
// see e2e/contract_examples_test.go, which runs each of them in order, in a directory with the
// files that they name.
var Examples = map[string][]string{}
