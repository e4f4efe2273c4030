// Package authzen answers questions as the OpenID AuthZEN Authorization API 1.0 puts them.
//
// The names of the standard stand for ours so:
//
//   - subject: type "user" with a user name or id; type "nobody" is nobody signed in.
//   - action: an action that the application declares; or an HTTP method in capitals, and then
//     the id of the resource is the address of a call.
//   - resource: the type is the key of an application, the id a path in it; properties.owner
//     is whose it is.
//   - context: at is the instant to judge (RFC 3339), explain asks for the whole sentence and
//     the roles that would help, probe says that it is asked only to draw a menu or a button. The
//     rest is not looked at.
//
// Section numbers are those of the standard.
package authzen

import (
	"fmt"
	"time"

	"ableroster/internal/patterns"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// MostEvaluations bounds the evaluations of one request.
const MostEvaluations = 1000

// Entity is a subject (section 5.1) or a resource (section 5.2).
type Entity struct {
	Type       string         `json:"type"`
	ID         string         `json:"id"`
	Properties jsontext.Value `json:"properties,omitempty"`
}

// Action is section 5.3.
type Action struct {
	Name       string         `json:"name"`
	Properties jsontext.Value `json:"properties,omitempty"`
}

// Context is section 5.4: what we look at of it.
type Context struct {
	At      *time.Time `json:"at"`
	Explain bool       `json:"explain"`
	Probe   bool       `json:"probe"`
}

// Evaluation is one question (section 6.1), whose parts may be given for many at once (section
// 7.1).
type Evaluation struct {
	Subject  *Entity  `json:"subject"`
	Action   *Action  `json:"action"`
	Resource *Entity  `json:"resource"`
	Context  *Context `json:"context"`
}

// Evaluations is section 7.1.
type Evaluations struct {
	Evaluation
	Evaluations []Evaluation `json:"evaluations"`
	Options     struct {
		Semantic string `json:"evaluations_semantic"`
	} `json:"options"`
}

// Search is sections 8.4 to 8.6: of what is sought the type alone counts.
type Search struct {
	Evaluation
	Page Page `json:"page"`
}

// Page is section 8.2.
type Page struct {
	Token string `json:"token"`
	Limit *int   `json:"limit"`
}

// read reads the body of a request. Members that are not known are left out, as the standard
// has it; one that is given twice, or is of another type, is a fault.
func read(raw []byte, into any) error {
	if err := jsonv2.Unmarshal(raw, into); err == nil {
		return nil
	} else {
		p := seeing.Invalid("the request cannot be read")
		for _, place := range strictjson.Twice(raw) {
			p.Faults = append(p.Faults, wire.Fault{Place: "/" + place, Message: "is given twice"})
		}
		if len(p.Faults) == 0 {
			p.Faults = []wire.Fault{{Place: "/", Message: err.Error()}}
		}
		return p
	}
}

// faults are those of a question; not names the part that is sought, of which the type alone
// counts.
func (e *Evaluation) faults(at, not string) (out []wire.Fault) {
	if e.Subject.whole() && e.Resource.whole() && e.Action != nil && e.Action.Name != "" && isObject(e.Action.Properties) {
		return nil
	}
	say := func(place, message string) {
		out = append(out, wire.Fault{Place: at + "/" + place, Message: message})
	}
	entity := func(name string, x *Entity) {
		if x == nil {
			say(name, "is missing")
			return
		}
		if x.Type == "" {
			say(name+"/type", "is missing")
		}
		if name != not && x.ID == "" {
			say(name+"/id", "is missing")
		}
		if !isObject(x.Properties) {
			say(name+"/properties", "is no object")
		}
	}
	entity("subject", e.Subject)
	if not != "action" {
		if e.Action == nil {
			say("action", "is missing")
		} else if e.Action.Name == "" {
			say("action/name", "is missing")
		} else if !isObject(e.Action.Properties) {
			say("action/properties", "is no object")
		}
	}
	entity("resource", e.Resource)
	return out
}

// whole says whether an entity has all it must have.
func (x *Entity) whole() bool {
	return x != nil && x.Type != "" && x.ID != "" && isObject(x.Properties)
}

// isObject is true of an object, and of nothing.
func isObject(x jsontext.Value) bool {
	return len(x) == 0 || x.Kind() == '{' || x.Kind() == 'n'
}

// fill has a question say what it does not from what holds for all of a request.
func (e *Evaluation) fill(all *Evaluation) {
	if e.Subject == nil {
		e.Subject = all.Subject
	}
	if e.Action == nil {
		e.Action = all.Action
	}
	if e.Resource == nil {
		e.Resource = all.Resource
	}
	if e.Context == nil {
		e.Context = all.Context
	}
}

// The types of subjects.
const (
	TypeUser   = "user"
	TypeNobody = "nobody"
)

// question is what an evaluation without faults asks in our words; unknown says that its subject
// is of a type that is nobody's here.
func (e *Evaluation) question() (q wire.CheckRequest, unknown bool, err error) {
	q = wire.CheckRequest{Application: e.Resource.Type}
	switch e.Subject.Type {
	case TypeUser:
		q.User = e.Subject.ID
	case TypeNobody:
		q.Nobody = true
	default:
		unknown, q.Nobody = true, true
	}
	if e.Action != nil {
		if name := e.Action.Name; name != "" && name[0] <= 'Z' && patterns.ActionOf(name) != "" {
			q.Method = name
		} else {
			q.Action = name
		}
	}
	if q.Method != "" {
		q.Address = e.Resource.ID
	} else {
		q.Path = e.Resource.ID
	}
	if p := e.Resource.Properties; len(p) > 0 && p.Kind() == '{' {
		if err := jsonv2.Unmarshal(p, &q.Properties); err != nil {
			return q, unknown, seeing.Invalid("the request cannot be read", wire.Fault{Place: "/resource/properties/owner", Message: "is no text"})
		}
	}
	if e.Context != nil {
		q.At, q.Explain, q.Probe = e.Context.At, e.Context.Explain, e.Context.Probe
	}
	return q, unknown, nil
}

// invalid puts faults into one answer, none for none.
func invalid(faults []wire.Fault) error {
	if len(faults) == 0 {
		return nil
	}
	return seeing.Invalid(fmt.Sprintf("the request is not as the Authorization API has it: %s", count(len(faults))), faults...)
}

func count(n int) string {
	if n == 1 {
		return "one fault"
	}
	return fmt.Sprintf("%d faults", n)
}
