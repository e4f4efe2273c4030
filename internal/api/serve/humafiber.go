package serve

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
		handler(&FiberContext{op: op, Fiber: c})
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

// FiberContext is a request as huma wants it: it implements huma.Context.
type FiberContext struct {
	op     *huma.Operation
	Fiber  fiber.Ctx
	status int
}

func (f *FiberContext) Operation() *huma.Operation { return f.op }
func (f *FiberContext) Context() context.Context   { return f.Fiber.Context() }
func (f *FiberContext) TLS() *tls.ConnectionState  { return f.Fiber.RequestCtx().TLSConnectionState() }
func (f *FiberContext) Version() huma.ProtoVersion {
	return huma.ProtoVersion{Proto: strings.Clone(f.Fiber.Protocol()), ProtoMajor: 1, ProtoMinor: 1}
}
func (f *FiberContext) Method() string     { return strings.Clone(f.Fiber.Method()) }
func (f *FiberContext) Host() string       { return strings.Clone(f.Fiber.Host()) }
func (f *FiberContext) RemoteAddr() string { return f.Fiber.RequestCtx().RemoteAddr().String() }
func (f *FiberContext) URL() url.URL {
	u, err := url.Parse(string(f.Fiber.Request().RequestURI()))
	if err != nil {
		return url.URL{}
	}
	return *u
}

// Param is a path parameter, unescaped: a role's key has a slash in it.
func (f *FiberContext) Param(name string) string {
	raw := strings.Clone(f.Fiber.Params(name))
	if s, err := url.PathUnescape(raw); err == nil {
		return s
	}
	return raw
}
func (f *FiberContext) Query(name string) string  { return strings.Clone(f.Fiber.Query(name)) }
func (f *FiberContext) Header(name string) string { return strings.Clone(f.Fiber.Get(name)) }
func (f *FiberContext) EachHeader(yield func(name, value string)) {
	for k, v := range f.Fiber.Request().Header.All() {
		yield(string(k), string(v))
	}
}
func (f *FiberContext) BodyReader() io.Reader { return bytes.NewReader(bytes.Clone(f.Fiber.Body())) }
func (f *FiberContext) GetMultipartForm() (*multipart.Form, error) {
	return f.Fiber.MultipartForm()
}
func (f *FiberContext) SetReadDeadline(time.Time) error { return nil } // the server's own holds
func (f *FiberContext) SetStatus(code int) {
	f.status = code
	f.Fiber.Status(code)
}
func (f *FiberContext) Status() int                  { return f.status }
func (f *FiberContext) SetHeader(name, value string) { f.Fiber.Set(name, value) }

// AppendHeader adds a line: of cookies each has its own (RFC 6265, section 3).
func (f *FiberContext) AppendHeader(name, value string) { f.Fiber.Response().Header.Add(name, value) }
func (f *FiberContext) BodyWriter() io.Writer           { return f.Fiber.Response().BodyWriter() }
