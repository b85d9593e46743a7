#!/usr/bin/env bash
# make laws: the laws over many more random shops than make test, the choice against
# an integer program, and every fuzz target for a while. CASES and FUZZ_SECONDS make
# it longer or shorter.
cd "$(dirname "$0")/.."
. scripts/lib.sh
mkdir -p "$STATE"
tools
need coinor-cbc cbc
cases=${CASES:-100000}
seconds=${FUZZ_SECONDS:-60}
say "Laws, $cases cases each"
grep -rl pgregory.net/rapid --include=*_test.go core | xargs -n 1 dirname | sort -u | while read -r dir; do
  go test "./$dir" -count=1 -timeout 180m -run 'Test' -args -rapid.checks="$cases"
done
say "The choice against an integer program"
go test -tags laws ./core/pricing -count=1 -run Program -v | grep -v '^=== '
say "Fuzzing, $seconds s each"
grep -rlE '^func Fuzz' --include=*_test.go . | grep -v node_modules | sort | while read -r file; do
  dir=$(dirname "$file")
  grep -oE '^func Fuzz[A-Za-z0-9]+' "$file" | cut -d' ' -f2 | while read -r target; do
    say "$target"
    go test "$dir" -run '^$' -fuzz "^$target\$" -fuzztime "${seconds}s" >"$STATE/fuzz.log" 2>&1 || { cat "$STATE/fuzz.log"; die "$target found something; the input is kept in $dir/testdata/fuzz."; }
    tail -n 2 "$STATE/fuzz.log" | head -n 1
  done
done
