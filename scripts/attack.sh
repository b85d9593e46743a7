#!/usr/bin/env bash
# make attack: what misbehaving clients and a failing database do to both sites, with
# honest shoppers going on all the while. One line a figure; it takes some minutes.
# ONLY=race,kill names attacks; SECONDS_EACH makes them longer.
cd "$(dirname "$0")/.."
. scripts/lib.sh
STATE=$STATE/attack
mkdir -p "$STATE"
tools
build
trap 'db_stop' EXIT
rm -rf "$STATE/lindquill"
given=${DATABASE_URL:-}
db_start agonal_attack
"$(find_command psql)" "$DATABASE_URL" -qc 'DROP SCHEMA public CASCADE; CREATE SCHEMA public' 2>/dev/null
go build -o "$STATE/attack" ./attack
if [ -z "$given" ]; then # the database is ours: it is stopped and frozen, too
  export PG_DATA=$PGDIR/data PG_CTL PG_OPTIONS PG_LOG=$PGDIR/server.log
  PG_CTL=$(find_command pg_ctl)
fi
export AGONAL_STATE=$STATE
"$STATE/attack"
