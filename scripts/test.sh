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
if [ "${ONLY:-}" != browser ]; then
  say "Go tests"
  go vet ./...
  go test ./... -count=1 -timeout 25m ${GOTESTFLAGS:-}
fi
if [ "${ONLY:-}" != go ]; then
  say "Browser tests"
  npx --no-install playwright test -c e2e/playwright.config.ts ${E2E_ARGS:-}
fi
