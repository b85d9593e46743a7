# Shared by the scripts here; source it from the project's root.
set -euo pipefail

STATE=${AGONAL_STATE:-$PWD/.state}
case $STATE in /*) ;; *) STATE=$PWD/$STATE ;; esac
export AGONAL_STATE=$STATE

say() { printf '%s\n' "$*" >&2; }
die() { say "$*"; exit 1; }

# need PACKAGE COMMAND…: installs Debian packages unless every command is there.
need() {
  local packages=$1; shift
  local missing=0 c
  for c in "$@"; do [ -n "$(find_command "$c")" ] || missing=1; done
  [ "$missing" = 1 ] || return 0
  local install="apt-get install -y --no-install-recommends $packages"
  if [ "$(id -u)" = 0 ]; then
    say "Installing $packages …"
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive $install -qq; } >"$STATE/apt.log" 2>&1 || die "Installing $packages failed; see $STATE/apt.log."
  elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    say "Installing $packages with sudo …"
    { sudo apt-get update -qq && sudo DEBIAN_FRONTEND=noninteractive $install -qq; } >"$STATE/apt.log" 2>&1 || die "Installing $packages failed; see $STATE/apt.log."
  else
    die "Missing: $packages. Install it once with:
  sudo apt-get update && sudo $install
and start again."
  fi
}

# find_command NAME: its path, also among PostgreSQL's own programs.
find_command() {
  local p
  p=$(ls -d /usr/lib/postgresql/*/bin/"$1" 2>/dev/null | sort -t/ -k5 -n | tail -n 1)
  [ -n "$p" ] || p=$(command -v "$1" || true)
  printf '%s' "$p"
}

tools() {
  command -v go >/dev/null || die "Go is missing. Install Go 1.26 or later and start again."
  command -v npm >/dev/null || die "Node.js with npm is missing. Install Node.js 20 or later and start again."
  mkdir -p "$STATE" || die "The folder $STATE cannot be made; is the disk full, or the folder another account's?"
  local free
  free=$(df -Pk "$STATE" | awk 'NR==2 {print $4}')
  [ "$free" -gt 400000 ] || die "Only $((free / 1024)) MB are free where $STATE lies; about 400 MB are needed. Make room and start again."
}

build() {
  if [ ! -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
    say "Fetching front-end packages …"
    npm ci --no-audit --no-fund --loglevel=error >&2
  fi
  go run ./web/build >&2
  go build -o bin/agonal ./cmd/agonal
}

# As root, PostgreSQL runs under the account postgres: it refuses to run as root.
as_pg() {
  if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$@"; else "$@"; fi
}

# db_start NAME: starts the project's own PostgreSQL and sets DATABASE_URL to
# the database NAME. Does nothing where DATABASE_URL is set already.
db_start() {
  local name=$1
  if [ -n "${DATABASE_URL:-}" ]; then return 0; fi
  need postgresql initdb pg_ctl
  local initdb pg_ctl psql
  initdb=$(find_command initdb); pg_ctl=$(find_command pg_ctl); psql=$(find_command psql)
  PGDIR=$STATE/postgres
  mkdir -p "$PGDIR"
  if [ "$(id -u)" = 0 ]; then
    chown postgres: "$PGDIR"
    if ! as_pg test -x "$PGDIR"; then
      # The account postgres may not enter this folder, as below /root.
      PGDIR=/var/tmp/agonal-$(printf '%s' "$STATE" | cksum | cut -d' ' -f1)
      mkdir -p "$PGDIR"; chown postgres: "$PGDIR"
      say "The database lies in $PGDIR, since the account postgres cannot enter $STATE."
    fi
  fi
  local data=$PGDIR/data password=$PGDIR/password
  if [ ! -f "$data/PG_VERSION" ]; then
    rm -rf "$data"
    (umask 077; head -c 24 /dev/urandom | od -An -tx1 | tr -d ' \n' >"$password")
    [ "$(id -u)" = 0 ] && chown postgres: "$password"
    (cd / && as_pg "$initdb" -D "$data" -U agonal --auth=scram-sha-256 --pwfile="$password" --encoding=UTF8 --locale=C.UTF-8 --no-instructions) >"$STATE/postgres.log" 2>&1 ||
      die "The database could not be made; see $STATE/postgres.log."
  fi
  local have want
  have=$(cat "$data/PG_VERSION"); want=$("$pg_ctl" --version | grep -oE '[0-9]+' | head -n 1)
  [ "$have" = "$want" ] || die "The data in $data is of PostgreSQL $have, but version $want is installed. Install version $have, or begin anew with make start FRESH=1."
  if (cd / && as_pg "$pg_ctl" -D "$data" status) >/dev/null 2>&1; then
    # Another start has it, or one that was killed left it: then it is ours now.
    PGPORT=$(as_pg sed -n 4p "$data/postmaster.pid")
    if kill -0 "$(cat "$STATE/owner" 2>/dev/null || echo none)" 2>/dev/null; then PG_OURS=0; else PG_OURS=1; fi
  else
    PGPORT=$(free_port)
    PG_OPTIONS="-c listen_addresses=127.0.0.1 -c port=$PGPORT -c unix_socket_directories='' -c max_connections=120 -c fsync=${PG_FSYNC:-on}"
    (cd / && as_pg "$pg_ctl" -D "$data" -w -t 60 -l "$PGDIR/server.log" -o "$PG_OPTIONS" start) >/dev/null ||
      die "PostgreSQL did not start; see $PGDIR/server.log."
    PG_OURS=1
  fi
  [ "$PG_OURS" = 0 ] || echo $$ >"$STATE/owner"
  local base
  base="postgres://agonal:$(cat "$password")@127.0.0.1:$PGPORT"
  "$psql" "$base/postgres?sslmode=disable" -tAc "SELECT 1 FROM pg_database WHERE datname = '$name'" | grep -q 1 ||
    "$psql" "$base/postgres?sslmode=disable" -qc "CREATE DATABASE $name"
  export DATABASE_URL="$base/$name?sslmode=disable"
}

db_stop() {
  [ "${PG_OURS:-0}" = 1 ] || return 0
  (cd / && as_pg "$(find_command pg_ctl)" -D "$PGDIR/data" -m fast -w -t 30 stop) >/dev/null 2>&1 || true
  PG_OURS=0
  unset DATABASE_URL # it named what has just been stopped
}

free_port() {
  node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'
}
