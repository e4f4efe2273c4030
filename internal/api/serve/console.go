package serve

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io/fs"
	"mime"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
)

// serveConsole serves the built console: its files as they are, and its one
// page for every address the console itself reads; with 404 for any other.
func (s *Server) serveConsole(console fs.FS) error {
	page, err := fs.ReadFile(console, "index.html")
	if err != nil {
		page = []byte("<!doctype html><title>Able Roster</title><p>The console is not built into this program; make build does.\n")
	}
	pages := pagesOf(console)
	var small packed
	s.App.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Path()), "/")
		if body, err := fs.ReadFile(console, name); err == nil && name != "index.html" {
			c.Set("Content-Type", contentType(name))
			if strings.HasPrefix(name, "assets/") { // their names change with what is in them
				c.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			if packs(name) {
				c.Vary("Accept-Encoding")
				if c.AcceptsEncodings("gzip") == "gzip" {
					c.Set("Content-Encoding", "gzip")
					body = small.of(name, body)
				}
			}
			return c.SendStream(bytes.NewReader(body), len(body))
		}
		if strings.HasPrefix(name, "assets/") {
			return fiber.NewError(404, "there is no such file")
		}
		c.Set("Content-Type", "text/html; charset=utf-8")
		c.Set("Cache-Control", "no-cache")
		if first, _, _ := strings.Cut(name, "/"); !slices.Contains(pages, first) {
			c.Status(404) // the console says so
		}
		return c.Send(page)
	})
	return nil
}

// pagesOf are what the addresses of the console's pages begin with, as its build says.
func pagesOf(console fs.FS) []string {
	pages := []string{"", "index.html"}
	if raw, err := fs.ReadFile(console, "pages.json"); err == nil {
		var built []string
		if json.Unmarshal(raw, &built) == nil { // else none is known, as where it is not built
			pages = append(pages, built...)
		}
	}
	return pages
}

// packs says whether a file becomes smaller by packing: fonts and pictures are
// packed already.
func packs(name string) bool {
	switch path.Ext(name) {
	case ".js", ".css", ".svg":
		return true
	}
	return false
}

// packed keeps files packed (RFC 1952), each once it was asked for: they never
// change while the program runs. Nothing secret is packed. The server's middleware packs
// anew for every request, so that whoever is not signed in could keep the processors busy.
type packed struct{ files sync.Map }

func (p *packed) of(name string, body []byte) []byte {
	if known, ok := p.files.Load(name); ok {
		return known.([]byte)
	}
	var out bytes.Buffer
	w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is one there is
	_, _ = w.Write(body)                                    // into memory
	_ = w.Close()
	p.files.Store(name, out.Bytes())
	return out.Bytes()
}

func contentType(name string) string {
	if t := mime.TypeByExtension(path.Ext(name)); t != "" {
		return t
	}
	if strings.HasSuffix(name, ".woff2") {
		return "font/woff2"
	}
	return "application/octet-stream"
}
