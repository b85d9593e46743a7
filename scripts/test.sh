#!/usr/bin/env bash
# make test: Go tests on a real database, then the browser tests. ONLY=go or
# ONLY=browser runs one half.
cd "$(dirname "$0")/.."
. scripts/lib.sh
STATE=$STATE/test
mkdir -p "$STATE"
PG_FSYNC=off
tools
need chromium chromium
build
trap 'db_stop' EXIT
db_start agonal_test
export AGONAL_STATE=$STATE
go_tests() {
  go test ./... ${GO_BESIDE:-} -count=1 -timeout 25m ${GOTESTFLAGS:-}
}
browser_tests() {
  npx --no-install playwright test -c e2e/playwright.config.ts ${E2E_ARGS:-}
}
# Prints how a part ended, in the runner's own words; the whole of it where it failed.
told() {
  say "$2"
  cat "$STATE/$1.log"
}
case ${ONLY:-} in
  go)
    say "Go tests"
    go_tests
    ;;
  browser)
    say "Browser tests"
    browser_tests
    ;;
  *)
    # Side by side: a browser mostly waits, and comes first where it does not.
    say "Browser tests in four parts, and Go tests beside them …"
    declare -A running
    (renice -n 4 $BASHPID >/dev/null 2>&1; GO_BESIDE="-p 2" GOMAXPROCS=1 go_tests) >"$STATE/go-tests.log" 2>&1 & running[go-tests]=$!
    port=18080
    for part in kinds pages others results; do
      (E2E_PART=$part E2E_PORT=$port browser_tests) >"$STATE/$part.log" 2>&1 & running[$part]=$!
      port=$((port + 100))
    done
    trap 'kill "${running[@]}" 2>/dev/null || true; db_stop' EXIT
    failed=
    for part in go-tests kinds pages others results; do
      wait "${running[$part]}" || failed="$failed $part"
    done
    told go-tests "Go tests"
    told kinds "Browser tests: the kinds of nudge"
    told pages "Browser tests: every page, and a hasty hand"
    told others "Browser tests: the others"
    told results "Browser tests: results"
    for part in $failed; do # what failed stands last, where one looks first
      say "Failed: $part"
      grep -E '^(--- FAIL|FAIL|panic|    Error:|  [0-9]+\) |  [0-9]+ (failed|passed))|_test.go:[0-9]+:' "$STATE/$part.log" | tail -n 40
    done
    [ -z "$failed" ]
    ;;
esac
