package merchant

import (
	"sort"
	"sync"

	"github.com/bojanz/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// timeZones lists the zones that are offered; any other that is known may be typed.
func timeZones() []string { return zones }

var zones = []string{
	"Africa/Cairo", "Africa/Johannesburg", "Africa/Lagos", "Africa/Nairobi", "America/Argentina/Buenos_Aires", "America/Bogota", "America/Chicago",
	"America/Denver", "America/Halifax", "America/Lima", "America/Los_Angeles", "America/Mexico_City", "America/New_York", "America/Phoenix",
	"America/Santiago", "America/Sao_Paulo", "America/Toronto", "America/Vancouver", "Asia/Bangkok", "Asia/Dubai", "Asia/Hong_Kong", "Asia/Jakarta",
	"Asia/Jerusalem", "Asia/Karachi", "Asia/Kolkata", "Asia/Manila", "Asia/Seoul", "Asia/Shanghai", "Asia/Singapore", "Asia/Taipei", "Asia/Tokyo",
	"Atlantic/Reykjavik", "Australia/Adelaide", "Australia/Brisbane", "Australia/Perth", "Australia/Sydney", "Europe/Amsterdam", "Europe/Athens",
	"Europe/Belgrade", "Europe/Berlin", "Europe/Brussels", "Europe/Bucharest", "Europe/Budapest", "Europe/Copenhagen", "Europe/Dublin",
	"Europe/Helsinki", "Europe/Istanbul", "Europe/Kyiv", "Europe/Lisbon", "Europe/London", "Europe/Luxembourg", "Europe/Madrid", "Europe/Oslo",
	"Europe/Paris", "Europe/Prague", "Europe/Riga", "Europe/Rome", "Europe/Sofia", "Europe/Stockholm", "Europe/Tallinn", "Europe/Vienna",
	"Europe/Vilnius", "Europe/Warsaw", "Europe/Zagreb", "Europe/Zurich", "Pacific/Auckland", "Pacific/Honolulu", "UTC",
}

// locales lists the manners in which amounts can be written, by their English names.
var locales = sync.OnceValue(func() []tokenView {
	var out []tokenView
	for _, tag := range []string{"bg", "cs", "da", "de", "de-AT", "de-CH", "el", "en", "en-GB", "en-US", "es", "et", "fi", "fr", "fr-CH", "hr", "hu", "it", "ja", "ko", "lt", "lv", "nb", "nl", "pl", "pt", "pt-BR", "ro", "sk", "sl", "sv", "tr", "uk", "zh"} {
		a, err := currency.NewAmount("1234.5", "EUR")
		if err != nil {
			continue
		}
		out = append(out, tokenView{Value: tag, Name: display.English.Tags().Name(language.MustParse(tag)) + ", " + currency.NewFormatter(currency.NewLocale(tag)).Format(a)})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
})
