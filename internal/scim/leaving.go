package scim

import (
	"context"
	"fmt"
	"net/http"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
)

// leastDepartures is how many people a client may have depart, or suspend, within a day in any
// case; more, it is one in twenty of those who are active.
const leastDepartures = 10

// departing makes a change that has somebody depart or suspends them, unless the client has had
// so many depart within a day that somebody has to look: a personnel system that loses its list
// dismisses everybody.
func (c *Client) departing(ctx context.Context, v *seeing.View, user fact.UserID, do func() error) error {
	most := max(leastDepartures, v.Uncut().ActiveUsers/20)
	ok, err := c.Service.Saved.Departs(ctx, c.Caller.User, user, most)
	if err != nil {
		return err
	}
	if !ok {
		return &Error{http.StatusConflict, "", fmt.Sprintf("guard rail many_departures: this client has suspended or dismissed %d people within a day, and can do so with no more until a day has passed. "+
			"If it is meant, do the rest in the console, which shows first what it does", most)}
	}
	if err := do(); err != nil {
		if undo := c.Service.Saved.StaysHere(context.WithoutCancel(ctx), c.Caller.User, user); undo != nil {
			return undo
		}
		return err
	}
	return nil
}
