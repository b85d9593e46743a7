package lindquill

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
)

// said lists every sentence that the shop's code and templates say.
func said(t *testing.T) map[string]bool {
	t.Helper()
	out := map[string]bool{}
	files, err := parser.ParseDir(token.NewFileSet(), ".", func(f fs.FileInfo) bool { return !strings.HasSuffix(f.Name(), "_test.go") }, 0) //nolint:staticcheck // one package, no build tags
	require.NoError(t, err)
	for _, f := range files["lindquill"].Files {
		ast.Inspect(f, func(n ast.Node) bool {
			call, is := n.(*ast.CallExpr)
			if !is || len(call.Args) == 0 {
				return true
			}
			name := ""
			switch f := call.Fun.(type) {
			case *ast.Ident:
				name = f.Name
			case *ast.SelectorExpr:
				name = f.Sel.Name
			}
			if lit, is := call.Args[0].(*ast.BasicLit); is && (name == "say" || name == "text") {
				s, err := strconv.Unquote(lit.Value)
				require.NoError(t, err)
				out[s] = true
			}
			return true
		})
	}
	names, err := fs.Glob(templates, "templates/*.html")
	require.NoError(t, err)
	for _, name := range names {
		b, err := fs.ReadFile(templates, name)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile(`\bsay "([^"]*)"`).FindAllStringSubmatch(string(b), -1) {
			out[m[1]] = true
		}
	}
	delete(out, "")
	return out
}

var verbs = regexp.MustCompile(`%(\[\d\])?[sd]`)

func TestEverySentenceIsSaidInGermanToo(t *testing.T) {
	all := said(t)
	require.Greater(t, len(all), 150)
	words := read("words/de.json")
	for s := range all {
		assert.NotEmpty(t, words[s], "nothing stands for %q", s)
		assert.Equal(t, verbs.FindAllString(s, -1), verbs.FindAllString(words[s], -1), "what stands for %q tells something else", s)
	}
	for s := range words {
		assert.True(t, all[s], "%q is said nowhere", s)
	}
}

func TestGoodsAreDescribedInGerman(t *testing.T) {
	for _, p := range demo.Goods() {
		assert.Contains(t, inGerman, p.Description)
		for _, c := range p.Collections {
			assert.Contains(t, inGerman, c)
		}
	}
}

func TestNoTemplateHasWordsOfItsOwn(t *testing.T) {
	names, err := fs.Glob(templates, "templates/*.html")
	require.NoError(t, err)
	for _, name := range names {
		b, err := fs.ReadFile(templates, name)
		require.NoError(t, err)
		bare := regexp.MustCompile(`(?s)\{\{.*?\}\}|<script.*?</script>`).ReplaceAllString(string(b), "")
		for _, m := range regexp.MustCompile(`>([^<]*)<|(?:aria-label|placeholder|title|alt)="([^"]*)"`).FindAllStringSubmatch(bare, -1) {
			words := strings.TrimSpace(regexp.MustCompile(`[^\pL]+`).ReplaceAllString(m[1]+m[2], " "))
			assert.Contains(t, []string{"", "Lindquill", "doctype html"}, words, name)
		}
	}
}

func TestTheLanguageIsTheOneChosenOrAskedFor(t *testing.T) {
	for _, x := range []struct {
		cookie, asked string
		want          tongue
	}{
		{"", "", english},
		{"", "de-AT,de;q=0.9,en;q=0.8", german},
		{"", "pl,fr;q=0.5", english},
		{"", "nonsense;;;", english},
		{"en", "de", english},
		{"de", "en-GB", german},
		{"tlh", "de", german}, // not one of ours
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Header.Set("Accept-Language", x.asked)
		if x.cookie != "" {
			r.AddCookie(&http.Cookie{Name: tongueCookie, Value: x.cookie})
		}
		assert.Equal(t, x.want, tongueOf(echo.New().NewContext(r, httptest.NewRecorder())), "%+v", x)
	}
}

func TestADayIsWrittenInTheLanguage(t *testing.T) {
	d := time.Date(2026, 12, 3, 0, 0, 0, 0, time.UTC)
	assert.Equal(t, "3 December 2026", english.day(d))
	assert.Equal(t, "3. Dezember 2026", german.day(d))
}
