package command

// Command is one thing the client can do.
type Command struct {
	Words string // "users list"
	args  string // what follows
	about string
	run   func(*Call) error

	hidden bool // it is for programs
}

// All are the commands there are, in the order in which they are listed. Each is added in the
// file of the function that does it.
var All []Command

// Add adds a command: its words, the arguments and options that follow them, what it does in
// a few words, and what does it. It is called before Run.
func Add(words, args, about string, run func(*Call) error) {
	add(Command{Words: words, args: args, about: about, run: run})
}

// AddForPrograms adds a command that no list shows.
func AddForPrograms(words, args, about string, run func(*Call) error) {
	add(Command{Words: words, args: args, about: about, run: run, hidden: true})
}

// Examples are command lines that work on the demo organisation, by the words of their command:
// see e2e/contract_examples_test.go, which runs each of them in order, in a directory with the
// files that they name.
var Examples = map[string][]string{}
