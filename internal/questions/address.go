package questions

import (
	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostAddress bounds an address that is asked about, in bytes.
const mostAddress = 2000

// addressed is a question by method and address as one by action and path. Where no resource of
// the application has such an address, it is about nothing that is registered.
func addressed(v *seeing.View, q wire.CheckRequest) (as wire.CheckRequest, nowhere bool) {
	if q.Address == "" {
		return q, false
	}
	app, known := v.Uncut().FindApplication(q.Application)
	if known {
		if action, path, ok, _ := v.Uncut().Addressed(app, q.Method, q.Address); ok {
			q.Action, q.Path = action, path
			return q, false
		}
	}
	q.Action, q.Path = patterns.ActionOf(q.Method), patterns.Root
	return q, true
}

// addressFaults are those of a question by method and address.
func addressFaults(place string, q wire.CheckRequest) (out []wire.Fault) {
	if q.Action != "" || q.Path != "" {
		out = append(out, wire.Fault{Place: place + "/address", Message: "and action with path exclude each other: ask by the one or the other"})
	}
	if patterns.ActionOf(q.Method) == "" {
		out = append(out, wire.Fault{Place: place + "/method", Message: "is no method such as GET or POST"})
	}
	if len(q.Address) > mostAddress {
		out = append(out, wire.Fault{Place: place + "/address", Message: "is longer than 2,000 bytes"})
	} else if _, _, err := patterns.ParseServed(q.Address); err != nil {
		out = append(out, wire.Fault{Place: place + "/address", Message: err.Error()})
	}
	if q.At != nil {
		out = append(out, timesOf(place+"/at", *q.At)...)
	}
	return out
}

// timeOf is when a question is to be judged.
func timeOf(v *seeing.View, q wire.CheckRequest) calendar.Instant {
	if q.At != nil {
		return calendar.At(*q.At)
	}
	return v.At
}
