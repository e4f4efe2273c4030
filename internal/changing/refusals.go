package changing

import (
	"context"
	"time"

	"ableroster/internal/ledger/database"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// refusalsShown is how far back what was refused is listed, and mostRefusals how
// much of it.
const (
	refusalsShown = 90 * 24 * time.Hour
	mostRefusals  = 1000
)

// Refusals are refused changes of the last 90 days, to whoever reads the
// ledger.
func Refusals(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.RefusalList, error) {
	v := d.Now(ctx, c)
	out := wire.RefusalList{Basis: v.Basis(), Refusals: []wire.Refusal{}}
	if !v.ReadsLedger() {
		return out, seeing.Refused("you may not read the ledger")
	}
	if d.Saved == nil {
		return out, nil
	}
	all, err := d.Saved.Refusals(ctx, d.Clock().Add(-refusalsShown), mostRefusals)
	for _, r := range all {
		x := wire.Refusal{User: v.UserRef(r.User), Call: r.Call, Detail: r.Detail, Times: r.Times, Via: r.Via, First: r.First, Last: r.Last}
		if !v.ReadsUser(r.User) { // what they tried may name others
			x.Call, x.Detail = "", seeing.Outside
		}
		out.Refusals = append(out.Refusals, x)
	}
	return out, database.Unavailable(err)
}
