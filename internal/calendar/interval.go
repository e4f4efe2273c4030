package calendar

import "slices"

// Intervals are disjoint windows in order of time: when something holds. They
// are never written in place.
type Intervals []Window

var always = Intervals{{}}

// Always is all of time.
func Always() Intervals { return always }

// always says whether they are all of time, as nearly all there are.
func (v Intervals) Always() bool { return len(v) == 1 && v[0] == (Window{}) }

// add unites v with w.
func (v Intervals) Add(w Window) Intervals {
	if v.Always() {
		return v
	}
	out := make(Intervals, 0, len(v)+1)
	for i, x := range v {
		switch {
		case x.End() < w.From:
			out = append(out, x)
		case w.End() < x.From:
			out = append(out, w)
			return append(out, v[i:]...)
		default:
			until := max(x.End(), w.End())
			w.From = min(x.From, w.From)
			w.Until = until
			if until == never {
				w.Until = 0
			}
		}
	}
	return append(out, w)
}

func (v Intervals) Union(o Intervals) Intervals {
	if len(v) == 0 {
		return o
	}
	for _, w := range o {
		v = v.Add(w)
	}
	return v
}

// From is what of the time lies at an instant or later.
func (v Intervals) From(at Instant) Intervals { return v.Within(Window{From: at}) }

// within is what of v lies in w.
func (v Intervals) Within(w Window) Intervals {
	if w == (Window{}) {
		return v
	}
	var out Intervals
	for _, x := range v {
		if y, ok := x.Intersect(w); ok {
			out = append(out, y)
		}
	}
	return out
}

func (v Intervals) Intersect(o Intervals) Intervals {
	switch {
	case v.Always():
		return o
	case o.Always():
		return v
	}
	var out Intervals
	for _, w := range o {
		out = append(out, v.Within(w)...)
	}
	return out
}

// minus is what of v does not lie in o.
func (v Intervals) Minus(o Intervals) Intervals {
	switch {
	case len(o) == 0:
		return v
	case o.Always():
		return nil
	}
	out := slices.Clone(v)
	for _, w := range o {
		var rest Intervals
		for _, x := range out {
			if w.From > x.From {
				if y, ok := x.Intersect(Window{0, w.From}); ok {
					rest = append(rest, y)
				}
			}
			if w.Until != 0 {
				if y, ok := x.Intersect(Window{w.Until, 0}); ok {
					rest = append(rest, y)
				}
			}
		}
		out = rest
	}
	return out
}

// Holds says whether at lies in one of them.
func (v Intervals) Holds(at Instant) bool {
	for _, w := range v {
		if w.Holds(at) {
			return true
		}
	}
	return false
}
