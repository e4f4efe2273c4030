package seeing

import (
	"context"
	"net/url"
	"strings"

	"ableroster/internal/saved"
)

// WasRefused records that a caller tried to change what they may not, and of whom what
// they were told speaks. That it could not be recorded refuses nothing more.
func (d *Service) WasRefused(ctx context.Context, c Caller, call, detail string, about []string) {
	if d.Saved == nil || c.User == 0 {
		return
	}
	r := saved.Refusal{User: c.User, Call: call, Detail: detail, Via: c.Via, Subjects: about}
	if c.For != 0 {
		r.Via = "account"
	}
	for part := range strings.SplitSeq(call, "/") {
		if name, err := url.PathUnescape(part); err == nil {
			if id, ok := d.Ledger.Head().FindUser(name); ok {
				r.Subjects = append(r.Subjects, id.String())
			}
		}
	}
	_ = d.Saved.Refused(ctx, r)
}
