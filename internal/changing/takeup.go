package changing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// TakeUp makes somebody active who was invited and takes that up: on the authority of whoever
// invited them, as it is today. What that one may not give any more refuses it.
func TakeUp(ctx context.Context, d *seeing.Service, user, inviter fact.UserID) error {
	op, err := json.Marshal(map[string]any{"op": "update_user", "user": user.String(), "status": fact.Active})
	if err != nil {
		return err
	}
	_, err = Change(ctx, d, seeing.Caller{User: inviter, Via: "invitation"}, wire.ChangeRequest{Reason: "Took up the invitation", Operations: []json.RawMessage{op}}, How{Key: fmt.Sprintf("invitation of %s", user)})
	var refused *wire.Problem
	if errors.As(err, &refused) && refused.Status < 500 {
		return seeing.Refused("this invitation cannot be taken up any more: whoever made it may not give you now what it gives. Ask them, or your access administrator")
	}
	return err
}
