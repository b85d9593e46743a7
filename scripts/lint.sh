#!/usr/bin/env bash
# make lint: golangci-lint (pinned in tools/go.mod) and Prettier.
cd "$(dirname "$0")/.."
. scripts/lib.sh
tools
[ -d node_modules ] || npm ci --no-audit --no-fund --loglevel=error >&2
lint=bin/golangci-lint
if [ ! -x "$lint" ] || [ tools/go.mod -nt "$lint" ]; then
  say "Building golangci-lint …"
  go build -C tools -o "$PWD/$lint" github.com/golangci/golangci-lint/v2/cmd/golangci-lint
fi
"$lint" run ./...
npm run --silent format:check
