package serve

import "ableroster/internal/fact"

// NeedsSecond says whether somebody must have a second factor.
func (s *Server) NeedsSecond(user fact.UserID) bool {
	u := s.Ledger.Head().User(user)
	if u == nil || u.UserKind != fact.Person {
		return false
	}
	switch s.Options.SecondFactor {
	case SecondEverybody:
		return true
	case SecondAdministrators:
		return s.Authenticator.Administers(user)
	}
	return false
}

// Who needs a second factor.
const (
	SecondOffered        = "offered"        // nobody: everybody may have one
	SecondAdministrators = "administrators" // whoever may do something to others in Able Roster
	SecondEverybody      = "everybody"
)

// withoutSecond are the calls that are answered before one has the second factor one needs.
var withoutSecond = map[string]bool{"GET /api/v1/me": true, "GET /api/v1/me/second-factor": true, "POST /api/v1/me/second-factor": true, "PUT /api/v1/me/second-factor": true,
	"GET /api/v1/me/passkeys": true, "POST /api/v1/me/passkeys": true, "POST /api/v1/me/passkeys/ceremony": true,
	"POST /api/v1/me/confirmation": true, "DELETE /api/v1/session": true, "PUT /api/v1/me/password": true}
