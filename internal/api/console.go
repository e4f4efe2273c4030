package api

import (
	"bytes"
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// serveConsole serves the built console: its files as they are, and its one
// page for every address the console itself reads.
func (s *Server) serveConsole(console fs.FS) error {
	page, err := fs.ReadFile(console, "index.html")
	if err != nil {
		page = []byte("<!doctype html><title>Able Roster</title><p>The console is not built into this program; make build does.\n")
	}
	s.App.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Path()), "/")
		if body, err := fs.ReadFile(console, name); err == nil && name != "index.html" {
			c.Set("Content-Type", contentType(name))
			if strings.HasPrefix(name, "assets/") { // their names change with what is in them
				c.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			return c.SendStream(bytes.NewReader(body), len(body))
		}
		if strings.HasPrefix(name, "assets/") {
			return fiber.NewError(404, "there is no such file")
		}
		c.Set("Content-Type", "text/html; charset=utf-8")
		c.Set("Cache-Control", "no-cache")
		return c.Send(page)
	})
	return nil
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
