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
  go vet ./... && go test ./... -count=1 -timeout 25m ${GOTESTFLAGS:-}
}
browser_tests() {
  npx --no-install playwright test -c e2e/playwright.config.ts ${E2E_ARGS:-}
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
    say "Browser tests, and Go tests beside them"
    (renice -n 10 $BASHPID >/dev/null 2>&1; go_tests) >"$STATE/go-tests.log" 2>&1 &
    beside=$!
    trap 'kill $beside 2>/dev/null || true; db_stop' EXIT
    browser=0 go=0
    browser_tests || browser=$?
    wait $beside || go=$?
    say "Go tests"
    cat "$STATE/go-tests.log"
    [ $browser = 0 ] && [ $go = 0 ]
    ;;
esac
