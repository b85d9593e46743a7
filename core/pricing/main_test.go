package pricing_test

import (
	"flag"
	"os"
	"testing"
)

// The choice decides what people pay: it is tried on many more cases than the
// usual hundred.
func TestMain(m *testing.M) {
	flag.Parse()
	if f := flag.Lookup("rapid.checks"); f.Value.String() == f.DefValue {
		_ = flag.Set("rapid.checks", "4000")
	}
	os.Exit(m.Run())
}
