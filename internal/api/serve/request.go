package serve

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"io"
	"net/netip"
	"strings"

	"ableroster/internal/budget"
	"ableroster/internal/changing"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// How large bodies may be, by who sends them. Nothing is inflated.
const (
	UnknownBody = 64 << 10 // of callers nobody knows
	callerBody  = 1 << 20  // of callers who may change nothing in Able Roster: requests, review decisions
	ChangeBody  = 4 << 20  // of those who may
	FileBody    = 32 << 20 // of whoever may do everything, for files, where no other limit is set; and of lists to compare with

	bodiesAtOnce = 48 << 20 // of all callers together, beyond small ones
)

// takesFiles are the calls that take a whole file to change something by.
func takesFiles(path string) bool {
	return strings.HasPrefix(path, "/api/v1/imports/") || path == "/api/v1/roster-file"
}

// comparesFiles is the call that takes a whole list to compare with what is there.
func comparesFiles(path string) bool {
	return strings.HasPrefix(path, "/api/v1/applications/") && strings.HasSuffix(path, "/comparison")
}

// Large lets a call take a file; small is for calls that never take much.
func Large(op *huma.Operation) { op.MaxBodyBytes = FileBody }

// Small says that a call takes little.
func Small(op *huma.Operation) { op.MaxBodyBytes = UnknownBody }

// bounded reads the body of a call, within what its caller may send: what is larger is
// refused before it is read.
func (s *Server) bounded(c fiber.Ctx) error {
	if c.Get("Content-Encoding") != "" {
		c.RequestCtx().SetConnectionClose()
		return WriteProblem(c, &Problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: 415, Detail: "Bodies are read as they are, not compressed: leave Content-Encoding out."}})
	}
	stream := c.Request().BodyStream()
	if stream == nil {
		CallOf(c.Context()).File = whole(c.Body())
		return c.Next()
	}
	limit := UnknownBody
	length := c.Request().Header.ContentLength()
	if who := CallOf(c.Context()).Caller; who.User != 0 && (length > limit || length < 0) {
		limit = callerBody
		switch v, file := s.Service.Now(c.Context(), who), takesFiles(c.Path()); {
		case file && changing.MayAll(v):
			limit = cmp.Or(s.Options.LargestFile, FileBody)
		case v.Reads() && comparesFiles(c.Path()):
			limit = FileBody
		case v.Acts():
			limit = ChangeBody
		case file:
			return s.cutOff(c, &Problem{Problem: *seeing.Refused("you may change nothing in Able Roster, so no file is read")})
		}
	}
	tooLarge := &Problem{Problem: wire.Problem{Type: seeing.KindTooLarge, Title: "Too large", Status: 413, Detail: "The body is larger than this call takes from you: " + itoa(limit) + " bytes."}}
	if length > limit {
		return s.cutOff(c, tooLarge)
	}
	if takesFiles(c.Path()) && c.Method() == fiber.MethodPost {
		return s.streamed(c, stream, limit, tooLarge)
	}
	if length > UnknownBody || length < 0 {
		if length < 0 {
			length = limit
		}
		if err := s.Enter(c.Context(), length); err != nil {
			return s.cutOff(c, ProblemOf(err))
		}
	}
	var body bytes.Buffer
	if n, err := io.Copy(&body, io.LimitReader(stream, int64(limit)+1)); err != nil {
		return s.cutOff(c, &Problem{Problem: wire.Problem{Type: seeing.KindInvalid, Title: "Not valid", Status: 400, Detail: "The body broke off."}})
	} else if n > int64(limit) {
		return s.cutOff(c, tooLarge)
	}
	c.Request().SetBodyRaw(body.Bytes())
	return c.Next()
}

// cutOff answers, and closes the connection: the rest of the body is not read.
func (s *Server) cutOff(c fiber.Ctx, p *Problem) error {
	c.RequestCtx().SetConnectionClose()
	return WriteProblem(c, p)
}

// Enter takes a place in the budget, and so many bytes, for the rest of a call, once.
func (s *Server) Enter(ctx context.Context, bytes int) error {
	x := CallOf(ctx)
	if x.leave != nil || x.inside {
		return nil
	}
	leave, err := s.Budget.Enter(ctx, uint32(x.Caller.User), int64(bytes))
	if err == nil {
		x.leave = leave
	}
	return err
}

// busy is what somebody is told who has used much and whom others come before.
func busy(err error) *Problem {
	if !errors.Is(err, budget.ErrBusy) {
		return nil
	}
	return &Problem{RetryAfter: 10, Problem: wire.Problem{Type: seeing.KindTooMany, Title: "Others come first", Status: 429,
		Detail: "You have asked for much in the last minute, and others come first. Try again in 10 seconds, or ask for less at a time."}}
}

// Heavy has a call wait for a place in the budget: it takes much, whatever it is asked.
func Heavy(op *huma.Operation) {
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata["heavy"] = true
}

// wellFormed refuses requests that two programs could read as two different ones, and
// closes the connection: with two lengths, with two hosts or none, with a space before
// a colon (RFC 9112, sections 3.2, 5.1 and 6.3).
func (s *Server) wellFormed(c fiber.Ctx) error {
	hosts, lengths, encodings := 0, 0, 0
	for line := range bytes.Lines(c.Request().Header.RawHeaders()) {
		name, _, ok := bytes.Cut(line, []byte(":"))
		if !ok {
			continue
		}
		if len(name) == 0 || bytes.ContainsAny(name, " \t") {
			return s.malformed(c, "a field name has a space in it or beside it")
		}
		switch {
		case bytes.EqualFold(name, []byte("Host")):
			hosts++
		case bytes.EqualFold(name, []byte("Content-Length")):
			lengths++
		case bytes.EqualFold(name, []byte("Transfer-Encoding")):
			encodings++
		}
	}
	switch {
	case hosts > 1 || hosts == 0 && len(c.Request().Header.RawHeaders()) > 0 && c.Protocol() == "HTTP/1.1":
		return s.malformed(c, "it names one host")
	case lengths > 1 || encodings > 1 || lengths > 0 && encodings > 0:
		return s.malformed(c, "its length is said once")
	}
	return c.Next()
}

func (s *Server) malformed(c fiber.Ctx, why string) error {
	return s.cutOff(c, &Problem{Problem: wire.Problem{Type: seeing.KindInvalid, Title: "Not valid", Status: 400, Detail: "The request is not well formed: " + why + "."}})
}

// AddressOf is where a call comes from: the connection's address, or what the trusted
// proxies in between say, the nearest first.
func (s *Server) AddressOf(c fiber.Ctx) string {
	remote, ok := netip.AddrFromSlice(c.RequestCtx().RemoteIP())
	if !ok {
		return ""
	}
	remote = remote.Unmap()
	hops := strings.Split(c.Get("X-Forwarded-For"), ",")
	for i := len(hops) - 1; i >= 0 && s.trusts(remote); i-- {
		hop, err := netip.ParseAddr(strings.TrimSpace(hops[i]))
		if err != nil {
			break // what is before it is hearsay
		}
		remote = hop.Unmap()
	}
	return remote.String()
}

func (s *Server) trusts(a netip.Addr) bool {
	for _, p := range s.Options.Proxies {
		if p.Contains(a) {
			return true
		}
	}
	return false
}
