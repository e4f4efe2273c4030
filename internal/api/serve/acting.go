package serve

import (
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"ableroster/internal/record"
	"github.com/gofiber/fiber/v3"
)

// ActingFor is the header by which a machine account names whom it acts for.
const ActingFor = "Roster-Acting-For"

// forSomebody are the calls that an account makes for somebody.
var forSomebody = map[string]bool{"POST /api/v1/changes": true, "GET /api/v1/shares": true}

// actsFor reads whom a call is made for, and says why it is made for nobody. Whether somebody is
// not there, cannot sign in, or may not be known of, is not told apart.
func (s *Server) actsFor(c fiber.Ctx, x *call) *Problem {
	name := strings.TrimSpace(c.Get(ActingFor))
	if name == "" {
		return nil
	}
	if !forSomebody[c.Method()+" "+c.Path()] {
		return &Problem{Problem: *seeing.Invalid("nothing was done", wire.Fault{Place: ActingFor, Message: "is for changes and for what is shared: other calls are made for nobody else"})}
	}
	head, at := s.Ledger.Head(), calendar.At(s.Service.Clock())
	if m := record.MachineAccount(head, x.Caller.User); m == nil || !m.ActsFor || m.Application == 0 || !x.Token {
		return &Problem{Problem: *seeing.Refused("you may act for nobody: a machine account may, of which that is said")}
	}
	id, ok := head.FindUser(name)
	if u := head.User(id); !ok || u.UserKind != fact.Person || !head.MaySignIn(id, at) || !s.Service.Now(c.Context(), x.Caller).ReadsUser(id) {
		return &Problem{Problem: *seeing.Refused("you may not act for “%s”: there is no such user who can sign in, or they are outside what you may see", name)}
	}
	x.Caller.Via, x.Caller.For = x.Caller.User.String(), id
	return nil
}
