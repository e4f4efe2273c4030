package api

import (
	"bytes"
	"context"
	"crypto/tls"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// adapter lets huma's typed handlers run on Fiber 3. Values of a Fiber context
// lie in buffers that are used again, so everything handed on is copied.
type adapter struct{ app *fiber.App }

func (a *adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	methods := []string{op.Method}
	if op.Method == fiber.MethodGet { // RFC 9110, section 9.3.2: as GET, without the content
		methods = append(methods, fiber.MethodHead)
	}
	a.app.Add(methods, fiberPath(op.Path), func(c fiber.Ctx) error {
		handler(&fiberContext{op: op, c: c})
		return nil
	})
}

// fiberPath writes an OpenAPI path as Fiber's: {user} as :user, with Fiber's
// own signs in the rest escaped.
func fiberPath(path string) string {
	segments := strings.Split(path, "/")
	for i, s := range segments {
		if strings.HasPrefix(s, "{") && strings.HasSuffix(s, "}") {
			segments[i] = ":" + s[1:len(s)-1]
			continue
		}
		segments[i] = strings.NewReplacer(":", `\:`, "*", `\*`, "+", `\+`).Replace(s)
	}
	return strings.Join(segments, "/")
}

func (a *adapter) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	resp, err := a.app.Test(r)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	defer resp.Body.Close()
	for k, v := range resp.Header {
		w.Header()[k] = v
	}
	w.WriteHeader(resp.StatusCode)
	_, _ = io.Copy(w, resp.Body)
}

type fiberContext struct {
	op     *huma.Operation
	c      fiber.Ctx
	status int
}

func (f *fiberContext) Operation() *huma.Operation { return f.op }
func (f *fiberContext) Context() context.Context   { return f.c.Context() }
func (f *fiberContext) TLS() *tls.ConnectionState  { return f.c.RequestCtx().TLSConnectionState() }
func (f *fiberContext) Version() huma.ProtoVersion {
	return huma.ProtoVersion{Proto: strings.Clone(f.c.Protocol()), ProtoMajor: 1, ProtoMinor: 1}
}
func (f *fiberContext) Method() string     { return strings.Clone(f.c.Method()) }
func (f *fiberContext) Host() string       { return strings.Clone(f.c.Host()) }
func (f *fiberContext) RemoteAddr() string { return f.c.RequestCtx().RemoteAddr().String() }
func (f *fiberContext) URL() url.URL {
	u, err := url.Parse(string(f.c.Request().RequestURI()))
	if err != nil {
		return url.URL{}
	}
	return *u
}

// Param is a path parameter, unescaped: a role's key has a slash in it.
func (f *fiberContext) Param(name string) string {
	raw := strings.Clone(f.c.Params(name))
	if s, err := url.PathUnescape(raw); err == nil {
		return s
	}
	return raw
}
func (f *fiberContext) Query(name string) string  { return strings.Clone(f.c.Query(name)) }
func (f *fiberContext) Header(name string) string { return strings.Clone(f.c.Get(name)) }
func (f *fiberContext) EachHeader(yield func(name, value string)) {
	for k, v := range f.c.Request().Header.All() {
		yield(string(k), string(v))
	}
}
func (f *fiberContext) BodyReader() io.Reader { return bytes.NewReader(bytes.Clone(f.c.Body())) }
func (f *fiberContext) GetMultipartForm() (*multipart.Form, error) {
	return f.c.MultipartForm()
}
func (f *fiberContext) SetReadDeadline(time.Time) error { return nil } // the server's own holds
func (f *fiberContext) SetStatus(code int) {
	f.status = code
	f.c.Status(code)
}
func (f *fiberContext) Status() int                  { return f.status }
func (f *fiberContext) SetHeader(name, value string) { f.c.Set(name, value) }

// AppendHeader adds a line: of cookies each has its own (RFC 6265, section 3).
func (f *fiberContext) AppendHeader(name, value string) { f.c.Response().Header.Add(name, value) }
func (f *fiberContext) BodyWriter() io.Writer           { return f.c.Response().BodyWriter() }
