#!/usr/bin/env bash
# make start: everything from nothing to a running demo; Ctrl-C stops it.
cd "$(dirname "$0")/.."
. scripts/lib.sh
if [ "${FRESH:-}" = 1 ] && [ -z "${DATABASE_URL:-}" ]; then
  PGDIR=$STATE/postgres
  [ -d "$PGDIR/data" ] || PGDIR=/var/tmp/agonal-$(printf '%s' "$STATE" | cksum | cut -d' ' -f1)
  if [ -d "$PGDIR/data" ]; then
    (cd / && as_pg "$(find_command pg_ctl)" -D "$PGDIR/data" -m immediate stop) >/dev/null 2>&1 || true
    rm -rf "$PGDIR"
  fi
  rm -rf "$STATE/postgres" "$STATE/lindquill"
elif [ "${FRESH:-}" = 1 ]; then
  die "FRESH=1 begins the project's own database anew; it does not empty the one DATABASE_URL names. Empty that one yourself, or leave DATABASE_URL out."
fi
tools
build
trap 'db_stop' EXIT
db_start agonal
# The server gets the signal itself; the shell waits for it and then stops the database.
asked=0 status=0
trap 'asked=1' INT TERM HUP
bin/agonal serve & pid=$!
trap 'asked=1; kill -TERM $pid 2>/dev/null || true' INT TERM HUP
while kill -0 $pid 2>/dev/null; do wait $pid && status=0 || status=$?; done
if [ "$status" -gt 128 ]; then # of a signal: ours, or one that ended the server
  [ "$asked" = 1 ] && exit 0
  say "The server was ended from outside by signal $((status - 128)); start again."
fi
exit "$status"
