// Command build makes web/dist: scripts bundled, styles compiled, fonts copied.
// Run it from the project's root; npm ci must have been run before.
package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/evanw/esbuild/pkg/api"
)

func main() {
	if err := build(); err != nil {
		fmt.Fprintln(os.Stderr, "build:", err)
		os.Exit(1)
	}
}

func build() error {
	if err := os.MkdirAll("web/dist/fonts", 0o755); err != nil {
		return err
	}
	res := api.Build(api.BuildOptions{
		EntryPoints: []string{"web/src/app.ts", "web/src/cart.ts", "web/src/embed.ts", "web/src/preview.ts", "web/src/set.ts", "web/src/shop.ts"},
		Outdir:      "web/dist", Bundle: true, Write: true, Target: api.ES2022, Format: api.FormatIIFE,
		MinifyWhitespace: true, MinifySyntax: true, MinifyIdentifiers: true, LogLevel: api.LogLevelWarning,
	})
	if len(res.Errors) > 0 {
		return fmt.Errorf("%d errors in scripts", len(res.Errors))
	}
	for _, f := range []string{"app", "shop"} {
		cmd := exec.Command("npx", "--no-install", "@tailwindcss/cli", "-i", "web/styles/"+f+".css", "-o", "web/dist/"+f+".css", "--minify")
		if out, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("styles: %w\n%s", err, out)
		}
	}
	for from, to := range copies {
		b, err := os.ReadFile(filepath.Join("node_modules", from))
		if err != nil {
			return fmt.Errorf("%w; run npm ci first", err)
		}
		if err := os.WriteFile(filepath.Join("web/dist", to), b, 0o644); err != nil {
			return err
		}
	}
	for _, name := range []string{"icon.svg", "shop-icon.svg"} {
		b, err := os.ReadFile(filepath.Join("web/icons", name))
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join("web/dist", name), b, 0o644); err != nil {
			return err
		}
	}
	return embedSize()
}

var copies = map[string]string{
	"htmx.org/dist/htmx.min.js": "htmx.js",
	"@fontsource-variable/bricolage-grotesque/files/bricolage-grotesque-latin-wght-normal.woff2":     "fonts/bricolage-latin.woff2",
	"@fontsource-variable/bricolage-grotesque/files/bricolage-grotesque-latin-ext-wght-normal.woff2": "fonts/bricolage-latin-ext.woff2",
	"@fontsource-variable/hanken-grotesk/files/hanken-grotesk-latin-wght-normal.woff2":               "fonts/hanken-latin.woff2",
	"@fontsource-variable/hanken-grotesk/files/hanken-grotesk-latin-ext-wght-normal.woff2":           "fonts/hanken-latin-ext.woff2",
	"@fontsource-variable/literata/files/literata-latin-wght-normal.woff2":                           "fonts/literata-latin.woff2",
	"@fontsource-variable/literata/files/literata-latin-ext-wght-normal.woff2":                       "fonts/literata-latin-ext.woff2",
	"@fontsource/noto-sans-jp/files/noto-sans-jp-japanese-400-normal.woff2":                          "fonts/noto-jp.woff2",
}

// embedSize prints the sizes of the scripts that shoppers load: of the first one, which
// every page has, and of all of them.
func embedSize() error {
	first, all := 0, 0
	for _, name := range []string{"embed", "cart", "set"} {
		n, err := zipped("web/dist/" + name + ".js")
		if err != nil {
			return err
		}
		if all += n; first == 0 {
			first = n
		}
	}
	fmt.Printf("embed.gzip_size %d bytes\nembed.gzip_size_all %d bytes\n", first, all)
	if first > mostFirst || all > mostOfAll {
		return fmt.Errorf("the embed may have %d bytes in its first script and %d in all", mostFirst, mostOfAll)
	}
	return nil
}

// What the embed's scripts may weigh, gzipped.
const (
	mostFirst = 12_000
	mostOfAll = 25_000
)

func zipped(name string) (int, error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return 0, err
	}
	var z bytes.Buffer
	w, err := gzip.NewWriterLevel(&z, gzip.BestCompression)
	if err != nil {
		return 0, err
	}
	if _, err := w.Write(b); err != nil {
		return 0, err
	}
	err = w.Close()
	return z.Len(), err
}
