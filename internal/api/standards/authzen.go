package standards

import (
	"bytes"
	"mime"
	"net/http"
	"regexp"
	"strings"

	"ableroster/internal/api/serve"
	"ableroster/internal/authzen"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// metadataPath is section 9.2.1.
const metadataPath = "/.well-known/authzen-configuration"

// AuthZENRoutes are the calls of the OpenID AuthZEN Authorization API 1.0.
func AuthZENRoutes(s *serve.Server) {
	s.App.Post(serve.AccessPath+"evaluation", s.Fresh, evaluation(s, func(v *seeing.View, raw []byte, base string) (any, error) {
		return authzen.Evaluate(v, raw, base)
	}))
	s.App.Post(serve.AccessPath+"evaluations", s.Fresh, evaluation(s, func(v *seeing.View, raw []byte, base string) (any, error) {
		if bytes.Contains(raw, []byte(`"explain"`)) || bytes.Contains(raw, []byte(`\u`)) { // which takes much more than a decision
			if err := s.Enter(v.Ctx, 0); err != nil {
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
		s.App.Post(serve.AccessPath+"search/"+kind, s.Fresh, evaluation(s, func(v *seeing.View, raw []byte, _ string) (any, error) {
			if err := s.Enter(v.Ctx, 0); err != nil {
				return nil, err
			}
			return authzen.Find(v, kind, raw)
		}))
	}
	s.App.Add([]string{fiber.MethodGet, fiber.MethodHead}, metadataPath, func(c fiber.Ctx) error {
		c.Set("Cache-Control", "max-age=300")
		return c.JSON(authzen.Describe(base(s, c)))
	})
	s.App.All(serve.AccessPath+"*", func(c fiber.Ctx) error {
		if c.Method() != fiber.MethodPost && isEvaluation.MatchString(c.Path()) {
			c.Set("Allow", "POST")
			return serve.WriteProblem(c, &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: http.StatusMethodNotAllowed, Detail: "This address takes POST."}})
		}
		return fiber.NewError(http.StatusNotFound, "there is nothing at this address; see "+metadataPath)
	})
}

var isEvaluation = regexp.MustCompile("^" + serve.AccessPath + "(evaluations?|search/(subject|resource|action))$")

// evaluation is a call that answers a JSON body with another (section 10.1).
func evaluation(s *serve.Server, answer func(*seeing.View, []byte, string) (any, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		if !isJSON(c.Get("Content-Type")) {
			return serve.WriteProblem(c, &serve.Problem{Problem: wire.Problem{Type: seeing.KindNotSupported, Title: "Not supported", Status: http.StatusUnsupportedMediaType, Detail: "The body is application/json."}})
		}
		ctx := c.Context()
		out, err := answer(s.Service.Now(ctx, serve.Caller(ctx)), c.Body(), base(s, c))
		if err != nil {
			p := serve.ProblemOf(err)
			serve.Connected(s, c, serve.SpeaksAuthZEN, strings.Clone(c.Path()), authzen.Words(&p.Problem))
			return serve.WriteProblem(c, p)
		}
		serve.Connected(s, c, serve.SpeaksAuthZEN, c.Path(), "")
		switch d := out.(type) {
		case authzen.Decision:
			if d.Decision && d.Context == nil { // most answers
				c.Set("Content-Type", "application/json; charset=utf-8")
				return c.SendString(authzen.Permitted)
			}
		case *authzen.Decisions:
			raw, err := d.JSON()
			if err != nil {
				return err
			}
			c.Set("Content-Type", "application/json; charset=utf-8")
			return c.Send(raw)
		}
		return c.JSON(out)
	}
}

func isJSON(kind string) bool {
	if kind == "application/json" {
		return true
	}
	of, _, err := mime.ParseMediaType(kind)
	return err == nil && of == "application/json"
}

// base is the address under which the service is reached.
func base(s *serve.Server, c fiber.Ctx) string {
	if s.Options.PublicURL != "" {
		return strings.TrimSuffix(s.Options.PublicURL, "/")
	}
	return "http://" + strings.Clone(c.Host())
}
