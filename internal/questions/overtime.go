package questions

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// RoleTimeline is which roles a user held when, and through what.
func RoleTimeline(ctx context.Context, d *seeing.Service, c seeing.Caller, user string) (wire.RoleTimeline, error) {
	v := d.Now(ctx, c)
	id, ok := v.Uncut().FindUser(user)
	if !ok || !v.ReadsUser(id) {
		return wire.RoleTimeline{}, v.Missing(fact.FactUser, user)
	}
	eras, err := d.Ledger.RoleHistory(ctx, id)
	if err != nil {
		return wire.RoleTimeline{}, err
	}
	out := wire.RoleTimeline{Basis: v.Basis(), User: v.UserRef(id), Roles: []wire.TimelineRole{}}
	for _, e := range eras {
		if e.User(id) != nil {
			out.From = e.From.Time()
			break
		}
	}
	own := id == c.User
	place := map[string]int{}
	for _, s := range query.RoleSpans(eras, id) {
		ref := v.RoleRef(s.Role, own)
		i, ok := place[ref.ID+ref.Label]
		if !ok {
			i = len(out.Roles)
			place[ref.ID+ref.Label] = i
			x := wire.TimelineRole{Role: ref, Spans: []wire.TimelineSpan{}}
			if r := v.UncutToday().Role(s.Role); r != nil && r.Application != 0 && !ref.Outside {
				app := v.ApplicationRef(r.Application, true)
				x.Application = &app
			}
			out.Roles = append(out.Roles, x)
		}
		span := wire.TimelineSpan{From: s.From.Time(), Until: seeing.Instant(s.Until), Way: "direct", Default: v.DefaultRef(s.Rule), Given: &wire.Given{Revision: s.Opened}}
		switch {
		case s.Rule != 0:
			span.Way = "default"
		case s.Group != 0:
			span.Way = "group"
		case s.Origin == fact.ByRequest:
			span.Way = "request"
		case s.Origin == fact.ByShare:
			span.Way = "share"
		}
		if s.Group != 0 {
			g := v.GroupRef(s.Group, own)
			span.Group = &g
		}
		out.Roles[i].Spans = append(out.Roles[i].Spans, span)
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Roles {
			for k := range out.Roles[i].Spans {
				g(&out.Roles[i].Spans[k].Given)
			}
		}
	})
	return out, nil
}

// mostPoints bounds how many days of the past one picture looks at.
const mostPoints = 24

// OverTime is how many people had anything in an application at so many instants
// from one to another.
func OverTime(ctx context.Context, d *seeing.Service, c seeing.Caller, application string, from, to time.Time, points int) (wire.OverTime, error) {
	v := d.Now(ctx, c)
	for _, x := range []struct {
		name string
		at   time.Time
	}{{"from", from}, {"to", to}} {
		if faults := timesOf(x.name, x.at); !x.at.IsZero() && len(faults) > 0 {
			return wire.OverTime{}, seeing.Invalid("the question cannot be asked", faults...)
		}
	}
	app, ok := v.Uncut().FindApplication(application)
	if !ok || !v.ReadsApplication(app) {
		return wire.OverTime{}, v.Missing(fact.FactApplication, application)
	}
	if to.IsZero() || to.After(v.At.Time()) {
		to = v.At.Time()
	}
	if from.IsZero() {
		from = to.AddDate(-1, 0, 0)
	}
	if !from.Before(to) {
		return wire.OverTime{}, seeing.Invalid("there is no such time", wire.Fault{Place: "from", Message: "must come before to"})
	}
	out := wire.OverTime{Basis: v.Basis(), Application: v.ApplicationRef(app, false), Points: []wire.OverTimePoint{}}
	points = min(max(points, 2), mostPoints)
	for i := range points {
		at := from.Add(time.Duration(i) * (to.Sub(from) / time.Duration(points-1)))
		p := wire.OverTimePoint{At: at, Ways: map[string]int{}}
		s, err := d.Ledger.At(ctx, calendar.At(at))
		if err != nil && !errors.Is(err, database.ErrBeforeFirst) {
			return out, err
		}
		if err == nil && s.Application(app) != nil {
			for way, n := range query.PeopleWith(s, app, calendar.At(at), v.ReadsUser) {
				p.Ways[string(way)] = n
				p.All += n
			}
		}
		out.Points = append(out.Points, p)
	}
	return out, nil
}
