#!/usr/bin/env bash
# make laws: the laws over many more random shops than make test, the choice against
# an integer program, every fuzz target for a while, and which changes to the core no
# test notices. CASES and FUZZ_SECONDS make it longer or shorter; MUTATE names the
# packages that are changed, and is empty to change none.
cd "$(dirname "$0")/.."
. scripts/lib.sh
mkdir -p "$STATE"
tools
need coinor-cbc cbc
cases=${CASES:-100000}
unset CASES
seconds=${FUZZ_SECONDS:-60}
say "Laws, $cases cases each"
grep -rl pgregory.net/rapid --include=*_test.go core | xargs -n 1 dirname | sort -u | while read -r dir; do
  CASES=$cases go test "./$dir" -count=1 -timeout 180m -run 'Test'
done
say "Results and trials: a thousand of each, and a second computation"
LAWS=1 go test ./core/results ./core/trial -count=1 -v -run 'Truth|Without|Planned|Shares' | grep -v '^=== '
/usr/bin/python3 -c 'import scipy' 2>/dev/null || need python3-scipy python3-scipy
go test -tags laws ./core/trial -count=1 -run Second -v | grep -v '^=== '
say "The choice against an integer program"
go test -tags laws ./core/search -count=1 -run Program -v | grep -v '^=== '
say "Fuzzing, $seconds s each"
grep -rlE '^func Fuzz' --include=*_test.go . | grep -v node_modules | sort | while read -r file; do
  dir=$(dirname "$file")
  grep -oE '^func Fuzz[A-Za-z0-9]+' "$file" | cut -d' ' -f2 | while read -r target; do
    say "$target"
    go test "$dir" -run '^$' -fuzz "^$target\$" -fuzztime "${seconds}s" >"$STATE/fuzz.log" 2>&1 || { cat "$STATE/fuzz.log"; die "$target found something; the input is kept in $dir/testdata/fuzz."; }
    tail -n 2 "$STATE/fuzz.log" | head -n 1
  done
done
mutate=${MUTATE-core/money core/catalog core/choice core/codes core/audience core/progress core/pricing core/bounds core/search}
[ -n "$mutate" ] || exit 0
say "Mutants"
tree=$(mktemp -d)
trap 'rm -rf "$tree"' EXIT
git ls-files core go.mod go.sum | tar cf - -T - | tar xf - -C "$tree"
GOBIN="$STATE" go install github.com/go-gremlins/gremlins/cmd/gremlins@v0.6.0
for package in $mutate; do
  # A few hundred cases of each law tell most mutants; those that live are listed.
  (cd "$tree" && CASES=300 "$STATE/gremlins" unleash "./$package" --timeout-coefficient 20) >"$STATE/mutants.log" 2>&1 || true
  grep -E 'LIVED|NOT COVERED' "$STATE/mutants.log" | sed "s|^ *|$package: |" || true
  grep -E '^(Killed|Timed|Test efficacy|Mutator)' "$STATE/mutants.log" | sed "s|^|$package: |" || true
done
