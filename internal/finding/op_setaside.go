package finding

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&SetAsideFinding{}, "Set findings aside until a day")
	change.Register(&TakeUpFinding{}, "Show findings again that were set aside")
}

// FactSetAside is the kind of findings that were set aside.
var FactSetAside = fact.RecordKind("setaside")

// SetAsideID is a dense number; see access.
type SetAsideID uint32

// SetAside says that a finding is known and left as it is until the end of a
// day. Why is the reason of the change that set it aside.
type SetAside struct {
	fact.Lifetime
	ID      SetAsideID    `json:"-"`
	Finding string        `json:"finding"` // its key
	Until   calendar.Date `json:"until"`   // inclusive
	By      fact.UserID   `json:"by,omitempty"`
	Ended   bool          `json:"ended,omitempty"` // taken up again
}

// Kind and Row identify it.
func (*SetAside) Kind() fact.FactKind { return FactSetAside }
func (f *SetAside) Row() uint32       { return uint32(f.ID) }

// SetAsides are those in force on a day, by the key of the finding.
func SetAsides(s *access.Snapshot, on calendar.Date) map[string]*SetAside {
	out := map[string]*SetAside{}
	for _, f := range access.RecordFactsOf[*SetAside](s, FactSetAside) {
		if !f.Ended && on <= f.Until {
			out[f.Finding] = f
		}
	}
	return out
}

func find(s *access.Snapshot, key string) *SetAside {
	for _, f := range access.RecordFactsOf[*SetAside](s, FactSetAside) {
		if f.Finding == key {
			return f
		}
	}
	return nil
}

// longest is how far ahead a finding can be set aside, in days.
const longest = 366

// SetAsideFinding sets findings aside until a day, for the reason of the change.
type SetAsideFinding struct {
	Findings []string      `json:"findings" doc:"their keys"`
	Until    calendar.Date `json:"until" doc:"the last day, at most 366 days ahead: then they are shown again"`
}

// Verb implements change.Operation.
func (*SetAsideFinding) Verb() string { return "set_aside_finding" }

// ApplyTo implements change.Operation.
func (o SetAsideFinding) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "set findings aside") {
		return
	}
	o.Findings = slices.Compact(slices.Sorted(slices.Values(o.Findings)))
	if !checkKeys(d, o.Findings) {
		return
	}
	today := calendar.DateOf(d.At().Time().In(d.Zone()))
	switch {
	case o.Until == 0:
		d.Fault("until", "is missing: say until which day")
		return
	case o.Until < today:
		d.Fault("until", "is over already")
		return
	case o.Until > today+longest:
		d.Fault("until", "is more than %d days ahead", longest)
		return
	}
	for _, key := range o.Findings {
		f := &SetAside{Finding: key, Until: o.Until, By: d.Author}
		old := find(&d.Snapshot, key)
		switch {
		case old == nil:
			f.ID = SetAsideID(d.Allocate(FactSetAside))
		case !old.Ended && old.Until == o.Until:
			d.ReadsFact(old)
			d.Note(change.AlreadySo, old.Since())
			continue
		default:
			d.ReadsFact(old)
			f.ID = old.ID
		}
		d.Put(f)
	}
	return settled
}

// checkKeys files the faults of keys that name no finding there could be.
func checkKeys(d *change.Draft, keys []string) bool {
	if len(keys) == 0 {
		d.Fault("findings", "is empty: name those that are meant")
		return false
	}
	ok := true
	for _, key := range keys {
		code, _, _ := strings.Cut(key, ":")
		if len(key) > 5000 || AboutOf(Code(code)) == nil || !strings.Contains(key, ":") {
			d.Fault("findings", "“%.100s” is not the key of a finding", key)
			ok = false
		}
	}
	return ok
}

// Sentence implements change.Operation.
func (o *SetAsideFinding) Sentence(*access.Snapshot, change.Names) string {
	return "Set " + counted(o.Findings) + " aside until " + o.Until.String()
}

// TakeUpFinding shows findings again that were set aside.
type TakeUpFinding struct {
	Findings []string `json:"findings" doc:"their keys"`
}

// Verb implements change.Operation.
func (*TakeUpFinding) Verb() string { return "take_up_finding" }

// ApplyTo implements change.Operation.
func (o TakeUpFinding) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "take findings up again") {
		return
	}
	o.Findings = slices.Compact(slices.Sorted(slices.Values(o.Findings)))
	if !checkKeys(d, o.Findings) {
		return
	}
	for _, key := range o.Findings {
		old := find(&d.Snapshot, key)
		if old == nil || old.Ended {
			d.Fault("findings", "%s is not set aside", key)
			continue
		}
		d.ReadsFact(old)
		f := *old
		f.Ended = true
		d.Put(&f)
	}
	return settled
}

// Sentence implements change.Operation.
func (o *TakeUpFinding) Sentence(*access.Snapshot, change.Names) string {
	return "Took " + counted(o.Findings) + " up again"
}

// counted says how many findings of which kinds.
func counted(keys []string) string {
	n := map[string]int{}
	var order []string
	for _, key := range keys {
		code, _, _ := strings.Cut(key, ":")
		if n[code]++; n[code] == 1 {
			order = append(order, code)
		}
	}
	var parts []string
	for _, c := range order {
		parts = append(parts, fact.Count(n[c], "finding")+" of "+strings.ReplaceAll(c, "_", " "))
	}
	return strings.Join(parts, ", ")
}
