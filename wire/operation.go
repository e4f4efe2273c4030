package wire

import (
	_ "embed"
	"encoding/json"
	"sync"
)

// OperationKind is a kind of operation that a change may hold.
type OperationKind struct {
	Verb   string           `json:"op"`
	Help   string           `json:"help"` // what it does, as a sentence without its full stop
	Fields []OperationField `json:"fields"`
}

// OperationField is a field of it that a caller may give.
type OperationField struct {
	Name  string   `json:"name"`
	Flag  string   `json:"flag"` // its option on the command line
	Type  string   `json:"type"` // text, texts, truth, number, day, instant or object
	Doc   string   `json:"doc,omitempty"`
	OneOf []string `json:"one_of,omitempty"` // what it may be; nil: anything
}

// operations is written by scripts/build.sh, from what the service has registered.
//
//go:embed operations.json
var operations []byte

var kinds = sync.OnceValue(func() map[string]OperationKind {
	var all []OperationKind
	if err := json.Unmarshal(operations, &all); err != nil {
		panic(err) // built in
	}
	out := map[string]OperationKind{}
	for _, k := range all {
		out[k.Verb] = k
	}
	return out
})

// OperationOf is a kind of operation by its verb; one without fields where there is none.
func OperationOf(verb string) OperationKind { return kinds()[verb] }
