package api

import (
	"reflect"
	"strings"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	jsonv2 "github.com/go-json-experiment/json"
	"github.com/gofiber/fiber/v3"
)

// checkRoutes are the calls applications make all the time. They are plain
// Fiber handlers, half the cost of typed ones, and entered into the same
// OpenAPI document by hand.
func checkRoutes(s *serve.Server) {
	s.App.Post("/api/v1/check", s.Fresh, serve.Handler(s, check))
	s.Describe("POST", "/check", "check", "May this user do this?", reflect.TypeFor[wire.CheckRequest](), reflect.TypeFor[wire.CheckAnswer](),
		"as_of", "a past instant (RFC 3339): by the facts of then, judged then; now by default")
	s.App.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/api/v1/menu", s.Fresh, serve.Handler(s, menu))
	s.Describe("GET", "/menu", "menu", "What may this user do in this application?", nil, reflect.TypeFor[wire.Menu](),
		"user", "user name or id", "nobody", "true: instead of a user, nobody signed in", "application", "key or id",
		"at", "the instant to judge (RFC 3339), by the present facts", "as_of", "a past instant (RFC 3339): by the facts of then, judged then; now by default")
}

// checkParameters are those of check and menu, by name: never lists.
var (
	checkParameters = map[string]bool{"as_of": false}
	menuParameters  = map[string]bool{"user": false, "nobody": false, "application": false, "at": false, "as_of": false}
)

// asked is the view a question is put to: of today, of a past day, or of today's facts
// judged at another instant.
func asked(s *serve.Server, c fiber.Ctx, known map[string]bool, user string) (*seeing.View, error) {
	query := serve.QueryOf(c)
	faults := append(serve.Undeclared(known, query), serve.Blanks(query)...)
	when := map[string]time.Time{}
	for _, name := range []string{"as_of", "at"} {
		text := query.Get(name)
		if _, has := known[name]; !has || text == "" {
			continue
		}
		t, err := time.Parse(time.RFC3339Nano, text)
		if err != nil {
			faults = append(faults, &huma.ErrorDetail{Location: "query." + name, Message: "is no RFC 3339 time such as 2027-01-31T18:00:00Z"})
		} else {
			faults = append(faults, serve.OutOfTime(name, t)...)
		}
		when[name] = t
	}
	if len(faults) > 0 {
		return nil, serve.NewProblem(422, "", faults...)
	}
	ctx := c.Context()
	if len(when) == 0 {
		return s.Service.Now(ctx, serve.Caller(ctx)), nil
	}
	v, err := s.Service.AsOfAbout(ctx, serve.Caller(ctx), when["as_of"], user)
	if err == nil && !when["at"].IsZero() {
		v = v.JudgedAt(when["at"])
	}
	return v, err
}

func check(s *serve.Server, c fiber.Ctx) error {
	var q wire.CheckRequest
	if err := jsonv2.Unmarshal(c.Body(), &q, jsonv2.RejectUnknownMembers(true)); err != nil {
		return serve.WriteProblem(c, unreadable(err, c.Body(), &wire.CheckRequest{}))
	}
	v, err := asked(s, c, checkParameters, q.User)
	if err != nil {
		return serve.WriteProblem(c, serve.ProblemOf(err))
	}
	out, err := questions.Check(v, q)
	if err != nil {
		return serve.WriteProblem(c, serve.ProblemOf(err))
	}
	return c.JSON(out)
}

// unreadable is what is wrong with a body that could not be read.
func unreadable(err error, raw []byte, into any) *serve.Problem {
	p := &serve.Problem{Problem: *seeing.Invalid("the question cannot be read")}
	for _, place := range strictjson.Twice(raw) {
		p.Faults = append(p.Faults, wire.Fault{Place: "/" + place, Message: "is given twice"})
	}
	for _, f := range strictjson.Unmarshal(raw, into) {
		p.Faults = append(p.Faults, wire.Fault{Place: "/" + f.Place, Message: f.Message})
	}
	if len(p.Faults) == 0 {
		p.Faults = []wire.Fault{{Place: "/", Message: err.Error()}}
	}
	return p
}

func menu(s *serve.Server, c fiber.Ctx) error {
	v, err := asked(s, c, menuParameters, strings.Clone(c.Query("user")))
	if err != nil {
		return serve.WriteProblem(c, serve.ProblemOf(err))
	}
	nobody := c.Query("nobody")
	if nobody != "" && nobody != "true" && nobody != "false" {
		return serve.WriteProblem(c, serve.NewProblem(422, "", &huma.ErrorDetail{Location: "query.nobody", Message: "is true or false"}))
	}
	out, err := questions.Menu(v, c.Query("user"), c.Query("application"), nobody == "true")
	if err != nil {
		return serve.WriteProblem(c, serve.ProblemOf(err))
	}
	return c.JSON(out)
}
