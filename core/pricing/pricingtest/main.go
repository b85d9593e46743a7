package pricingtest

import (
	"flag"
	"os"
	"strconv"
	"testing"
)

// Main runs a package's tests with so many cases for every property, drawn from a
// fixed seed so that a run can be repeated. The environment variable CASES asks for
// another number of cases, and then for a new seed each time; the command line asks
// for either.
func Main(m *testing.M, checks string) int {
	flag.Parse()
	seed := "20261125"
	if n := os.Getenv("CASES"); n != "" {
		checks, seed = n, "0"
	}
	set("rapid.checks", checks)
	set("rapid.seed", seed)
	return m.Run()
}

// set sets a flag that the command line has left alone.
func set(name, value string) {
	if f := flag.Lookup(name); f != nil && f.Value.String() == f.DefValue {
		_ = f.Value.Set(value) // of the flag's kind
	}
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
