package authzen

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/url"

	"ableroster/internal/access"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Decision is section 6.2.
type Decision struct {
	Decision bool    `json:"decision"`
	Context  *Answer `json:"context,omitempty"`
}

// Answer is what a decision says beside itself.
type Answer struct {
	Reason      string  `json:"reason,omitempty"` // a code, as that of POST /api/v1/check
	ReasonAdmin *Text   `json:"reason_admin,omitempty"`
	ReasonUser  *Text   `json:"reason_user,omitempty"`
	Revision    int64   `json:"revision,omitempty"`
	Requestable []Offer `json:"requestable,omitempty"` // roles that would allow it and can be asked for
	Error       *Error  `json:"error,omitempty"`
}

// Text is a text by the tag of its language, of which we have one.
type Text struct {
	English string `json:"en"`
}

// Offer is a role that can be asked for, and where.
type Offer struct {
	Role    string `json:"role"`
	Label   string `json:"label"`
	Request string `json:"request"` // the page on which it is asked for
}

// Error is what one of many evaluations is answered with that cannot be made (section 7.2).
type Error struct {
	Status  int    `json:"status"`
	Message string `json:"message"`
}

// Decisions is section 7.2.
type Decisions struct {
	Evaluations []Decision `json:"evaluations"`
}

// Permitted is a decision without a context, which most are, as JSON.
const Permitted = `{"decision":true}`

// JSON is how decisions are written.
func (d *Decisions) JSON() ([]byte, error) {
	size := 64
	for i := range d.Evaluations {
		if size += 20; d.Evaluations[i].Context != nil {
			size += 300
		}
	}
	out := append(make([]byte, 0, size), `{"evaluations":[`...)
	written := map[told][]byte{} // most denials of a request say the same
	for i := range d.Evaluations {
		if i > 0 {
			out = append(out, ',')
		}
		x := &d.Evaluations[i]
		if x.Decision && x.Context == nil {
			out = append(out, Permitted...)
			continue
		}
		k, short := x.told()
		if raw, ok := written[k]; ok && short {
			out = append(out, raw...)
			continue
		}
		raw, err := json.Marshal(x)
		if err != nil {
			return nil, err
		}
		if short {
			written[k] = raw
		}
		out = append(out, raw...)
	}
	return append(out, "]}"...), nil
}

// told is all that a decision says which has a reason and nothing more.
type told struct {
	decision            bool
	reason, admin, user string
	revision            int64
}

// told is what a decision says; short says that this is all of it.
func (d *Decision) told() (t told, short bool) {
	c := d.Context
	if c == nil || c.Error != nil || len(c.Requestable) > 0 || c.ReasonAdmin == nil || c.ReasonUser == nil {
		return t, false
	}
	return told{d.Decision, c.Reason, c.ReasonAdmin.English, c.ReasonUser.English, c.Revision}, true
}

// The semantics of many evaluations (section 7.1.2).
const (
	executeAll         = "execute_all"
	denyOnFirstDeny    = "deny_on_first_deny"
	permitOnFirstGrant = "permit_on_first_permit"
)

// userWords are what the person at the screen is told of a denial: less than the administrator.
var userWords = map[access.Reason]string{
	access.NotSignedIn:        "Sign in first.",
	access.NotOwner:           "You may do this only with what is your own.",
	access.OutsideSchedule:    "You may do this only at other times of the week.",
	access.NotYet:             "You may do this later: what allows it has not begun.",
	access.Ended:              "You may do this no more: what allowed it has ended.",
	access.UserInactive:       "Your account cannot be used now.",
	access.ApplicationNotLive: "This application is not open yet.",
	access.Rehearsal:          "You are let in while this application is tried out.",
}

const userWord = "You may not do this. Ask for access, or ask whoever looks after the application."

// Evaluate answers one question (section 6); base is the address of our console.
func Evaluate(v *seeing.View, raw []byte, base string) (Decision, error) {
	var e Evaluation
	if err := read(raw, &e); err != nil {
		return Decision{}, err
	}
	return one(v, &e, base)
}

// one answers a question that was read.
func one(v *seeing.View, e *Evaluation, base string) (Decision, error) {
	if err := invalid(e.faults("", "")); err != nil {
		return Decision{}, err
	}
	q, unknown, err := e.question()
	if err != nil {
		return Decision{}, err
	}
	if unknown {
		return denial(access.UserUnknown, fmt.Sprintf("The type of the subject is “%s”; this service knows %s and %s.", e.Subject.Type, TypeUser, TypeNobody), v.Basis().Revision), nil
	}
	a, err := questions.Check(v, q)
	if err != nil {
		return Decision{}, asked(err)
	}
	out := Decision{Decision: a.Allowed}
	reason := access.Reason(a.Reason)
	if reason == access.Granted && !q.Explain {
		return out, nil
	}
	out = denial(reason, a.Message, a.Revision)
	out.Decision = a.Allowed
	if reason == access.Granted {
		out.Context.ReasonUser = nil
	}
	for _, r := range a.Requestable {
		out.Context.Requestable = append(out.Context.Requestable, Offer{Role: r.Key, Label: r.Label, Request: base + "/catalogue?role=" + url.QueryEscape(r.Key)})
	}
	return out, nil
}

func denial(reason access.Reason, admin string, revision int64) Decision {
	word, ok := userWords[reason]
	if !ok {
		word = userWord
	}
	return Decision{Context: &Answer{Reason: string(reason), Revision: revision, ReasonAdmin: &Text{admin}, ReasonUser: &Text{word}}}
}

// places are ours and the standard's names of what a question has.
var places = map[string]string{"/user": "/subject/id", "/application": "/resource/type", "/action": "/action/name", "/path": "/resource/id", "/method": "/action/name", "/address": "/resource/id", "/at": "/context/at"}

// asked puts the faults of a question at their places in the request.
func asked(err error) error {
	var p *wire.Problem
	if !errors.As(err, &p) {
		return err
	}
	for i, f := range p.Faults {
		if place, ok := places[f.Place]; ok {
			p.Faults[i].Place = place
		}
	}
	return p
}

// EvaluateMany answers many questions from one snapshot (section 7). Without any it is one
// question, answered as Evaluate answers it.
func EvaluateMany(v *seeing.View, raw []byte, base string) (many *Decisions, single *Decision, err error) {
	var in Evaluations
	if !readUsual(raw, &in) {
		if err := read(raw, &in); err != nil {
			return nil, nil, err
		}
	}
	if len(in.Evaluations) == 0 {
		d, err := one(v, &in.Evaluation, base)
		return nil, &d, err
	}
	var faults []wire.Fault
	if len(in.Evaluations) > MostEvaluations {
		faults = append(faults, wire.Fault{Place: "/evaluations", Message: fmt.Sprintf("are more than %d", MostEvaluations)})
	}
	switch in.Options.Semantic {
	case "", executeAll, denyOnFirstDeny, permitOnFirstGrant:
	default:
		faults = append(faults, wire.Fault{Place: "/options/evaluations_semantic", Message: "is none of " + executeAll + ", " + denyOnFirstDeny + " and " + permitOnFirstGrant})
	}
	if err := invalid(faults); err != nil {
		return nil, nil, err
	}
	out := &Decisions{Evaluations: make([]Decision, 0, len(in.Evaluations))}
	for i := range in.Evaluations {
		if err := v.Ctx.Err(); err != nil {
			return nil, nil, err
		}
		e := &in.Evaluations[i]
		e.fill(&in.Evaluation)
		d, err := one(v, e, base)
		if err != nil {
			var p *wire.Problem
			if !errors.As(err, &p) || p.Status >= 500 {
				return nil, nil, err
			}
			d = Decision{Context: &Answer{Error: &Error{Status: 400, Message: Words(p)}}}
		}
		out.Evaluations = append(out.Evaluations, d)
		if !d.Decision && in.Options.Semantic == denyOnFirstDeny || d.Decision && in.Options.Semantic == permitOnFirstGrant {
			break
		}
	}
	return out, nil, nil
}

// Words is a problem as a text, which is what errors are answered with (section 10.1.3).
func Words(p *wire.Problem) string {
	out := p.Title
	if p.Detail != "" {
		out += ": " + p.Detail
	}
	for _, f := range p.Faults {
		out += "\n" + f.Place + " " + f.Message
	}
	return out
}
