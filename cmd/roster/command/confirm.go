package command

import (
	"context"
	"strings"

	"ableroster/wire"
)

// confirms asks at a terminal who somebody is, once more, and says whether that was proved. What
// is wrong is told as the refusal of the command.
func (c *Call) confirms(ctx context.Context) bool {
	f, err := c.Client.SecondFactor(ctx)
	if err != nil {
		return false
	}
	var in wire.Confirmation
	switch f.ConfirmBy {
	case "sign_in":
		return false
	case "code":
		in.Code, err = c.Ask("Confirm that it is you. Code of your authenticator app: ", false)
		in.Code = strings.TrimSpace(in.Code)
	default:
		in.Password, err = c.Ask("Confirm that it is you. Password: ", true)
	}
	if err != nil || in.Code+in.Password == "" {
		return false
	}
	return c.Client.ConfirmIdentity(ctx, in) == nil
}
