package serve

import (
	"bufio"
	"compress/gzip"
	"io"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"
)

// compressFrom is from how many bytes on an answer is compressed.
const compressFrom = 1 << 10

// carriesSecret are the calls whose answers have a secret in them: beside what a caller sends,
// their length would tell of it.
func carriesSecret(path string) bool {
	for _, begin := range []string{"/api/v1/session", "/api/v1/tokens", "/api/v1/set-up", "/api/v1/sign-in-link", "/api/v1/sign-up", "/api/v1/me/second-factor"} {
		if strings.HasPrefix(path, begin) {
			return true
		}
	}
	return strings.HasSuffix(path, "/sign-in-link")
}

// compressed packs answers of the API for whoever takes them so (RFC 9110, section 12.5.3).
func (s *Server) compressed(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	resp := c.Response()
	if !calls(c.Path()) || carriesSecret(c.Path()) || c.Method() == fiber.MethodHead || resp.IsBodyStream() { // see fileOf
		return nil
	}
	kind := string(resp.Header.ContentType())
	if !strings.Contains(kind, "json") && !strings.HasPrefix(kind, "text/") && !strings.Contains(kind, "yaml") {
		return nil
	}
	body := resp.Body()
	if len(body) < compressFrom || len(resp.Header.Peek("Content-Encoding")) > 0 { // the document is packed once
		return nil
	}
	c.Append("Vary", "Accept-Encoding")
	how := c.AcceptsEncodings("br", "gzip")
	if how == "" || c.Get("Accept-Encoding") == "" {
		return nil
	}
	// A strong tag is of the bytes that go out.
	if tag := string(resp.Header.Peek("ETag")); tag != "" && !strings.HasPrefix(tag, "W/") {
		c.Set("ETag", strings.TrimSuffix(tag, `"`)+"-"+how+`"`)
	}
	if how == "br" {
		resp.SetBodyRaw(fasthttp.AppendBrotliBytesLevel(nil, body, fasthttp.CompressBrotliBestSpeed))
	} else {
		resp.SetBodyRaw(fasthttp.AppendGzipBytesLevel(nil, body, fasthttp.CompressBestSpeed))
	}
	c.Set("Content-Encoding", how)
	return nil
}

// sendDocument sends the OpenAPI document, which is large and for anybody: it is packed, and its
// tag worked out, once.
func (s *Server) sendDocument() fiber.Handler {
	tag := tagOf(s.doc)
	packed := sync.OnceValue(func() []byte { return fasthttp.AppendGzipBytesLevel(nil, s.doc, fasthttp.CompressDefaultCompression) })
	return func(c fiber.Ctx) error {
		c.Set("Content-Type", "application/json")
		c.Set("Cache-Control", "public, max-age=300")
		c.Set("ETag", tag)
		c.Append("Vary", "Accept-Encoding")
		if c.Get("Accept-Encoding") == "" || c.AcceptsEncodings("gzip") == "" {
			return c.Send(s.doc)
		}
		c.Set("ETag", strings.TrimSuffix(tag, `"`)+`-gzip"`)
		c.Set("Content-Encoding", "gzip")
		return c.Send(packed())
	}
}

// sendsPacked sends a file compressed, where the caller takes it so, and closes it.
func sendsPacked(c fiber.Ctx, f io.ReadCloser) bool {
	c.Append("Vary", "Accept-Encoding")
	if c.Get("Accept-Encoding") == "" || c.AcceptsEncodings("gzip") == "" {
		return false
	}
	c.Set("Content-Encoding", "gzip")
	c.Response().SetBodyStreamWriter(func(w *bufio.Writer) {
		defer func() { _ = f.Close() }()
		z := gzip.NewWriter(w)
		_, _ = io.Copy(z, f) // whoever went away reads no more
		_ = z.Close()
	})
	return true
}
