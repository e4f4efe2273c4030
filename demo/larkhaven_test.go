package demo

import (
	"encoding/json"
	"reflect"
	"regexp"
	"strings"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/operation/people"
)

var day = time.Date(2026, 11, 25, 10, 0, 0, 0, time.UTC)

// written is a history as text, before anything was applied to it.
func written(t *testing.T, h []Change) string {
	t.Helper()
	var b strings.Builder
	for _, c := range h {
		for _, op := range c.Operations {
			raw, err := change.EncodeOperation(op)
			if err != nil {
				t.Fatal(err)
			}
			b.WriteString(c.At.String() + c.Author + c.Reason + string(raw) + "\n")
		}
	}
	return b.String()
}

func TestTheHistoryIsTheSameEveryTime(t *testing.T) {
	once := written(t, Larkhaven(day))
	if again := written(t, Larkhaven(day)); once != again {
		t.Error("two runs differ")
	}
}

// What does not follow from the calendar is the same on every day: what walks
// and tests find in it today they find tomorrow.
func TestOnlyTheDatesDependOnTheDay(t *testing.T) {
	dates := regexp.MustCompile(`20[0-9]{2}(-[0-9]{2}-[0-9]{2}[^" ]*)?`)
	undated := func(until time.Time) string {
		var b strings.Builder
		for _, c := range Larkhaven(until) {
			for _, op := range c.Operations {
				raw, err := change.EncodeOperation(op)
				if err != nil {
					t.Fatal(err)
				}
				b.WriteString(c.Author + c.Reason + dates.ReplaceAllString(string(raw), "…") + "\n")
			}
		}
		return b.String()
	}
	first := undated(day)
	for offset := range 40 {
		until := day.AddDate(0, 0, 19*offset).Add(time.Duration(offset) * time.Hour)
		if undated(until) != first {
			t.Errorf("on %s it is another port", until)
		}
	}
}

// On whatever day it is loaded, every change fits what was before, later than
// it and not later than that day.
func TestTheHistoryFitsOnAnyDay(t *testing.T) {
	for offset := range 30 {
		until := day.AddDate(0, 0, 17*offset).Add(time.Duration(offset) * time.Hour)
		s := access.Empty()
		last := time.Time{}
		for i, c := range Larkhaven(until) {
			if !c.At.After(last) || c.At.After(until) {
				t.Fatalf("until %s: change %d is of %s, the one before of %s", until, i, c.At, last)
			}
			last = c.At
			d := change.NewDraft(s)
			d.Author, _ = s.FindUser(c.Author)
			for j, op := range c.Operations {
				d.Apply(j, op, calendar.At(c.At))
			}
			d.Finish()
			if len(d.Faults) > 0 {
				t.Fatalf("until %s: change %d (%s): %v", until, i, c.Reason, &d.Faults[0])
			}
			if len(d.Changes()) == 0 {
				t.Fatalf("until %s: change %d (%s) changes nothing", until, i, c.Reason)
			}
			s = d.Seal(d.Revision, calendar.At(c.At))
		}
		id, ok := s.FindUser(Pilot)
		if !ok || !s.Effective(id, calendar.At(until)) {
			t.Fatalf("until %s: the pilot of the walk is not there", until)
		}
	}
}

// Names are invented and addresses lead nowhere.
func TestAddressesAreMadeUp(t *testing.T) {
	for _, c := range Larkhaven(day) {
		for _, op := range c.Operations {
			if u, ok := op.(*people.AddUser); ok && u.Email != "" && !strings.HasSuffix(u.Email, "@larkhaven.example") {
				t.Errorf("%s has the address %s", u.UserName, u.Email)
			}
		}
	}
}

func TestLargeOrganisationsFitAndAreTheSameEveryTime(t *testing.T) {
	for _, users := range []int{10, 1_000} {
		var texts [2]string
		for run := range texts {
			s := access.Empty()
			err := Large(users, func(ops []change.Operation) error {
				raw, err := json.Marshal(ops)
				if err != nil {
					return err
				}
				texts[run] += string(raw)
				d := change.NewDraft(s)
				for i, op := range ops {
					d.Apply(i, op, 1)
				}
				if len(d.Faults) > 0 {
					return &d.Faults[0]
				}
				s = d.Seal(d.Revision, 1)
				return nil
			})
			if err != nil {
				t.Fatal(err)
			}
			if _, ok := s.FindUser(UserName(users - 1)); !ok {
				t.Errorf("the last of %d users is not there", users)
			}
		}
		if !reflect.DeepEqual(texts[0], texts[1]) {
			t.Error("two runs differ")
		}
	}
}
