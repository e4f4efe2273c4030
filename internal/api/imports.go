package api

import (
	"bufio"
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"io"
	"math"
	"net/url"
	"reflect"
	"runtime/debug"
	"strings"
	"time"

	"ableroster/internal/jobs"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// ImportQuery is what a call says of the file it sends.
type ImportQuery struct {
	DryRun      bool     `query:"dry_run" doc:"only say what it would do"`
	File        string   `query:"file" maxLength:"200" default:"file" doc:"its name, for the places in faults"`
	Reason      string   `query:"reason" maxLength:"2000"`
	Reference   string   `query:"reference" maxLength:"100" doc:"where the work was asked for"`
	Acknowledge []string `query:"acknowledge" doc:"guard rails to pass, by code"`
	Encoding    string   `query:"encoding" maxLength:"40" doc:"of CSV: utf-8 by default, unless the mapping says another"`
	Separator   string   `query:"separator" maxLength:"4" doc:"what stands between columns of CSV: one of , ; | and the tab; seen from the header by default"`
	Track       string   `query:"track" maxLength:"64" doc:"a name of the caller's, under which the import is told of and can be cancelled; without one a name is made"`
	Key         string   `header:"Idempotency-Key" maxLength:"200"`
	Prefer      string   `header:"Prefer" maxLength:"200" doc:"respond-async: answer 202 once the file is there (RFC 7240, section 4.1); where to look is in Location"`
}

func (q *ImportQuery) said() transfer.Import {
	return transfer.Import{File: q.File, Reason: q.Reason, Reference: q.Reference, Acknowledge: q.Acknowledge, DryRun: q.DryRun, Key: q.Key, Encoding: q.Encoding, Separator: q.Separator}
}

// imported is what an import is answered with: what it did (200), or how far it is (202).
type imported struct {
	Status      int
	Location    string `header:"Location" doc:"where to ask how far it is"`
	Applied     string `header:"Preference-Applied"`
	RetryAfter  int    `header:"Retry-After"`
	ContentType string `header:"Content-Type"`
	Body        []byte
}

// importRoutes are how files come in.
func (s *Server) importRoutes() {
	for _, x := range []struct{ kind, path, id, summary, content string }{
		{"groups", "/imports/groups", "import-groups", "Make and change groups from a CSV file as one change", "text/csv"},
		{"memberships", "/imports/memberships", "import-memberships", "Add users and groups to groups from a CSV file as one change", "text/csv"},
		{"assignments", "/imports/assignments", "import-assignments", "Give roles to users and groups from a CSV file as one change", "text/csv"},
		{"roster_file", "/roster-file", "load-roster-file", "Make the organisation as a roster file says, as one change", "application/yaml"},
	} {
		route(s, "POST", x.path, x.id, x.summary, func(ctx context.Context, in *ImportQuery) (*imported, error) {
			return s.take(ctx, x.kind, in, in.said())
		}, s.takesFile(x.content)...)
	}
	type users struct {
		ImportQuery
		Format  string `query:"format" enum:"csv,ldif" doc:"CSV (RFC 4180) or LDIF (RFC 2849); by default what the content type says"`
		Content string `header:"Content-Type" doc:"text/csv, or text/ldif"`
		Mapping string `query:"mapping" maxLength:"64" doc:"a saved mapping of the file's columns to ours; without one they are called as ours"`
		Units   bool   `query:"new_units" doc:"units and employment types that the file names and that are not there are new ones, and made; else they are faults"`
	}
	route(s, "POST", "/imports/users", "import-users", "Bring users in from a file as one change", func(ctx context.Context, in *users) (*imported, error) {
		file := in.said()
		file.Format, file.Mapping, file.NewUnits = in.Format, in.Mapping, in.Units
		if kind, _, _ := strings.Cut(in.Content, ";"); file.Format == "" && strings.HasSuffix(strings.ToLower(strings.TrimSpace(kind)), "ldif") {
			file.Format = "ldif"
		}
		return s.take(ctx, "users", &in.ImportQuery, file)
	}, s.takesFile("text/csv")...)
	route(s, "GET", "/imports", "list-imports", "One's own imports, under way and of the last day, the latest first", func(ctx context.Context, _ *struct{}) (*body[wire.ImportList], error) {
		out, err := transfer.Imports(ctx, s.service, caller(ctx))
		return &body[wire.ImportList]{out}, err
	})
	type oneImport struct {
		Import string `path:"name" maxLength:"64" doc:"the name it was given as track, or that was made for it"`
	}
	route(s, "GET", "/imports/{name}", "get-import", "How far an import of one's own is, or what came of it", func(ctx context.Context, in *oneImport) (*body[wire.Import], error) {
		out, err := transfer.OneImport(ctx, s.service, caller(ctx), in.Import)
		return &body[wire.Import]{out}, err
	})
	route(s, "DELETE", "/imports/{name}", "cancel-import", "Cancel an import of one's own that is not being published yet", func(ctx context.Context, in *oneImport) (*none, error) {
		return &none{}, transfer.CancelImport(ctx, s.service, caller(ctx), in.Import)
	}, status(204))
}

// takesFile lets a call take a file of a kind of content, which it reads itself.
func (s *Server) takesFile(content string) []func(*huma.Operation) {
	return []func(*huma.Operation){status(200), large, func(op *huma.Operation) {
		schemas := s.api.OpenAPI().Components.Schemas
		answer := func(description string, t reflect.Type) *huma.Response {
			return &huma.Response{Description: description, Content: map[string]*huma.MediaType{"application/json": {Schema: schemas.Schema(t, true, "")}}}
		}
		op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{content: {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}
		op.SkipValidateBody = true
		op.Responses = map[string]*huma.Response{
			"200": answer("OK", reflect.TypeFor[wire.ChangeResult]()),
			"202": answer("Accepted: it is under way still, and goes on", reflect.TypeFor[wire.Import]()),
		}
	}}
}

// answerIn is how long before a call's limit it is answered, that an import goes on.
const answerIn = 10 * time.Second

// take keeps the file that a call sends, waits for what comes of it, and answers; one that
// takes longer than a call may goes on, and the caller is told where.
func (s *Server) take(ctx context.Context, kind string, q *ImportQuery, in transfer.Import) (*imported, error) {
	name := q.Track
	if name == "" {
		name = rand.Text()
	}
	file := bufio.NewReader(callOf(ctx).file)
	if _, err := file.Peek(1); err == io.EOF {
		return nil, newProblem(400, "request body is required")
	}
	u, err := transfer.Send(ctx, s.service, caller(ctx), kind, name, in, file)
	if err != nil {
		return nil, err
	}
	out := &imported{Status: 202, Location: "/api/v1/imports/" + url.PathEscape(name), RetryAfter: 1, ContentType: "application/json"}
	if async(q.Prefer) {
		out.Applied = "respond-async"
	} else {
		wait := requestLimit - answerIn
		if at, ok := ctx.Deadline(); ok {
			wait = time.Until(at) - answerIn
		}
		if u, err = s.service.Jobs.Wait(ctx, u.ID, wait); err != nil {
			return nil, err
		}
	}
	switch {
	case !u.State.Ended():
		told, err := transfer.Told(u, false)
		if err != nil {
			return nil, err
		}
		out.Body, err = json.Marshal(told)
		return out, err
	case u.Answer == nil:
		return nil, seeing.Problem(seeing.KindConflict, 409, "Cancelled", "the import was cancelled: nothing was changed")
	case u.Answer.Problem != nil:
		p := &problem{}
		if err := json.Unmarshal(u.Answer.Problem, &p.Problem); err != nil {
			return nil, err
		}
		p.About = u.Answer.About
		return nil, p
	}
	return &imported{Status: 200, ContentType: "application/json", Body: u.Answer.Result}, nil
}

// async says whether a Prefer header asks not to be kept waiting.
func async(prefer string) bool {
	for p := range strings.SplitSeq(prefer, ",") {
		if strings.EqualFold(strings.TrimSpace(p), "respond-async") {
			return true
		}
	}
	return false
}

// WorkUpload works a file that was sent, in its turn, whichever service took it.
func (s *Server) WorkUpload(ctx context.Context, u *jobs.Upload, content []byte, run *jobs.Run) (answer jobs.Answer, err error) {
	leave, err := s.budget.Enter(ctx, uint32(u.Owner), int64(len(content)))
	if err != nil {
		return answer, err
	}
	defer leave()
	defer func() {
		if p := recover(); p != nil {
			s.log.Error("panic", "import", u.ID, "panic", p, "stack", string(debug.Stack()))
			answer.Problem, err = json.Marshal(problemOf(nil).Problem)
		}
	}()
	began := time.Now()
	out, err := transfer.Work(ctx, s.service, u, content, run)
	if err != nil && ctx.Err() != nil {
		return answer, err // this service stops: another works it
	}
	if err == nil {
		answer.Revision = out.Revision
		answer.Result, err = json.Marshal(out)
	} else {
		p := problemOf(err)
		if p.Status == fiber.StatusServiceUnavailable && !run.Last() {
			return answer, err
		}
		if p.Status == fiber.StatusInternalServerError {
			s.log.Error("import failed", "import", u.ID, "error", err)
		}
		answer.About = p.About
		answer.Problem, err = json.Marshal(p.Problem)
	}
	s.log.Info("import", "import", u.ID, "kind", u.Kind, "bytes", u.Bytes, "user", u.Owner.String(), "refused", answer.Problem != nil, "revision", answer.Revision,
		"ms", math.Round(time.Since(began).Seconds()*1e4)/10)
	return answer, err
}

// incoming is a body that is read as it comes in.
type incoming struct {
	io.Reader
	ended bool
	wrong *problem // why it was read no further
}

var errTooLarge = errors.New("the body is too large")

// Read implements io.Reader. What it fails with is a problem.
func (b *incoming) Read(p []byte) (int, error) {
	n, err := b.Reader.Read(p)
	switch {
	case err == io.EOF:
		b.ended = true
	case errors.Is(err, errTooLarge):
		return n, b.wrong
	case err != nil:
		return n, &problem{Problem: wire.Problem{Type: seeing.KindInvalid, Title: "Not valid", Status: 400, Detail: "The body broke off."}}
	}
	return n, err
}

// most fails once more bytes were read than there may be.
type most struct {
	io.Reader
	left int64
}

func (m *most) Read(p []byte) (int, error) {
	n, err := m.Reader.Read(p)
	if m.left -= int64(n); m.left < 0 {
		return 0, errTooLarge
	}
	return n, err
}

// streamed hands the body of a call on as it comes in, no more of it than so much. What is
// not read is not waited for: the connection ends.
func (s *Server) streamed(c fiber.Ctx, stream io.Reader, limit int, tooLarge *problem) error {
	in := &incoming{Reader: &most{stream, int64(limit)}, wrong: tooLarge}
	callOf(c.Context()).file = in
	err := c.Next()
	if !in.ended {
		c.RequestCtx().SetConnectionClose()
	}
	return err
}

// whole hands on a body that is there.
func whole(b []byte) *incoming { return &incoming{Reader: bytes.NewReader(b), ended: true} }
