package query

import (
	"encoding/binary"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// AppendHolding appends bytes that are equal for users who hold equally from an
// instant on: when they count, the groups and roles given to them directly, and
// their kind. What began before then began as good as always.
func AppendHolding(s *access.Snapshot, key []byte, id fact.UserID, from calendar.Instant) []byte {
	return AppendBearing(s, nil, key, id, from)
}

// AppendChange appends bytes that are equal for users who hold equally what bears on a change,
// before it and after. It is asked for each user a change touches.
func AppendChange(base, next *access.Snapshot, b *Bearing, key []byte, id fact.UserID, from calendar.Instant) []byte {
	key = AppendBearing(base, b, key, id, from)
	if b != nil && b.alike {
		return key
	}
	return AppendBearing(next, b, key, id, from)
}

// AppendBearing is AppendHolding of what bears on a change.
func AppendBearing(s *access.Snapshot, b *Bearing, key []byte, id fact.UserID, from calendar.Instant) []byte {
	if id == 0 {
		return append(key, 'n')
	}
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil {
		return append(key, 'x')
	}
	key = append(key, 'u', byte(len(u.Fact.UserKind)))
	key = append(key, u.Fact.UserKind...)
	key = appendWindows(key, from, s.WhenEffective(id)...)
	// What is plain, and nearly all is, in four bytes; the order of gifts says nothing.
	var room [16]uint32
	plain, limited := room[:0], []string(nil)
	for _, l := range u.Groups() {
		if !b.group(l.Group()) {
			continue
		}
		if l.Plain() {
			plain = append(plain, uint32(l.Group())<<1|one(l.ByRule()))
		} else {
			limited = append(limited, string(appendWindows(appendLink(nil, 'm', uint32(l.Group())), from, s.WindowOf(l))))
		}
	}
	groups := len(plain)
	for _, l := range u.Given() {
		if !b.role(l.Role()) {
			continue
		}
		if l.Plain() {
			plain = append(plain, uint32(l.Role()))
		} else {
			x := s.LimitsOf(l)
			limited = append(limited, string(appendWindows(appendLink(nil, 'a', uint32(l.Role())), from, x.Window))+x.Bounds().String())
		}
	}
	slices.Sort(plain[:groups])
	slices.Sort(plain[groups:])
	slices.Sort(limited)
	key = binary.BigEndian.AppendUint32(key, uint32(groups))
	key = binary.BigEndian.AppendUint32(key, uint32(len(plain)))
	for _, x := range plain {
		key = binary.BigEndian.AppendUint32(key, x)
	}
	for _, x := range limited {
		key = append(binary.BigEndian.AppendUint32(key, uint32(len(x))), x...)
	}
	return append(key, '.')
}

func appendLink(key []byte, kind byte, to uint32) []byte {
	return binary.BigEndian.AppendUint32(append(key, kind), to)
}

func appendWindows(key []byte, from calendar.Instant, all ...calendar.Window) []byte {
	key = append(key, byte(len(all)))
	for _, w := range all {
		if w.From <= from {
			w.From = 0
		}
		if w.Until != 0 && w.Until <= from { // over: it does not matter when
			w = calendar.Window{Until: 1}
		}
		key = binary.BigEndian.AppendUint64(key, uint64(w.From))
		key = binary.BigEndian.AppendUint64(key, uint64(w.Until))
	}
	return key
}

func one(yes bool) uint32 {
	if yes {
		return 1
	}
	return 0
}
