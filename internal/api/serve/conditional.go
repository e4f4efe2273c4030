package serve

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"regexp"
	"strings"
	"time"

	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// Basis is how an answer, or a part of one, begins that says when and at which revision it was
// judged, where its next page begins, and the instants of now in others. They are no part of what a tag is of: a revision would tell
// somebody who sees a part that something else moved.
var Basis = regexp.MustCompile(`^(?:\{"revision":\d+,"at":"[^"]*"|"now":"[^"]*"|"next":"[^"]*"|"age_seconds":[\d.]+)`)

var basisBegins = [][]byte{[]byte(`{"revision":`), []byte(`"now":"`), []byte(`"next":"`), []byte(`"age_seconds":`)}

// tagOf is the entity tag of an answer (RFC 9110, section 8.8.3): a digest of what it tells the
// caller. Where the answer says at which instant it was judged the tag is a weak one.
func tagOf(body []byte) string {
	h, weak := sha256.New(), ""
	body = bytes.TrimRight(body, "\n") // which an encoder may end with
	for {
		next := len(body)
		for _, begin := range basisBegins {
			if i := bytes.Index(body[:next], begin); i >= 0 {
				next = i
			}
		}
		h.Write(body[:next])
		if body = body[next:]; len(body) == 0 {
			break
		}
		if at := Basis.FindIndex(body); at != nil {
			weak, body = "W/", body[at[1]:]
			continue
		}
		h.Write(body[:1])
		body = body[1:]
	}
	sum := h.Sum(nil)
	return weak + `"` + base64.RawURLEncoding.EncodeToString(sum[:18]) + `"`
}

// tagged gives each answer to a question its entity tag, and answers 304 to whoever has it
// already (RFC 9110, section 13.1.2).
func (s *Server) tagged(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	method := c.Method()
	resp := c.Response()
	if method != fiber.MethodGet && method != fiber.MethodHead || !calls(c.Path()) || resp.StatusCode() != http.StatusOK || resp.IsBodyStream() {
		return nil
	}
	tag := string(resp.Header.Peek("ETag"))
	if tag == "" {
		tag = tagOf(resp.Body())
		c.Set("ETag", tag)
	}
	if !fitsTag(c.Get("If-None-Match"), tag, true) {
		return nil
	}
	resp.ResetBody()
	resp.Header.Del("Content-Encoding")
	resp.Header.Del("Content-Type")
	c.Status(http.StatusNotModified)
	return nil
}

// packedTag is how the tag of an answer that was compressed ends: see compressed.
var packedTag = regexp.MustCompile(`-(br|gzip)"$`)

// fitsTag says whether a tag is one of those of a header, or the header is *. Compared weakly
// W/ makes no difference; strongly a weak tag is never the same (RFC 9110, section 8.8.3.2).
func fitsTag(header, tag string, weakly bool) bool {
	if strings.TrimSpace(header) == "*" {
		return true
	}
	tag = packedTag.ReplaceAllString(tag, `"`)
	for x := range strings.SplitSeq(header, ",") {
		x = packedTag.ReplaceAllString(strings.TrimSpace(x), `"`)
		switch {
		case x == "":
		case weakly && strings.TrimPrefix(x, "W/") == strings.TrimPrefix(tag, "W/"), !weakly && x == tag && !strings.HasPrefix(x, "W/"):
			return true
		}
	}
	return false
}

// Conditions are those under which a call replaces something or takes it away (RFC 9110,
// section 13.1).
type Conditions struct {
	IfMatch     string `header:"If-Match" maxLength:"2000" doc:"the ETag of what is replaced or removed, as it was read: where it has changed since, nothing is done"`
	IfNoneMatch string `header:"If-None-Match" maxLength:"2000" doc:"*: only where there is none yet"`
}

// Seen is what somebody saw who sends conditions, given what is there now as one reads it, or why
// it cannot be read. It fails where the conditions do not hold.
func (c Conditions) Seen(now any, changedAt time.Time, err error) (saved.Seen, error) {
	if c.IfMatch == "" && c.IfNoneMatch == "" {
		return saved.Seen{}, nil
	}
	var p *wire.Problem
	none := errors.As(err, &p) && p.Status == http.StatusNotFound
	if err != nil && !none {
		return saved.Seen{}, err
	}
	if none {
		if c.IfMatch != "" {
			return saved.Seen{}, seeing.PreconditionFailed()
		}
		return saved.Seen{Nothing: true}, nil
	}
	body, err := json.Marshal(now)
	if err != nil {
		return saved.Seen{}, err
	}
	tag := tagOf(body)
	if c.IfMatch != "" && !fitsTag(c.IfMatch, tag, false) || c.IfNoneMatch != "" && fitsTag(c.IfNoneMatch, tag, true) {
		return saved.Seen{}, seeing.PreconditionFailed()
	}
	return saved.Seen{ChangedAt: changedAt}, nil
}
