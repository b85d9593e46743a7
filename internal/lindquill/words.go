package lindquill

import (
	"embed"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/text/language"
)

// tongue is a language that the shop speaks, as a BCP 47 tag.
type tongue string

// The shop speaks these. What it says is written in English, and what stands for that in
// another language is kept by it; goods keep the names that they have in the catalogue.
const (
	english tongue = "en"
	german  tongue = "de"
)

var tongues = []tongue{english, german}

//go:embed words
var wordFiles embed.FS

var inGerman = read("words/de.json", "words/de-goods.json")

// read reads what stands for what, by the English of it.
func read(names ...string) map[string]string {
	out := map[string]string{}
	for _, name := range names {
		b, err := wordFiles.ReadFile(name)
		if err == nil {
			err = json.Unmarshal(b, &out)
		}
		if err != nil {
			panic(fmt.Sprintf("%s: %v", name, err)) // it is a part of the program, and the tests read it
		}
	}
	return out
}

// text marks a sentence that is said elsewhere.
func text(english string) string { return english }

// say says a sentence, with what its verbs stand for; one that is not known, in English.
func (t tongue) say(sentence string, args ...any) string {
	if own, known := inGerman[sentence]; known && t == german {
		sentence = own
	}
	if len(args) == 0 {
		return sentence
	}
	return fmt.Sprintf(sentence, args...)
}

// day writes a day as it is written in the language.
func (t tongue) day(d time.Time) string {
	if t == german {
		return fmt.Sprintf("%d. %s %d", d.Day(), t.say(d.Month().String()), d.Year())
	}
	return d.Format("2 January 2006")
}

// tongueCookie holds the language that was chosen.
const tongueCookie = "lq_language"

var matcher = language.NewMatcher([]language.Tag{language.English, language.German})

// tongueOf is the language that the shopper chose, or else the one the browser asks for.
func tongueOf(c *echo.Context) tongue {
	for _, t := range tongues {
		if readCookie(c, tongueCookie) == string(t) {
			return t
		}
	}
	tags, _, err := language.ParseAcceptLanguage(c.Request().Header.Get("Accept-Language"))
	if err != nil {
		return english
	}
	_, i, _ := matcher.Match(tags...)
	return tongues[i]
}

// speak keeps the language that was chosen.
func (s *shop) speak(c *echo.Context) error {
	for _, t := range tongues {
		if c.FormValue("language") == string(t) {
			writeCookie(c, tongueCookie, string(t))
		}
	}
	return c.Redirect(http.StatusSeeOther, ownPath(c.FormValue("back")))
}
