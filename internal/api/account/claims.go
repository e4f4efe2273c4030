package account

import (
	"context"
	"encoding/json"
	"errors"

	"ableroster/internal/api/serve"
	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/openid"
	"ableroster/internal/operation/people"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"
)

// takeOver has attributes of a user say what their identity provider says of them now. It is a
// change like any other, in the name and within the rights of the account that the provider writes
// as. What is refused is recorded, and does not keep anybody from signing in; where it cannot be
// written now, nobody signs in either, since they could hold what the provider says has ended.
func takeOver(ctx context.Context, s *serve.Server, p *openid.Provider, user fact.UserID, claimed map[string]string) error {
	head := s.Ledger.Head()
	u := head.User(user)
	if len(claimed) == 0 || u == nil || u.Status != fact.Active || !isFor(p, u) {
		return nil
	}
	untaken := func(why error) {
		s.Log.Warn("what an identity provider says of somebody was not taken over", "provider", p.Key, "error", why)
		s.Authenticator.Record(ctx, signin.Event{Event: "claims of an identity provider not taken over", User: user, Address: address(ctx)})
	}
	by, ok := head.FindUser(p.WritesAs)
	if !ok || head.User(by).UserKind != fact.Service {
		untaken(errors.New("writes_as names no machine account: " + p.WritesAs))
		return nil
	}
	raw, err := json.Marshal(struct {
		Op string `json:"op"`
		*people.UpdateUser
	}{(*people.UpdateUser)(nil).Verb(), &people.UpdateUser{User: change.UserRef(user.String()), Custom: claimed}})
	if err != nil {
		return err
	}
	_, err = changing.Change(ctx, s.Service, seeing.Caller{User: by, Via: "identity provider"}, wire.ChangeRequest{Operations: []json.RawMessage{raw}, Reason: "What " + p.Label + " says at sign-in"}, changing.How{})
	var refused *wire.Problem
	if errors.As(err, &refused) && refused.Status < 500 {
		what := refused.Title
		for _, f := range refused.Faults { // where alone: a message may name people
			what += " " + f.Place
		}
		untaken(errors.New(what))
		return nil
	}
	return err
}
