package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// positions takes back what was done to somebody's positions: those that were added end, those
// that ended are added anew. The place that they moved from follows from the move.
func (u *undoing) positions(f *fact.Positions, c access.RowChange) {
	before, _ := c.Before.(*fact.Positions)
	for _, p := range f.List {
		switch was := before.Find(p.Number); {
		case p.Former:
		case was == nil:
			u.does(ending, "end_position", fields{"user": f.User.String(), "position": p.Number})
		case was.End != p.End:
			u.does(restoring, "end_position", fields{"user": f.User.String(), "position": p.Number, "end_date": was.End.String()})
		}
	}
	for _, p := range before.Listed() {
		if f.Find(p.Number) == nil && !p.Former {
			u.does(restoring, "add_position", fields{"user": f.User.String(), "unit": u.moved(p.Unit), "title": p.Title, "location": p.Location,
				"start_date": p.Start.String(), "end_date": p.End.String()})
		}
	}
}

// absences is positions for leaves of absence.
func (u *undoing) absences(f *fact.Absences, c access.RowChange) {
	before, _ := c.Before.(*fact.Absences)
	for _, a := range f.List {
		switch was := before.Find(a.Number); {
		case was == nil:
			u.does(ending, "end_absence", fields{"user": f.User.String(), "absence": a.Number})
		case was.End == 0 && a.End != 0:
			u.does(ending, "end_absence", fields{"user": f.User.String(), "absence": a.Number})
			u.does(restoring, "add_absence", fields{"user": f.User.String(), "start_date": was.Start.String()})
		case was.End != a.End:
			u.does(restoring, "end_absence", fields{"user": f.User.String(), "absence": a.Number, "end_date": was.End.String()})
		}
	}
	for _, a := range before.Listed() {
		if f.Find(a.Number) == nil {
			back := fields{"user": f.User.String(), "start_date": a.Start.String()}
			if a.End != 0 {
				back["end_date"] = a.End.String()
			}
			u.does(restoring, "add_absence", back)
		}
	}
}

// substitutes is positions for who stands in for somebody.
func (u *undoing) substitutes(f *fact.Substitutes, c access.RowChange) {
	before, _ := c.Before.(*fact.Substitutes)
	named := func(x fact.Substitute) fields {
		return fields{"user": f.User.String(), "substitute": x.User.String(), "start_date": x.Start.String(), "end_date": x.End.String()}
	}
	for _, x := range f.List {
		switch was := before.Find(x.Number); {
		case was == nil:
			u.does(ending, "end_substitute", fields{"user": f.User.String(), "number": x.Number})
		case was.User != x.User:
			u.does(ending, "end_substitute", fields{"user": f.User.String(), "number": x.Number})
			u.does(restoring, "add_substitute", named(*was))
		case was.End != x.End:
			u.does(restoring, "end_substitute", fields{"user": f.User.String(), "number": x.Number, "end_date": was.End.String()})
		}
	}
	for _, x := range before.Listed() {
		if f.Find(x.Number) == nil {
			u.does(restoring, "add_substitute", named(x))
		}
	}
}
