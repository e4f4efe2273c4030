// Package console holds the built console, embedded into the service.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the built console's files; without index.html when it was not
// built before the program.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // dist is embedded: this cannot fail
	}
	return files
}
