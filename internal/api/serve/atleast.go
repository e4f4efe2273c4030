package serve

import (
	"context"
	"encoding/hex"
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/ledger"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// AtLeastWait is how long a call waits for a revision it asked for.
const AtLeastWait = 2 * time.Second

// mark says which revision this service knows: its number, and as Roster-Head its number
// and the beginning of its hash.
func (s *Server) mark(c fiber.Ctx) {
	m := s.Ledger.Mark()
	c.Set("Roster-Revision", m.Number)
	if m.Full != "" {
		c.Set("Roster-Head", m.Full)
	}
}

// readMark reads what mark writes, or the number alone.
func readMark(text string) (revision int64, hash string, ok bool) {
	number, hash, marked := strings.Cut(text, "-")
	revision, err := strconv.ParseInt(number, 10, 64)
	if marked {
		_, bad := hex.DecodeString(hash)
		ok = bad == nil && len(hash) == ledger.MarkLength
	}
	return revision, hash, err == nil && revision >= 0 && (ok || !marked)
}

// stands refuses everything once the ledger is not the one that was answered from, or the server
// is over; what was being answered meanwhile too.
func (s *Server) stands(c fiber.Ctx) error {
	if s.Ledger == nil || !calls(c.Path()) {
		return c.Next()
	}
	if s.gone() == "" {
		if err := c.Next(); s.gone() == "" {
			return err
		}
	}
	c.Response().ResetBody()
	c.RequestCtx().SetConnectionClose() // another server answers at this address soon
	return WriteProblem(c, lost(s.gone()))
}

func lost(why string) *Problem {
	return &Problem{RetryAfter: 2, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Not available now", Status: 503,
		Detail: "This service stopped answering, and starts again from what is there: " + why + "."}}
}

// atLeast holds a call back until this program knows the revision the caller
// has seen elsewhere, so that nobody reads behind their own change.
func (s *Server) atLeast(c fiber.Ctx) error {
	asked := c.Get("Roster-At-Least")
	if asked == "" {
		return c.Next()
	}
	n, _, ok := readMark(asked)
	if !ok {
		return WriteProblem(c, &Problem{Problem: *seeing.Invalid("nothing was done", wire.Fault{Place: "Roster-At-Least", Message: "is the number of a revision, or what Roster-Head said of it"})})
	}
	ctx, cancel := context.WithTimeout(c.Context(), AtLeastWait)
	defer cancel()
	if !s.Ledger.WaitFor(ctx, n) {
		return WriteProblem(c, &Problem{RetryAfter: 1, Problem: wire.Problem{Type: seeing.KindBehind, Title: "Not there yet", Status: 503,
			Detail: fmt.Sprintf("This service answers from revision %d and does not know revision %d yet. Try again in a moment.", s.Ledger.Head().Revision, n)}})
	}
	return c.Next()
}

// sameRevision refuses whoever has seen another revision of the number than there is here.
// It may have to ask the database, so it does that for nobody who is not known.
func (s *Server) sameRevision(c fiber.Ctx) error {
	n, hash, _ := readMark(c.Get("Roster-At-Least"))
	if hash == "" || n == 0 || CallOf(c.Context()).Caller.User == 0 {
		return c.Next()
	}
	known, err := s.Ledger.HashOf(c.Context(), n)
	if err != nil {
		return WriteProblem(c, ProblemOf(err))
	}
	if !strings.HasPrefix(hex.EncodeToString(known), hash) {
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindLost, Title: "Lost", Status: 412,
			Detail: fmt.Sprintf("Revision %d is another one here: what it was when you saw it was lost. Look again at what there is.", n)}})
	}
	return c.Next()
}
