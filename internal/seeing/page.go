package seeing

import (
	"cmp"
	"encoding/base64"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/wire"
)

// Roll is the users of the view in order, from those kept where it is of today.
func (v *View) Roll(sort string, text func(*fact.User) string) *roll {
	if v.snapshot == v.head {
		return v.Service.rolls.get(v.head, cmp.Or(sort, "name"), text)
	}
	if v.page != nil && v.snapshot == v.page.snapshot {
		return v.Service.pages.inOrder(v.snapshot, sort, text)
	}
	return newRoll(v.snapshot, text)
}

// userOrder is the text that lists can be ordered by under a name, or nil.
func userOrder(name string) func(*fact.User) string {
	if name == "" || name == "name" || name == "display_name" {
		return Label
	}
	if a := fact.UserAttributeOf(name); a != nil && name != "manager" {
		return a.Of
	}
	return nil
}

// A cursor is opaque: where the page begins.
func CursorTo(from int) string {
	return base64.RawURLEncoding.EncodeToString([]byte("from " + strconv.Itoa(from)))
}

// Position reads a cursor; a blank one is the beginning.
func Position(cursor string) (from int, err error) {
	if cursor == "" {
		return 0, nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	if err == nil {
		from, err = strconv.Atoi(strings.TrimPrefix(string(raw), "from "))
	}
	if err != nil || from < 0 || !strings.HasPrefix(string(raw), "from ") {
		return 0, Invalid("the cursor is not one this service gave", wire.Fault{Place: "cursor", Message: "is malformed; begin again without one"})
	}
	return from, nil
}

// PageSize is how many a page holds that asks for so many.
func PageSize(limit int) int {
	if limit <= 0 {
		return 50
	}
	return limit
}

// Cut takes one page out of a list.
func Cut[T any](all []T, cursor string, limit int) (page []T, next string, err error) {
	from, err := Position(cursor)
	if err != nil {
		return nil, "", err
	}
	from = min(from, len(all))
	to := min(from+PageSize(limit), len(all))
	if to < len(all) {
		next = CursorTo(to)
	}
	return all[from:to], next, nil
}

// Scopes are scopes as they are told.
func (v *View) Scopes(all []fact.Scope) []wire.Scope {
	var out []wire.Scope
	for _, s := range all {
		out = append(out, wire.Scope{Application: v.ApplicationRef(s.Application, true), Pattern: s.Pattern})
	}
	return out
}

// LastDay is the last day of what ends with one in the organisation's time zone, or blank.
func (v *View) LastDay(until calendar.Instant) string { return calendar.LastDay(until, v.Zone()) }

// Schedule is a schedule as it is told, nil for none.
func Schedule(s *calendar.Schedule) *wire.Schedule {
	if s == nil {
		return nil
	}
	out := &wire.Schedule{Words: s.String()}
	out.Days, out.From, out.Until, out.TimeZone = s.Parts()
	return out
}

// Giving fills in who gave something and why, from its revision.
type Giving func(**wire.Given)

// Reasons reads who gave the things each visits, and why, from the ledger. The
// names stay blank while the database is away: the answer stands without them.
func (v *View) Reasons(visit func(Giving)) {
	var numbers []int64
	visit(func(g **wire.Given) {
		if *g != nil && !slices.Contains(numbers, (*g).Revision) {
			numbers = append(numbers, (*g).Revision)
		}
	})
	if len(numbers) == 0 {
		return
	}
	revs, err := v.Service.Ledger.Reasons(v.Ctx, numbers)
	if err != nil {
		return
	}
	visit(func(g **wire.Given) {
		if *g == nil {
			return
		}
		r, ok := revs[(*g).Revision]
		if !ok {
			return
		}
		(*g).At, (*g).Reason = r.At.Time(), r.Reason
		if r.Author != 0 {
			if v.Mine {
				v.Known[r.Author] = true
			}
			by := v.UserRef(r.Author)
			(*g).By = &by
		}
	})
}
