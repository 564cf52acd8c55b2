// Package console holds the built files of the console, which the service serves.
package console

import (
	"embed"
	"io/fs"
)

// dist is what Vite builds into dist/app; dist itself is always there, so that
// the program can be built without the console.
//
//go:embed all:dist
var dist embed.FS

// Files are the console's files; index.html is missing if it was not built.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist/app")
	if err != nil {
		panic(err) // the name is a valid path, and Sub fails on nothing else
	}
	return files
}
