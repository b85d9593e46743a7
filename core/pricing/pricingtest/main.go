package pricingtest

import (
	"flag"
	"testing"
)

// Main runs a package's tests with so many cases for every property, unless the
// command line asks for another number.
func Main(m *testing.M, checks string) int {
	flag.Parse()
	if f := flag.Lookup("rapid.checks"); f != nil && f.Value.String() == f.DefValue {
		_ = f.Value.Set(checks) // a number, as the flag takes it
	}
	return m.Run()
}
