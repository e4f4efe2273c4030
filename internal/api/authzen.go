package api

import (
	"bytes"
	"mime"
	"net/http"
	"regexp"
	"strings"

	"ableroster/internal/authzen"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// accessPath is below what the Authorization API is served (section 10.1).
const accessPath = "/access/v1/"

// metadataPath is section 9.2.1.
const metadataPath = "/.well-known/authzen-configuration"

// authzenRoutes are the calls of the OpenID AuthZEN Authorization API 1.0.
func (s *Server) authzenRoutes() {
	s.App.Post(accessPath+"evaluation", s.fresh, s.evaluation(func(v *seeing.View, raw []byte, base string) (any, error) {
		return authzen.Evaluate(v, raw, base)
	}))
	s.App.Post(accessPath+"evaluations", s.fresh, s.evaluation(func(v *seeing.View, raw []byte, base string) (any, error) {
		if bytes.Contains(raw, []byte(`"explain"`)) || bytes.Contains(raw, []byte(`\u`)) { // which takes much more than a decision
			if err := s.enter(v.Ctx, 0); err != nil {
				return nil, err
			}
		}
		many, single, err := authzen.EvaluateMany(v, raw, base)
		if many != nil {
			return many, err
		}
		return single, err
	}))
	for _, kind := range []string{authzen.Subjects, authzen.Resources, authzen.Actions} {
		s.App.Post(accessPath+"search/"+kind, s.fresh, s.evaluation(func(v *seeing.View, raw []byte, _ string) (any, error) {
			if err := s.enter(v.Ctx, 0); err != nil {
				return nil, err
			}
			return authzen.Find(v, kind, raw)
		}))
	}
	s.App.Add([]string{fiber.MethodGet, fiber.MethodHead}, metadataPath, func(c fiber.Ctx) error {
		c.Set("Cache-Control", "max-age=300")
		return c.JSON(authzen.Describe(s.base(c)))
	})
	s.App.All(accessPath+"*", func(c fiber.Ctx) error {
		if c.Method() != fiber.MethodPost && isEvaluation.MatchString(c.Path()) {
			c.Set("Allow", "POST")
			return writeProblem(c, &problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: http.StatusMethodNotAllowed, Detail: "This address takes POST."}})
		}
		return fiber.NewError(http.StatusNotFound, "there is nothing at this address; see "+metadataPath)
	})
}

var isEvaluation = regexp.MustCompile("^" + accessPath + "(evaluations?|search/(subject|resource|action))$")

// evaluation is a call that answers a JSON body with another (section 10.1).
func (s *Server) evaluation(answer func(*seeing.View, []byte, string) (any, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		if !isJSON(c.Get("Content-Type")) {
			return writeProblem(c, &problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: http.StatusUnsupportedMediaType, Detail: "The body is application/json."}})
		}
		ctx := c.Context()
		out, err := answer(s.service.Now(ctx, caller(ctx)), c.Body(), s.base(c))
		if err != nil {
			p := problemOf(err)
			s.connected(c, speaksAuthZEN, strings.Clone(c.Path()), authzen.Words(&p.Problem))
			return writeProblem(c, p)
		}
		s.connected(c, speaksAuthZEN, c.Path(), "")
		if d, ok := out.(authzen.Decision); ok && d.Decision && d.Context == nil { // most answers
			c.Set("Content-Type", "application/json; charset=utf-8")
			return c.Send(permitted)
		}
		return c.JSON(out)
	}
}

// permitted is a decision without a context.
var permitted = []byte(`{"decision":true}`)

func isJSON(kind string) bool {
	if kind == "application/json" {
		return true
	}
	of, _, err := mime.ParseMediaType(kind)
	return err == nil && of == "application/json"
}

// base is the address under which the service is reached.
func (s *Server) base(c fiber.Ctx) string {
	if s.o.PublicURL != "" {
		return strings.TrimSuffix(s.o.PublicURL, "/")
	}
	return "http://" + strings.Clone(c.Host())
}

// requestIDs are those that callers may give their requests (section 10.1.4).
var requestIDs = regexp.MustCompile(`^[\x21-\x7e]{1,200}$`)

// answersOwnID gives an answer of the Authorization API the id that its request came with, in
// the place of ours.
func answersOwnID(c fiber.Ctx) {
	if id := c.Get("X-Request-ID"); strings.HasPrefix(c.Path(), accessPath) && requestIDs.MatchString(id) {
		c.Set("X-Request-Id", strings.Clone(id))
	}
}

// writeError answers an error of the Authorization API: its status and a text (section 10.1.3).
func writeError(c fiber.Ctx, p *problem) error {
	if p.Status == http.StatusUnprocessableEntity {
		p.Status = http.StatusBadRequest
	}
	c.Status(p.Status)
	return c.SendString(authzen.Words(&p.Problem) + "\n")
}

// calls says whether a path is one that programs call, and no page of the console.
func calls(path string) bool {
	return strings.HasPrefix(path, "/api/") || strings.HasPrefix(path, accessPath) || strings.HasPrefix(path, scimPath+"/")
}
