#!/usr/bin/env bash
# The servers the browser tests drive: a fresh schema in the database of
# DATABASE_URL, and a state folder of their own.
cd "$(dirname "$0")/.."
set -euo pipefail
schema=browser_tests_${E2E_PART:-all}
psql=$(ls -d /usr/lib/postgresql/*/bin/psql 2>/dev/null | tail -n 1)
"${psql:-psql}" "$DATABASE_URL" -qc "DROP SCHEMA IF EXISTS $schema CASCADE; CREATE SCHEMA $schema" 2>/dev/null
case $DATABASE_URL in *\?*) sep='&' ;; *) sep='?' ;; esac
export DATABASE_URL="$DATABASE_URL${sep}search_path=$schema"
visits=0 # a day, of the demo's past
[ "${E2E_PART:-all}" != results ] || visits=60
[ -z "${SHOTS:-}" ] || visits=120
export AGONAL_STATE=${AGONAL_STATE:-.state}/$schema AGONAL_GALLERY=1 AGONAL_RATE=1000 AGONAL_DEMO_VISITS=$visits AGONAL_ORIGINS=http://127.0.0.1:$((${E2E_PORT:-18080} + 3))
rm -rf "$AGONAL_STATE"
exec bin/agonal serve
