package serve

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strconv"
	"strings"

	"ableroster/internal/jobs"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/past"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// Problem is a wire.Problem as huma wants errors.
type Problem struct {
	wire.Problem
	RetryAfter int `json:"-"` // seconds, 0 for none
}

func (p *Problem) GetStatus() int            { return p.Status }
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func init() {
	huma.DefaultArrayNullable = false // lists are empty, never null
	// Faults that huma finds in a request, in our own form. The value at fault
	// is not echoed: it may be a secret.
	huma.NewErrorWithContext = func(c huma.Context, status int, message string, errs ...error) huma.StatusError {
		p := NewProblem(status, message, errs...)
		p.Instance = CallOf(c.Context()).ID
		for i := range p.Faults {
			meant(c.Operation(), &p.Faults[i])
		}
		return p
	}
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		return NewProblem(status, message, errs...)
	}
}

// NewProblem is a problem of a status, as huma makes them: its errors are faults.
func NewProblem(status int, message string, errs ...error) *Problem {
	p := &Problem{Problem: wire.Problem{Type: kindOf(status), Title: http.StatusText(status), Status: status, Detail: message}}
	if p.Type == seeing.KindInvalid {
		p.Title, p.Detail = "Not valid", "nothing was done: the request is not as /api/v1/openapi.json says"
		if len(errs) == 0 {
			p.Detail = "nothing was done: " + message
		}
	}
	for _, err := range errs {
		var d huma.ErrorDetailer
		if errors.As(err, &d) {
			p.Faults = append(p.Faults, wire.Fault{Place: place(d.ErrorDetail().Location), Message: d.ErrorDetail().Message})
		} else if err != nil {
			p.Faults = append(p.Faults, wire.Fault{Place: "/", Message: err.Error()})
		}
	}
	return p
}

// place turns huma's "body.operations[0].op" into a JSON pointer, and names
// parameters as they are.
func place(location string) string {
	rest, ok := strings.CutPrefix(location, "body")
	if !ok {
		for _, in := range []string{"query.", "path.", "header."} {
			location = strings.TrimPrefix(location, in)
		}
		return location
	}
	if rest == "" {
		return "/"
	}
	return strings.NewReplacer(".", "/", "[", "/", "]", "").Replace(rest)
}

func kindOf(status int) string {
	switch status {
	case http.StatusNotFound:
		return seeing.KindNotFound
	case http.StatusRequestEntityTooLarge:
		return seeing.KindTooLarge
	case http.StatusUnsupportedMediaType, http.StatusNotAcceptable, http.StatusMethodNotAllowed:
		return seeing.KindNotSupported
	case http.StatusUnauthorized:
		return seeing.KindNotSignedIn
	}
	if status >= 500 {
		return seeing.KindInternal
	}
	return seeing.KindInvalid
}

// ProblemOf turns an error into what the caller is told.
func ProblemOf(err error) *Problem {
	var p *Problem
	var w *wire.Problem
	var f *fiber.Error
	var away *net.OpError // the database, of sign-in
	var sql interface{ SQLState() string }
	var queue *jobs.DatabaseError
	if errors.As(err, &sql) || errors.As(err, &queue) { // of whoever asked the database without the ledger
		err = database.Unavailable(err)
	}
	switch {
	case errors.As(err, &p):
		return p
	case busy(err) != nil:
		return busy(err)
	case errors.As(err, &w):
		return &Problem{Problem: *w}
	case errors.Is(err, database.ErrLost):
		return lost(strings.TrimPrefix(err.Error(), database.ErrLost.Error()+": "))
	case errors.Is(err, database.ErrReadOnly):
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Not available now", Status: 503,
			Detail: "The database is read-only now, so nothing can be changed and nobody can sign in; questions are still answered. Try again in a moment, or ask whoever looks after it."}}
	case errors.Is(err, ledger.ErrHeld):
		return &Problem{RetryAfter: 10, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Not now", Status: 503, Detail: "Nothing was changed: " + err.Error() + ". Try again in a moment."}}
	case errors.Is(err, past.ErrRowsLater):
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Not available yet", Status: 503, Detail: Upper(err.Error()) + "."}}
	case errors.Is(err, database.ErrUnavailable), errors.Is(err, ledger.ErrClosed), errors.As(err, &away), database.BrokenOff(err):
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Not available now", Status: 503,
			Detail: "The database cannot be reached, so nothing can be changed and old days cannot be read; questions about now are still answered. Try again in a moment."}}
	case errors.Is(err, database.ErrBeforeFirst):
		return &Problem{Problem: *seeing.Invalid("there is nothing to read there", wire.Fault{Place: "as_of", Message: err.Error()})}
	case errors.Is(err, signin.ErrWrong):
		return &Problem{Problem: wire.Problem{Type: seeing.KindNotSignedIn, Title: "Not signed in", Status: 401, Detail: Upper(err.Error()) + "."}}
	case errors.Is(err, context.DeadlineExceeded):
		return &Problem{RetryAfter: 5, Problem: wire.Problem{Type: seeing.KindUnavailable, Title: "Took too long", Status: 503, Detail: "The answer took too long. Try again in a moment."}}
	case errors.As(err, &f):
		return &Problem{Problem: wire.Problem{Type: kindOf(f.Code), Title: http.StatusText(f.Code), Status: f.Code, Detail: f.Message}}
	}
	return &Problem{Problem: wire.Problem{Type: seeing.KindInternal, Title: "Something went wrong", Status: 500,
		Detail: "Something went wrong in the service. It is in the log under the request id."}}
}

// Upper is a text that begins with a capital letter.
func Upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// challenge says how one is known here (RFC 6750, section 3).
func challenge(ctx context.Context) string {
	if CallOf(ctx).Token {
		return `Bearer realm="able-roster", error="invalid_token"`
	}
	return `Bearer realm="able-roster"`
}

// WriteProblem answers outside huma's handlers.
func WriteProblem(c fiber.Ctx, p *Problem) error {
	p.Instance = requestID(c)
	if p.RetryAfter > 0 {
		c.Set("Retry-After", strconv.Itoa(p.RetryAfter))
	}
	if p.Status == http.StatusUnauthorized {
		c.Set("WWW-Authenticate", challenge(c.Context()))
	}
	if strings.HasPrefix(c.Path(), AccessPath) {
		return writeError(c, p)
	}
	if strings.HasPrefix(c.Path(), SCIMPath+"/") {
		return writeSCIMError(c, p)
	}
	c.Status(p.Status)
	if err := c.JSON(p.Problem); err != nil {
		return err
	}
	c.Set("Content-Type", "application/problem+json")
	return nil
}
