// Package web holds what is served as it is: templates and the built scripts,
// styles and fonts.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

//go:embed templates
var templates embed.FS

// Dist holds scripts, styles and fonts, as web/build makes them.
func Dist() fs.FS { return sub(dist, "dist") }

// Templates holds the page templates.
func Templates() fs.FS { return sub(templates, "templates") }

func sub(f fs.FS, dir string) fs.FS {
	s, err := fs.Sub(f, dir)
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return s
}
