package changing

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// invitation is through what invitations are taken up, and nothing else is done.
const invitation = "invitation"

// TakeUp makes somebody active who was invited and takes that up: on the authority of whoever
// invited them, as it is today. What that one may not give any more refuses it. It is done once
// by a link, however often it is tried.
func TakeUp(ctx context.Context, d *seeing.Service, user, inviter fact.UserID, link string) error {
	op, err := json.Marshal(map[string]any{"op": "update_user", "user": user.String(), "status": fact.Active})
	if err != nil {
		return err
	}
	_, err = Change(ctx, d, seeing.Caller{User: inviter, Via: invitation}, wire.ChangeRequest{Reason: "Took up the invitation", Operations: []json.RawMessage{op}}, How{Key: fmt.Sprintf("invitation of %s by %x", user, sha256.Sum256([]byte(link)))})
	var refused *wire.Problem
	if errors.As(err, &refused) && refused.Type == seeing.KindGuardRail {
		return seeing.Refused("this invitation cannot be taken up just now: %s Try again later, or ask whoever made it", refused.Detail)
	}
	if errors.As(err, &refused) && refused.Status < 500 {
		return seeing.Refused("this invitation cannot be taken up any more: whoever made it may not give you now what it gives. Ask them, or your access administrator")
	}
	return err
}
