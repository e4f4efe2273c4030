package service

import (
	"context"
	"net/url"
	"strings"
	"time"

	"ableroster/internal/ledger"
	"ableroster/internal/saved"
	"ableroster/wire"
)

// refusalsShown is how far back what was refused is listed, and mostRefusals how
// much of it.
const (
	refusalsShown = 90 * 24 * time.Hour
	mostRefusals  = 1000
)

// WasRefused records that a caller tried to change what they may not, and of whom what
// they were told speaks. That it could not be recorded refuses nothing more.
func (d *Service) WasRefused(ctx context.Context, c Caller, call, detail string, about []string) {
	if d.Saved == nil || c.User == 0 {
		return
	}
	r := saved.Refusal{User: c.User, Call: call, Detail: detail, Via: c.Via, Subjects: about}
	for part := range strings.SplitSeq(call, "/") {
		if name, err := url.PathUnescape(part); err == nil {
			if id, ok := d.Ledger.Head().FindUser(name); ok {
				r.Subjects = append(r.Subjects, id.String())
			}
		}
	}
	_ = d.Saved.Refused(ctx, r)
}

// Refusals are refused changes of the last 90 days, to whoever reads the
// ledger.
func (d *Service) Refusals(ctx context.Context, c Caller) (wire.RefusalList, error) {
	v := d.Now(ctx, c)
	out := wire.RefusalList{Basis: v.basis(), Refusals: []wire.Refusal{}}
	if !v.readsLedger() {
		return out, Refused("you may not read the ledger")
	}
	if d.Saved == nil {
		return out, nil
	}
	all, err := d.Saved.Refusals(ctx, d.Clock().Add(-refusalsShown), mostRefusals)
	for _, r := range all {
		x := wire.Refusal{User: v.userRef(r.User), Call: r.Call, Detail: r.Detail, Times: r.Times, Via: r.Via, First: r.First, Last: r.Last}
		if !v.readsUser(r.User) { // what they tried may name others
			x.Call, x.Detail = "", Outside
		}
		out.Refusals = append(out.Refusals, x)
	}
	return out, ledger.Unavailable(err)
}
