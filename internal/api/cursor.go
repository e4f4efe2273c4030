package api

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

// cursor is where the next page of a list begins: in which question, and on which revision. To
// whoever has one it is a word.
type cursor struct {
	question [8]byte
	revision int64            // that the pages are drawn from; 0: what is asked about does not move
	at       calendar.Instant // at which the first was judged
	from     string           // where the next begins, as the list has it
}

func (c cursor) String() string {
	raw := append([]byte{1}, c.question[:]...)
	raw = binary.AppendVarint(raw, c.revision)
	raw = binary.AppendVarint(raw, int64(c.at))
	return base64.RawURLEncoding.EncodeToString(append(raw, c.from...))
}

func readCursor(text string) (c cursor, ok bool) {
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(raw) < 9 || raw[0] != 1 {
		return c, false
	}
	raw = raw[1+copy(c.question[:], raw[1:]):]
	var n int
	if c.revision, n = binary.Varint(raw); n <= 0 || c.revision < 0 {
		return c, false
	}
	raw = raw[n:]
	at, n := binary.Varint(raw)
	if n <= 0 {
		return c, false
	}
	c.at, c.from = calendar.Instant(at), string(raw[n:])
	return c, c.from != ""
}

// questionOf tells one question from another: who asks what, but for the page of it.
func questionOf(ctx context.Context, u url.URL, body []byte) (out [8]byte) {
	q := u.Query()
	q.Del("cursor")
	q.Del("limit")
	h := sha256.New()
	h.Write([]byte(caller(ctx).User.String() + "\x00" + u.Path + "\x00" + q.Encode() + "\x00"))
	h.Write(body)
	copy(out[:], h.Sum(nil))
	return out
}

// turn reads the cursor of a call, and has the call answered from what the page before was.
// It gives where the page begins, as the list has it.
func (s *Server) turn(ctx context.Context, text string, question [8]byte) (from string, fault string) {
	c, ok := readCursor(text)
	switch {
	case !ok:
		return "", "is malformed; begin again without one"
	case c.question != question:
		return "", "is of another question: a cursor goes with what it was given for; begin again without one"
	case c.revision == 0:
		return c.from, ""
	}
	callOf(ctx).older = c.revision != s.ledger.Head().Revision
	if err := s.service.Turn(&callOf(ctx).page, c.revision, c.at); err != nil {
		return "", "is too old: a list is kept for 10 minutes, unless somebody is erased; begin again without one"
	}
	return c.from, ""
}

// Resolve reads the cursor of a list.
func (p *Paging) Resolve(ctx huma.Context) []error {
	known := callOf(ctx.Context())
	known.question = questionOf(ctx.Context(), ctx.URL(), nil)
	if p.Cursor == "" || known.server == nil {
		return nil
	}
	from, fault := known.server.turn(ctx.Context(), p.Cursor, known.question)
	if fault != "" {
		return []error{&huma.ErrorDetail{Location: "query.cursor", Message: fault}}
	}
	p.Cursor = from
	return nil
}

// next writes where the next page of an answer begins, if it has one, so that it goes with its
// question and with what this page was drawn from; steady lists do not move.
func (s *Server) next(ctx context.Context, out any, steady bool) {
	known := callOf(ctx)
	body := reflect.Indirect(reflect.ValueOf(out))
	if body.Kind() != reflect.Struct || known.question == ([8]byte{}) {
		return
	}
	if body = body.FieldByName("Body"); body.Kind() != reflect.Struct {
		return
	}
	next := body.FieldByName("Next")
	if next.Kind() != reflect.String || next.String() == "" {
		return
	}
	c := cursor{question: known.question, from: next.String()}
	of := body.FieldByName("Basis")
	if !of.IsValid() { // of two instants the later one
		of = body.FieldByName("To")
	}
	if basis, ok := of.Interface().(wire.Basis); ok && !steady && !basis.AsOf {
		c.revision, c.at = basis.Revision, calendar.At(basis.At)
		s.service.KeepFor(c.revision)
	}
	next.SetString(c.String())
}

// steady marks a call whose list only grows at its beginning.
func steady(op *huma.Operation) {
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata["steady"] = true
}
