package serve

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Confirms marks a call that is dangerous in other hands: whoever calls has proved who they are a
// short while ago, or is asked to. A machine account has nothing to prove it by but its token.
func Confirms(op *huma.Operation) {
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata["confirms"] = true
	op.Description = "Whoever calls has signed in, or called confirm-identity, within 15 minutes: else it is refused with confirmation-needed."
}

// MeansOf is what the caller of a context is known by.
func MeansOf(ctx context.Context) signin.Means {
	x := CallOf(ctx)
	if x.Token {
		return signin.Means{Text: x.bearer, Token: true}
	}
	return signin.Means{Text: x.Cookie}
}

// Confirmed refuses a call whose caller has not proved who they are for a while.
func (s *Server) Confirmed(ctx context.Context) error {
	user := s.Ledger.Head().User(Caller(ctx).User)
	if user == nil || user.UserKind != fact.Person {
		return nil
	}
	is, err := s.Authenticator.Confirmed(ctx, MeansOf(ctx))
	if err != nil || is {
		return err
	}
	by, err := s.Authenticator.ConfirmsBy(ctx, user.ID)
	if err != nil {
		return err
	}
	how := map[string]string{
		signin.ByCode:     "confirm that it is you by a code of your authenticator app, or sign in again",
		signin.ByPassword: "confirm that it is you by your password, or sign in again",
		signin.BySignIn:   "sign in again, since you have no password here by which to confirm that it is you",
	}[by]
	if by == signin.BySignIn && CallOf(ctx).Token {
		how = "do it in the console, where you have just signed in, since you have no password here by which to confirm that it is you"
	}
	return &Problem{Problem: wire.Problem{Type: seeing.KindConfirm, Title: "Confirm that it is you", Status: 403,
		Detail: "Nothing was done. You signed in a while ago: " + how + "."}}
}
