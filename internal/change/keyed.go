package change

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// SettleKeyed settles the fact that an operation names in a field, and files the fault when
// the author may know of none, or it is over: then another is made in its place.
func SettleKeyed[F access.Keyed, R ~string](d *Draft, kind fact.FactKind, field string, ref *R, same func(a, b string) bool, another string) (F, bool) {
	var none F
	f, ok := access.FindKeyed[F](&d.Snapshot, kind, string(*ref), same)
	if !ok || !d.MaySee(kind, f.Row()) {
		d.Missing(kind, field, string(*ref))
		return none, false
	}
	*ref = R(fact.IDText(kind, f.Row()))
	d.Reads(kind, f.Row())
	if f.Over() {
		d.Fault(field, another, f.Name())
		return none, false
	}
	return f, true
}
