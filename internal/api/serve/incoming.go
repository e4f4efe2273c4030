package serve

import (
	"bytes"
	"errors"
	"io"

	"ableroster/internal/seeing"
	"ableroster/wire"

	"github.com/gofiber/fiber/v3"
)

// incoming is a body that is read as it comes in.
type incoming struct {
	io.Reader
	ended bool
	wrong *Problem // why it was read no further
}

// Read implements io.Reader. What it fails with is a problem.
func (b *incoming) Read(p []byte) (int, error) {
	n, err := b.Reader.Read(p)
	switch {
	case err == io.EOF:
		b.ended = true
	case errors.Is(err, errTooLarge):
		return n, b.wrong
	case err != nil:
		return n, &Problem{Problem: wire.Problem{Type: seeing.KindInvalid, Title: "Not valid", Status: 400, Detail: "The body broke off."}}
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
func (s *Server) streamed(c fiber.Ctx, stream io.Reader, limit int, tooLarge *Problem) error {
	in := &incoming{Reader: &most{stream, int64(limit)}, wrong: tooLarge}
	CallOf(c.Context()).File = in
	err := c.Next()
	if !in.ended {
		c.RequestCtx().SetConnectionClose()
	}
	return err
}

// whole hands on a body that is there.
func whole(b []byte) *incoming { return &incoming{Reader: bytes.NewReader(b), ended: true} }

var errTooLarge = errors.New("the body is too large")
