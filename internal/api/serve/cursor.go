package serve

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"net/url"
	"reflect"

	"ableroster/internal/calendar"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Cursor is where the next page of a list begins: in which question, and on which revision. To
// whoever has one it is a word.
type Cursor struct {
	Question [8]byte
	Revision int64            // that the pages are drawn from; 0: what is asked about does not move
	At       calendar.Instant // At which the first was judged
	From     string           // where the next begins, as the list has it
}

// String is the word for it.
func (c Cursor) String() string {
	raw := append([]byte{1}, c.Question[:]...)
	raw = binary.AppendVarint(raw, c.Revision)
	raw = binary.AppendVarint(raw, int64(c.At))
	return base64.RawURLEncoding.EncodeToString(append(raw, c.From...))
}

func readCursor(text string) (c Cursor, ok bool) {
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(raw) < 9 || raw[0] != 1 {
		return c, false
	}
	raw = raw[1+copy(c.Question[:], raw[1:]):]
	var n int
	if c.Revision, n = binary.Varint(raw); n <= 0 || c.Revision < 0 {
		return c, false
	}
	raw = raw[n:]
	at, n := binary.Varint(raw)
	if n <= 0 {
		return c, false
	}
	c.At, c.From = calendar.Instant(at), string(raw[n:])
	return c, c.From != ""
}

// QuestionOf tells one question from another: who asks what, but for the page of it.
func QuestionOf(ctx context.Context, u url.URL, body []byte) (out [8]byte) {
	q := u.Query()
	q.Del("cursor")
	q.Del("limit")
	h := sha256.New()
	h.Write([]byte(Caller(ctx).User.String() + "\x00" + u.Path + "\x00" + q.Encode() + "\x00"))
	h.Write(body)
	copy(out[:], h.Sum(nil))
	return out
}

// Turn reads the cursor of a call, and has the call answered from what the page before was.
// It gives where the page begins, as the list has it.
func (s *Server) Turn(ctx context.Context, text string, question [8]byte) (from string, fault string) {
	c, ok := readCursor(text)
	switch {
	case !ok:
		return "", "is malformed; begin again without one"
	case c.Question != question:
		return "", "is of another question: a cursor goes with what it was given for; begin again without one"
	case c.Revision == 0:
		return c.From, ""
	}
	CallOf(ctx).older = c.Revision != s.Ledger.Head().Revision
	if err := s.Service.Turn(&CallOf(ctx).Page, c.Revision, c.At); err != nil {
		return "", "is too old: a list is kept for 10 minutes, unless somebody is erased; begin again without one"
	}
	return c.From, ""
}

// Resolve reads the cursor of a list.
func (p *Paging) Resolve(ctx huma.Context) []error {
	known := CallOf(ctx.Context())
	known.Question = QuestionOf(ctx.Context(), ctx.URL(), nil)
	if p.Cursor == "" || known.Server == nil {
		return nil
	}
	from, fault := known.Server.Turn(ctx.Context(), p.Cursor, known.Question)
	if fault != "" {
		return []error{&huma.ErrorDetail{Location: "query.cursor", Message: fault}}
	}
	p.Cursor = from
	return nil
}

// next writes where the next page of an answer begins, if it has one, so that it goes with its
// question and with what this page was drawn from; steady lists do not move.
func (s *Server) next(ctx context.Context, out any, steady bool) {
	known := CallOf(ctx)
	body := reflect.Indirect(reflect.ValueOf(out))
	if body.Kind() != reflect.Struct || known.Question == ([8]byte{}) {
		return
	}
	if body = body.FieldByName("Body"); body.Kind() != reflect.Struct {
		return
	}
	next := body.FieldByName("Next")
	if next.Kind() != reflect.String || next.String() == "" {
		return
	}
	c := Cursor{Question: known.Question, From: next.String()}
	of := body.FieldByName("Basis")
	if !of.IsValid() { // of two instants the later one
		of = body.FieldByName("To")
	}
	if basis, ok := of.Interface().(wire.Basis); ok && !steady && !basis.AsOf {
		c.Revision, c.At = basis.Revision, calendar.At(basis.At)
		s.Service.KeepFor(c.Revision)
	}
	next.SetString(c.String())
}

// Steady marks a call whose list only grows at its beginning.
func Steady(op *huma.Operation) {
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata["steady"] = true
}
