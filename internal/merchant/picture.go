package merchant

import (
	"bytes"
	"cmp"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/theme"
)

// picture is what shoppers read of a nudge as a drawing (SVG), to be taken along: its draft
// alone, decided for a first cart, in the shop's colours.
func (s *server) picture(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return s.fail(c, err)
	}
	shop, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	said, set, err := s.saidAlone(c, shop.Snapshot, n.ID, n.Draft)
	if err != nil {
		return s.oops(c, http.StatusUnprocessableEntity, "This nudge says nothing that could be drawn: "+err.Error()+".")
	}
	if c.QueryParam("take") == "yes" {
		c.Response().Header().Set("Content-Disposition", `attachment; filename="`+n.ID+`.svg"`)
	}
	return c.Blob(http.StatusOK, "image/svg+xml; charset=utf-8", drawSaid(said, set))
}

// saidAlone is what a nudge says where it is the only one, at the moment at which it stands.
func (s *server) saidAlone(c *echo.Context, snap *snapshot.Snapshot, id string, d nudge.Definition) (decide.Said, theme.Colours, error) {
	colours := theme.Presets()[0].Light
	if set := snap.Shop.Settings.Theme.Light; set != nil {
		colours = *set
	}
	region := chosenRegion(c, &d, snap.Regions())
	if region.ID == "" {
		return decide.Said{}, colours, fmt.Errorf("the shop has no region yet")
	}
	d.Schedule, d.Frequency = nudge.Schedule{}, nudge.Frequency{}
	alone, err := snapshot.Compile(snapshot.Shop{Catalog: snap.Catalog(), Regions: snap.Regions(), Settings: snap.Shop.Settings, Nudges: []snapshot.Live{{ID: id, Revision: 1, Priority: 1, Definition: d}}})
	if err != nil {
		return decide.Said{}, colours, err
	}
	req := decide.Request{
		Cart:   decide.Cart{Destination: destinationOf(region)},
		Moment: decide.Moment{At: s.app.Now(), Locale: c.QueryParam("language"), Page: decide.Page{Kind: nudge.ProductPage, Product: previewGoods(snap.Catalog(), &d.Ladder, region, s.app.Now()).First.ID}},
	}
	if err := json.Unmarshal([]byte(firstCart(snap.Catalog(), &d, region, s.app.Now())), &req.Cart.Lines); err != nil {
		return decide.Said{}, colours, err
	}
	if d.Audience.Code != "" {
		req.Cart.Codes = []string{d.Audience.Code}
	}
	if d.InVisit() {
		req = stations[stationOf(&d)].request(req)
	}
	req.Moment.Placements = nil
	if d.Moment != "" {
		req.Visit.Acts = append(req.Visit.Acts, d.Moment)
	}
	out, err := decide.Decide(alone, req)
	if err != nil {
		return decide.Said{}, colours, err
	}
	i := slices.IndexFunc(out.Says, func(x decide.Said) bool { return x.Nudge == id })
	if i < 0 {
		why := "its goods are not sold in " + region.Name
		if k := slices.IndexFunc(out.Nudges, func(x decide.NudgeOutcome) bool { return x.Nudge == id }); k >= 0 {
			why = decide.Explain(out.Nudges[k].Reason)
		}
		return decide.Said{}, colours, fmt.Errorf("%s", why)
	}
	return out.Says[i], colours, nil
}

// Sizes of a drawn nudge, in pixels.
const (
	drawnWide = 640
	drawnPad  = 24
	drawnSize = 18
)

// drawing is a drawing that grows downwards.
type drawing struct {
	bytes.Buffer
	y    int
	ink  theme.Colour
	rtl  bool
	lang string
}

// drawSaid draws what is said: its heading, words, the bar with its marks or what is offered,
// and the act.
func drawSaid(said decide.Said, c theme.Colours) []byte {
	ground, ink, open := c.Ground, c.Text, c.Open
	switch said.Look.Tone {
	case nudge.TonePaper:
		ground, ink, open = c.Paper, c.PaperText, c.PaperOpen
	case nudge.ToneAccent:
		ground, ink, open = c.Accent, c.AccentText, c.AccentText
	}
	if said.Look.OwnGround != "" {
		ground, ink = said.Look.OwnGround, said.Look.OwnText
	}
	d := &drawing{y: drawnPad, ink: ink, rtl: said.RTL, lang: said.Language}
	if said.Heading != "" {
		d.words([]decide.Words{{Text: said.Heading}}, 26)
	}
	d.words(said.Pieces, drawnSize)
	switch marks := said.Progress.Marks; {
	case said.Offer != nil:
		for _, it := range said.Offer.Items {
			price := it.Price
			if it.Was != "" {
				price = it.Was + " → " + price
			}
			d.words([]decide.Words{{Text: it.Label + " · " + price}}, 16)
		}
		d.button(said.Offer.Yes, ground)
	case said.Act != nil:
		d.button(said.Act.Text, ground)
	case said.Earn != nil:
		d.button(said.Earn.Text, ground)
	case len(marks) > 0 && said.Progress.Most > 0 && said.Look.Bar != nudge.BarNone:
		d.bar(&said.Progress, open)
	}
	d.y += drawnPad - 8
	var out bytes.Buffer
	fmt.Fprintf(&out, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %[1]d %[2]d" role="img" xml:lang="%s" font-family="Literata, Georgia, 'Noto Serif JP', serif">`, drawnWide, d.y, said.Language)
	out.WriteString("\n<title>" + escaped(said.Text) + "</title>\n")
	if said.Progress.Text != "" && said.Offer == nil && said.Act == nil && said.Earn == nil {
		out.WriteString("<desc>" + escaped(said.Progress.Text) + "</desc>\n")
	}
	fmt.Fprintf(&out, "<rect width=\"%d\" height=\"%d\" fill=\"%s\"/>\n", drawnWide, d.y, ground)
	_, _ = d.WriteTo(&out)
	out.WriteString("</svg>\n")
	return out.Bytes()
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a builder refuses nothing
	return b.String()
}

// words writes a text in lines that fit.
func (d *drawing) words(pieces []decide.Words, size int) {
	x, anchor := drawnPad, "start"
	if d.rtl {
		x, anchor = drawnWide-drawnPad, "start\" direction=\"rtl"
	}
	for _, line := range linesOf(pieces, (drawnWide-2*drawnPad)*100/size) {
		d.y += size * 5 / 4
		fmt.Fprintf(&d.Buffer, `<text x="%d" y="%d" font-size="%d" fill="%s" text-anchor="%s" xml:space="preserve">`, x, d.y-size/4, size, d.ink, anchor)
		for _, w := range line {
			if w.Strong {
				fmt.Fprintf(&d.Buffer, `<tspan font-weight="700">%s</tspan>`, escaped(w.Text))
			} else {
				d.WriteString(escaped(w.Text))
			}
		}
		d.WriteString("</text>\n")
	}
	d.y += 6
}

// bar draws how far a ladder is, with a mark for each rung and what it gives.
func (d *drawing) bar(p *decide.Progress, open theme.Colour) {
	wide := int64(drawnWide - 2*drawnPad)
	at := func(v int64) int64 {
		x := min(wide, v*wide/p.Most)
		if d.rtl {
			return drawnWide - drawnPad - x
		}
		return drawnPad + x
	}
	d.y += 4
	fmt.Fprintf(&d.Buffer, "<rect x=\"%d\" y=\"%d\" width=\"%d\" height=\"10\" fill=\"%s\" fill-opacity=\".22\"/>\n", drawnPad, d.y, wide, d.ink)
	have := at(p.Value)
	fmt.Fprintf(&d.Buffer, "<rect x=\"%d\" y=\"%d\" width=\"%d\" height=\"10\" fill=\"%s\"/>\n", min(have, at(0)), d.y, max(have-at(0), at(0)-have), open)
	for _, m := range p.Marks {
		fmt.Fprintf(&d.Buffer, "<rect x=\"%d\" y=\"%d\" width=\"2\" height=\"16\" fill=\"%s\"/>\n", at(m.At)-1, d.y-3, d.ink)
	}
	d.y += 34
	for _, m := range p.Marks {
		anchor := "middle"
		if m.At*10 > p.Most*9 {
			anchor = map[bool]string{false: "end", true: "start"}[d.rtl]
		}
		fmt.Fprintf(&d.Buffer, "<text x=\"%d\" y=\"%d\" font-size=\"14\" fill=\"%s\" text-anchor=\"%s\">%s</text>\n", at(m.At), d.y-4, d.ink, anchor, escaped(m.Goal))
	}
	d.y += 4
}

// button draws what a press is called.
func (d *drawing) button(text string, ground theme.Colour) {
	wide := widthOf(text)*16/100 + 36
	x := drawnPad
	if d.rtl {
		x = drawnWide - drawnPad - wide
	}
	fmt.Fprintf(&d.Buffer, "<rect x=\"%d\" y=\"%d\" width=\"%d\" height=\"40\" fill=\"%s\"/>\n<text x=\"%d\" y=\"%d\" font-size=\"16\" fill=\"%s\" text-anchor=\"middle\">%s</text>\n",
		x, d.y+6, wide, d.ink, x+wide/2, d.y+31, ground, escaped(text))
	d.y += 54
}

// widthOf is about how wide a text is, in hundredths of its size.
func widthOf(s string) (n int) {
	for _, r := range s {
		switch {
		case r >= 0x2e80:
			n += 100
		case strings.ContainsRune("iljtf.,:;'’| ", r):
			n += 38
		case strings.ContainsRune("mwMW%", r):
			n += 98
		default:
			n += 63
		}
	}
	return n
}

// linesOf breaks words into lines of at most so much width: at spaces, and where a script has
// none between any two of its letters.
func linesOf(pieces []decide.Words, wide int) (out [][]decide.Words) {
	var line []decide.Words
	have := 0
	put := func(text string, strong bool) {
		if len(line) > 0 && line[len(line)-1].Strong == strong {
			line[len(line)-1].Text += text
		} else {
			line = append(line, decide.Words{Text: text, Strong: strong})
		}
	}
	for _, p := range pieces {
		for _, word := range breakable(p.Text) {
			w := widthOf(word) * cmp.Or(map[bool]int{true: 114}[p.Strong], 100) / 100
			if have+w > wide && have > 0 {
				out, line, have = append(out, line), nil, 0
				word = strings.TrimLeft(word, " ")
			}
			put(word, p.Strong)
			have += w
		}
	}
	if len(line) > 0 {
		out = append(out, line)
	}
	return out
}

// breakable cuts a text where a line may end; spaces begin what follows them.
func breakable(s string) (out []string) {
	from := 0
	for i, r := range s {
		if i > from && (r == ' ' || r >= 0x2e80 && !strings.ContainsRune("、。」）・", r)) {
			out, from = append(out, s[from:i]), i
		}
	}
	if from < len(s) {
		out = append(out, s[from:])
	}
	return out
}
