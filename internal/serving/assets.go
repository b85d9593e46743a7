package serving

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
	"io/fs"
	"net/http"
	"regexp"

	"github.com/labstack/echo/v5"
)

// Assets serves files at addresses that change with them, so that browsers may keep
// what they have for a year.
type Assets struct {
	files fs.FS
	print string
}

// NewAssets reads the fingerprint of files; a folder that cannot be read has none.
func NewAssets(files fs.FS) *Assets {
	sum := sha256.New()
	_ = fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		f, err := files.Open(name)
		if err != nil {
			return err
		}
		defer func() { _ = f.Close() }()
		_, _ = io.WriteString(sum, name+"\x00")
		_, err = io.Copy(sum, f)
		return err
	})
	return &Assets{files: files, print: hex.EncodeToString(sum.Sum(nil))[:12]}
}

// URL is the address of a file.
func (a *Assets) URL(name string) string { return "/assets/" + a.print + "/" + name }

var fingerprint = regexp.MustCompile(`^([0-9a-f]{12})/`)

// Mount adds the files to a router, under /assets. A page of an older program finds the
// files of this one.
func (a *Assets) Mount(e *echo.Echo) {
	e.GET("/assets/*", func(c *echo.Context) error {
		name, kept := c.Param("*"), "no-cache"
		if m := fingerprint.FindStringSubmatch(name); m != nil {
			if name = name[len(m[0]):]; m[1] == a.print {
				kept = "public, max-age=31536000, immutable"
			}
		}
		if info, err := fs.Stat(a.files, name); err != nil || info.IsDir() {
			return c.String(http.StatusNotFound, "There is no such file here.\n")
		}
		h := c.Response().Header()
		h.Set("Cache-Control", kept)
		h.Set("ETag", `W/"`+a.print+`"`)
		http.ServeFileFS(c.Response(), c.Request(), a.files, name)
		return nil
	})
}
