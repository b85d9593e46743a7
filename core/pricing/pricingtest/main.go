package pricingtest

import (
	"flag"
	"strconv"
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

// AFifth has a test run with a fifth of the cases: for properties whose cases take
// long.
func AFifth(t *testing.T) {
	f := flag.Lookup("rapid.checks")
	was := f.Value.String()
	n, _ := strconv.Atoi(was)
	_ = f.Value.Set(strconv.Itoa(max(1, n/5)))
	t.Cleanup(func() { _ = f.Value.Set(was) })
}
