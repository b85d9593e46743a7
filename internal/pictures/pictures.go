// Package pictures draws the goods of the made-up shop as SVG: a shape by its
// kind, in a colour.
package pictures

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"

	"github.com/labstack/echo/v5"
)

// shapes are drawn on 240 × 240; %[1]s is the colour, %[2]s a darker one.
var shapes = map[string]string{
	"bottle":    `<rect x="88" y="34" width="64" height="36" rx="4" fill="#262a38"/><rect x="96" y="70" width="48" height="12" fill="%[2]s"/><path d="M72 92q0-10 12-10h72q12 0 12 10l14 92q2 22-18 22H76q-20 0-18-22z" fill="%[1]s"/><path d="M72 92q0-10 12-10h14l-22 124q-20 0-18-22z" fill="#fff" opacity=".12"/><rect x="82" y="122" width="76" height="46" fill="#f4efe2"/><path d="M92 136h56M92 146h56M92 156h34" stroke="%[2]s" stroke-width="3"/>`,
	"pen":       `<g transform="rotate(-38 120 120)"><rect x="20" y="106" width="96" height="28" rx="12" fill="%[1]s"/><rect x="112" y="104" width="62" height="32" rx="6" fill="%[2]s"/><rect x="112" y="104" width="7" height="32" fill="#c9a35a"/><path d="M174 110h20l30 10-30 10h-20z" fill="#c9a35a"/><path d="M190 120h34" stroke="#5b4420" stroke-width="2"/><path d="M126 98h40v6h-40z" fill="#c9a35a"/><rect x="20" y="106" width="96" height="8" rx="4" fill="#fff" opacity=".18"/></g>`,
	"nib":       `<path d="M96 44h48l6 74c6 34-12 62-30 84-18-22-36-50-30-84z" fill="%[1]s"/><path d="M120 118v78" stroke="%[2]s" stroke-width="3"/><circle cx="120" cy="112" r="8" fill="%[2]s"/><path d="M96 44h14l-4 150c-12-18-20-44-16-76z" fill="#fff" opacity=".25"/><path d="M100 66h40M99 76h42" stroke="%[2]s" stroke-width="2"/>`,
	"notebook":  `<rect x="62" y="38" width="124" height="166" rx="5" fill="#efe7d4"/><rect x="54" y="34" width="124" height="170" rx="5" fill="%[1]s"/><rect x="54" y="34" width="22" height="170" rx="4" fill="%[2]s"/><rect x="96" y="70" width="62" height="34" fill="#f4efe2"/><path d="M104 82h46M104 92h30" stroke="%[2]s" stroke-width="3"/><rect x="160" y="34" width="5" height="170" fill="%[2]s"/>`,
	"paper":     `<path d="M54 168l66 32 66-32-66-32z" fill="#d9cfb8"/><path d="M54 148l66 32 66-32-66-32z" fill="#e6dec9"/><path d="M54 128l66 32 66-32-66-32z" fill="#efe9d9"/><path d="M54 108l66 32 66-32-66-32z" fill="#faf6ea"/><path d="M44 128l76 38 76-38v22l-76 38-76-38z" fill="%[1]s" opacity=".9"/><path d="M106 148h28v30h-28z" fill="%[2]s"/>`,
	"wax":       `<g transform="rotate(24 120 120)"><rect x="104" y="34" width="32" height="136" rx="5" fill="%[1]s"/><rect x="104" y="34" width="10" height="136" rx="5" fill="#fff" opacity=".2"/><path d="M117 34c0-14 6-12 3-22" stroke="#6b5a3c" stroke-width="3" fill="none"/></g><ellipse cx="96" cy="196" rx="44" ry="14" fill="%[2]s"/><ellipse cx="96" cy="192" rx="44" ry="14" fill="%[1]s"/>`,
	"seal":      `<path d="M100 36h40q10 0 8 12l-10 60h-36l-10-60q-2-12 8-12z" fill="#6b4526"/><rect x="94" y="106" width="52" height="20" rx="4" fill="#c9a35a"/><circle cx="120" cy="172" r="42" fill="%[1]s"/><path d="M120 130c20 4 40 14 42 42s-20 40-42 42-46-10-42-42 22-46 42-42z" fill="%[1]s"/><circle cx="120" cy="172" r="28" fill="%[2]s" opacity=".55"/><path d="M110 186q18-26 22-30-4 22-22 30z" fill="#f4efe2"/>`,
	"converter": `<g transform="rotate(-30 120 120)"><rect x="40" y="108" width="110" height="24" rx="6" fill="#e8eef0"/><rect x="40" y="112" width="70" height="16" fill="%[1]s"/><rect x="150" y="104" width="40" height="32" rx="4" fill="#262a38"/><path d="M158 104v32M166 104v32M174 104v32M182 104v32" stroke="#4b536b" stroke-width="2"/><rect x="26" y="113" width="16" height="14" fill="#c9a35a"/></g>`,
	"blotter":   `<path d="M40 140a80 62 0 0 0 160 0z" fill="#efe7d4"/><path d="M40 140a80 62 0 0 0 160 0h-10a70 52 0 0 1-140 0z" fill="%[1]s"/><rect x="34" y="124" width="172" height="18" rx="4" fill="#6b4526"/><path d="M108 124q-4-30 12-34 16 4 12 34z" fill="#8a5a30"/><circle cx="120" cy="84" r="14" fill="#8a5a30"/>`,
	"card":      `<rect x="34" y="70" width="172" height="108" rx="6" fill="%[1]s"/><path d="M34 104h172v14H34z" fill="%[2]s"/><path d="M70 70v108" stroke="#c9a35a" stroke-width="8"/><path d="M70 96c-26-30 6-36 0-4 10-30 34-18 0 4z" fill="#c9a35a"/><path d="M110 146h72M110 158h44" stroke="#f4efe2" stroke-width="4"/>`,
	"box":       `<path d="M44 92l76-34 76 34v84l-76 34-76-34z" fill="%[2]s"/><path d="M44 92l76 34v84l-76-34z" fill="%[1]s"/><path d="M44 92l76-34 76 34-76 34z" fill="#f4efe2"/><path d="M82 75l76 34v22l-12-6v-10L70 80z" fill="#c9a35a"/>`,
	"case":      `<rect x="40" y="66" width="160" height="112" rx="14" fill="%[1]s"/><path d="M40 102q80 44 160 0v-22q0-14-14-14H54q-14 0-14 14z" fill="%[2]s"/><circle cx="120" cy="124" r="8" fill="#c9a35a"/>`,
}

var name = regexp.MustCompile(`^([a-z]+)-([0-9a-f]{6})\.svg$`)

// Draw returns the picture with a name such as "bottle-1f3f7a.svg".
func Draw(file string) (string, bool) {
	m := name.FindStringSubmatch(file)
	if m == nil {
		return "", false
	}
	shape, ok := shapes[m[1]]
	if !ok {
		return "", false
	}
	return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 240 240">` + strings.NewReplacer("%[1]s", "#"+m[2], "%[2]s", darker(m[2])).Replace(shape) + `</svg>`, true
}

func darker(hex string) string {
	var r, g, b int
	_, _ = fmt.Sscanf(hex, "%02x%02x%02x", &r, &g, &b) // hex has six digits
	return fmt.Sprintf("#%02x%02x%02x", r*7/10, g*7/10, b*7/10)
}

// Mount serves the pictures under /pictures/.
func Mount(e *echo.Echo) {
	e.GET("/pictures/:file", func(c *echo.Context) error {
		svg, ok := Draw(c.Param("file"))
		if !ok {
			return echo.ErrNotFound
		}
		c.Response().Header().Set("Cache-Control", "public, max-age=86400")
		return c.Blob(http.StatusOK, "image/svg+xml", []byte(svg))
	})
}
