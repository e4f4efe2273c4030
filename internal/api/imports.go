package api

import (
	"bufio"
	"context"
	"crypto/rand"
	"encoding/json"
	"io"
	"math"
	"net/url"
	"reflect"
	"runtime/debug"
	"strings"
	"time"

	"ableroster/internal/api/serve"
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
func importRoutes(s *serve.Server) {
	for _, x := range []struct{ kind, path, id, summary, content string }{
		{"groups", "/imports/groups", "import-groups", "Make and change groups from a CSV file as one change", "text/csv"},
		{"memberships", "/imports/memberships", "import-memberships", "Add users and groups to groups from a CSV file as one change", "text/csv"},
		{"assignments", "/imports/assignments", "import-assignments", "Give roles to users and groups from a CSV file as one change", "text/csv"},
		{"roster_file", "/roster-file", "load-roster-file", "Make the organisation as a roster file says, as one change", "application/yaml"},
	} {
		serve.Route(s, "POST", x.path, x.id, x.summary, func(ctx context.Context, in *ImportQuery) (*imported, error) {
			return take(ctx, s, x.kind, in, in.said())
		}, takesFile(s, x.content)...)
	}
	type users struct {
		ImportQuery
		Format  string `query:"format" enum:"csv,ldif" doc:"CSV (RFC 4180) or LDIF (RFC 2849); by default what the content type says"`
		Content string `header:"Content-Type" doc:"text/csv, or text/ldif"`
		Mapping string `query:"mapping" maxLength:"64" doc:"a saved mapping of the file's columns to ours; without one they are called as ours"`
		Link    bool   `query:"link" doc:"a row that names nobody who is there, and looks like exactly one user who is (the same address, value of an attribute that tells people apart, or name and first day), is that user's, whose user name stays; else it is somebody new"`
		Units   bool   `query:"new_units" doc:"units and employment types that the file names and that are not there are new ones, and made; else they are faults"`
	}
	serve.Route(s, "POST", "/imports/users", "import-users", "Bring users in from a file as one change", func(ctx context.Context, in *users) (*imported, error) {
		file := in.said()
		file.Format, file.Mapping, file.NewUnits, file.Link = in.Format, in.Mapping, in.Units, in.Link
		if kind, _, _ := strings.Cut(in.Content, ";"); file.Format == "" && strings.HasSuffix(strings.ToLower(strings.TrimSpace(kind)), "ldif") {
			file.Format = "ldif"
		}
		return take(ctx, s, "users", &in.ImportQuery, file)
	}, takesFile(s, "text/csv")...)
	serve.Route(s, "GET", "/imports", "list-imports", "One's own imports, under way and of the last day, the latest first", func(ctx context.Context, _ *struct{}) (*serve.Body[wire.ImportList], error) {
		out, err := transfer.Imports(ctx, s.Service, serve.Caller(ctx))
		return serve.Answer(out), err
	})
	type oneImport struct {
		Import string `path:"name" maxLength:"64" doc:"the name it was given as track, or that was made for it"`
	}
	serve.Route(s, "GET", "/imports/{name}", "get-import", "How far an import of one's own is, or what came of it", func(ctx context.Context, in *oneImport) (*serve.Body[wire.Import], error) {
		out, err := transfer.OneImport(ctx, s.Service, serve.Caller(ctx), in.Import)
		return serve.Answer(out), err
	})
	serve.Route(s, "DELETE", "/imports/{name}", "cancel-import", "Cancel an import of one's own that is not being published yet", func(ctx context.Context, in *oneImport) (*serve.None, error) {
		return &serve.None{}, transfer.CancelImport(ctx, s.Service, serve.Caller(ctx), in.Import)
	}, serve.Status(204))
}

// takesFile lets a call take a file of a kind of content, which it reads itself.
func takesFile(s *serve.Server, content string) []func(*huma.Operation) {
	return []func(*huma.Operation){serve.Status(200), serve.Large, func(op *huma.Operation) {
		schemas := s.API.OpenAPI().Components.Schemas
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
func take(ctx context.Context, s *serve.Server, kind string, q *ImportQuery, in transfer.Import) (*imported, error) {
	name := q.Track
	if name == "" {
		name = rand.Text()
	}
	file := bufio.NewReader(serve.CallOf(ctx).File)
	if _, err := file.Peek(1); err == io.EOF {
		return nil, serve.NewProblem(400, "request body is required")
	}
	if !in.DryRun {
		if err := confirmedChange(ctx, s, in.Acknowledge); err != nil {
			return nil, err
		}
	}
	u, err := transfer.Send(ctx, s.Service, serve.Caller(ctx), kind, name, in, file)
	if err != nil {
		return nil, err
	}
	out := &imported{Status: 202, Location: "/api/v1/imports/" + url.PathEscape(name), RetryAfter: 1, ContentType: "application/json"}
	if async(q.Prefer) {
		out.Applied = "respond-async"
	} else {
		wait := serve.RequestLimit - answerIn
		if at, ok := ctx.Deadline(); ok {
			wait = time.Until(at) - answerIn
		}
		if u, err = s.Service.Jobs.Wait(ctx, u.ID, wait); err != nil {
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
		p := &serve.Problem{}
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
func WorkUpload(ctx context.Context, s *serve.Server, u *jobs.Upload, content []byte, run *jobs.Run) (answer jobs.Answer, err error) {
	leave, err := s.Budget.Enter(ctx, uint32(u.Owner), int64(len(content)))
	if err != nil {
		return answer, err
	}
	defer leave()
	defer func() {
		if p := recover(); p != nil {
			s.Log.Error("panic", "import", u.ID, "panic", p, "stack", string(debug.Stack()))
			answer.Problem, err = json.Marshal(serve.ProblemOf(nil).Problem)
		}
	}()
	began := time.Now()
	out, err := transfer.Work(ctx, s.Service, u, content, run)
	if err != nil && ctx.Err() != nil {
		return answer, err // this service stops: another works it
	}
	if err == nil {
		answer.Revision = out.Revision
		answer.Result, err = json.Marshal(out)
	} else {
		p := serve.ProblemOf(err)
		if p.Status == fiber.StatusServiceUnavailable && !run.Last() {
			return answer, err
		}
		if p.Status == fiber.StatusInternalServerError {
			s.Log.Error("import failed", "import", u.ID, "error", err)
		}
		answer.About = p.About
		answer.Problem, err = json.Marshal(p.Problem)
	}
	s.Log.Info("import", "import", u.ID, "kind", u.Kind, "bytes", u.Bytes, "user", u.Owner.String(), "refused", answer.Problem != nil, "revision", answer.Revision,
		"ms", math.Round(time.Since(began).Seconds()*1e4)/10)
	return answer, err
}
