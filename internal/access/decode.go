package access

import (
	"encoding/json"
	"fmt"

	"ableroster/internal/strict"
)

// DecodeOperation reads one operation: a JSON object whose "op" names its
// kind. Every field it does not have, that is of another type, or that only the
// ledger sets is a fault at its place, such as "scopes/0/pattern".
func DecodeOperation(raw []byte) (Operation, []Fault) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, faults
	}
	for _, f := range strict.Unmarshal(rest, op) {
		faults = append(faults, Fault{Field: f.Place, Message: f.Message})
	}
	if len(faults) > 0 {
		return nil, faults
	}
	if s, ok := op.(interface{ Settled() string }); ok && s.Settled() != "" {
		return nil, []Fault{{Field: s.Settled(), Message: "is set by the service"}}
	}
	return op, nil
}

// DecodeStored reads an operation as the ledger keeps it.
func DecodeStored(raw []byte) (Operation, error) {
	op, rest, faults := newOperation(raw)
	if len(faults) > 0 {
		return nil, &faults[0]
	}
	return op, strict.Quickly(rest, op)
}

// newOperation is an empty operation of the kind that JSON names, and the rest
// of its fields.
func newOperation(raw []byte) (Operation, json.RawMessage, []Fault) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(raw, &fields); err != nil || fields == nil {
		return nil, nil, []Fault{{Message: "must be an object with an \"op\""}}
	}
	var verb string
	if op := fields["op"]; op != nil {
		if err := json.Unmarshal(op, &verb); err != nil {
			return nil, nil, []Fault{{Field: "op", Message: "must be a text"}}
		}
	}
	if verb == "" {
		return nil, nil, []Fault{{Field: "op", Message: "is missing"}}
	}
	build := verbs[verb]
	if build == nil {
		return nil, nil, []Fault{{Field: "op", Message: fmt.Sprintf("there is no operation %q", strict.Short(verb))}}
	}
	delete(fields, "op")
	rest, err := json.Marshal(fields)
	if err != nil {
		return nil, nil, []Fault{{Message: err.Error()}}
	}
	return build(), rest, nil
}
