package api

import (
	"fmt"
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"time"

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
func (s *Server) checkRoutes() {
	s.App.Post("/api/v1/check", s.fresh, s.check)
	s.describe("POST", "/check", "check", "May this user do this?", reflect.TypeFor[wire.CheckRequest](), reflect.TypeFor[wire.CheckAnswer](),
		"as_of", "a past instant (RFC 3339): by the facts of then, judged then; now by default")
	s.App.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/api/v1/menu", s.fresh, s.menu)
	s.describe("GET", "/menu", "menu", "What may this user do in this application?", nil, reflect.TypeFor[wire.Menu](),
		"user", "user name or id", "nobody", "true: instead of a user, nobody signed in", "application", "key or id",
		"at", "the instant to judge (RFC 3339), by the present facts", "as_of", "a past instant (RFC 3339): by the facts of then, judged then; now by default")
}

// fresh refuses decisions on a head that has not been known to be the newest
// for longer than the installation accepts.
func (s *Server) fresh(c fiber.Ctx) error {
	if p := s.tooOld(); p != nil {
		return writeProblem(c, p)
	}
	return c.Next()
}

// tooOld says why nothing is decided on now, nor anybody let in; nil for nothing.
func (s *Server) tooOld() *problem {
	if age := s.ledger.Age(); s.o.MaxAge > 0 && age > s.o.MaxAge {
		return &problem{retryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Too old", Status: 503,
			Detail: fmt.Sprintf("What this service knows is %.0f s old, since it cannot follow the database, and this installation decides on nothing older than %s, and lets nobody in.", age.Seconds(), s.o.MaxAge)}}
	}
	if why := s.ledger.WrongTime(); why != "" {
		return &problem{retryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Wrong time", Status: 503, Detail: "Nothing is decided on: " + why + "."}}
	}
	return nil
}

// checkParameters are those of check and menu, by name: never lists.
var (
	checkParameters = map[string]bool{"as_of": false}
	menuParameters  = map[string]bool{"user": false, "nobody": false, "application": false, "at": false, "as_of": false}
)

// asked is the view a question is put to: of today, of a past day, or of today's facts
// judged at another instant.
func (s *Server) asked(c fiber.Ctx, known map[string]bool, user string) (*seeing.View, error) {
	query := queryOf(c)
	faults := append(undeclared(known, query), blanks(query)...)
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
			faults = append(faults, outOfTime(name, t)...)
		}
		when[name] = t
	}
	if len(faults) > 0 {
		return nil, newProblem(422, "", faults...)
	}
	ctx := c.Context()
	if len(when) == 0 {
		return s.service.Now(ctx, caller(ctx)), nil
	}
	v, err := s.service.AsOfAbout(ctx, caller(ctx), when["as_of"], user)
	if err == nil && !when["at"].IsZero() {
		v = v.JudgedAt(when["at"])
	}
	return v, err
}

func (s *Server) check(c fiber.Ctx) error {
	var q wire.CheckRequest
	if err := jsonv2.Unmarshal(c.Body(), &q, jsonv2.RejectUnknownMembers(true)); err != nil {
		return writeProblem(c, unreadable(err, c.Body(), &wire.CheckRequest{}))
	}
	v, err := s.asked(c, checkParameters, q.User)
	if err != nil {
		return writeProblem(c, problemOf(err))
	}
	out, err := questions.Check(v, q)
	if err != nil {
		return writeProblem(c, problemOf(err))
	}
	return c.JSON(out)
}

// unreadable is what is wrong with a body that could not be read.
func unreadable(err error, raw []byte, into any) *problem {
	p := &problem{Problem: *seeing.Invalid("the question cannot be read")}
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

func (s *Server) menu(c fiber.Ctx) error {
	v, err := s.asked(c, menuParameters, strings.Clone(c.Query("user")))
	if err != nil {
		return writeProblem(c, problemOf(err))
	}
	nobody := c.Query("nobody")
	if nobody != "" && nobody != "true" && nobody != "false" {
		return writeProblem(c, newProblem(422, "", &huma.ErrorDetail{Location: "query.nobody", Message: "is true or false"}))
	}
	out, err := questions.Menu(v, c.Query("user"), c.Query("application"), nobody == "true")
	if err != nil {
		return writeProblem(c, problemOf(err))
	}
	return c.JSON(out)
}

func (s *Server) describe(method, path, id, summary string, in, out reflect.Type, query ...string) {
	reg := s.api.OpenAPI().Components.Schemas
	content := func(t reflect.Type) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{"application/json": {Schema: reg.Schema(t, true, "")}}
	}
	op := &huma.Operation{OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary,
		Security: []map[string][]string{{"token": {}}, {"session": {}}},
		Responses: map[string]*huma.Response{
			"200": {Description: "OK", Content: content(out)},
		}}
	for _, status := range []int{400, 401, 403, 404, 406, 413, 415, 422, 429, 500, 503} {
		op.Responses[strconv.Itoa(status)] = &huma.Response{Description: http.StatusText(status), Content: map[string]*huma.MediaType{"application/problem+json": {Schema: reg.Schema(reflect.TypeFor[problem](), true, "")}}}
	}
	if in != nil {
		op.RequestBody = &huma.RequestBody{Required: true, Content: content(in)}
	}
	for i := 0; i+1 < len(query); i += 2 {
		op.Parameters = append(op.Parameters, &huma.Param{Name: query[i], In: "query", Description: query[i+1], Schema: parameterShape(query[i])})
	}
	s.api.OpenAPI().AddOperation(op)
}

// parameterShape is the schema of a parameter of a call that is described by hand.
func parameterShape(name string) *huma.Schema {
	switch name {
	case "at", "as_of":
		return &huma.Schema{Type: "string", Format: "date-time"}
	case "nobody":
		return &huma.Schema{Type: "boolean"}
	}
	return &huma.Schema{Type: "string"}
}
