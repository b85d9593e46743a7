#!/usr/bin/env bash
# Proves that make start works from a fresh clone: as the account this runs under
# and, where that is root, as an ordinary user too. Each: it serves, signs in,
# stops cleanly on Ctrl-C, starts again with its data, survives kill -9, and fails where
# the server was killed. Then: a supervisor brings it back, as the unit for systemd says;
# and the program needs nothing of the system that its container leaves out.
set -euo pipefail
cd "$(dirname "$0")/.."
repo=$PWD
work=$(mktemp -d /tmp/agonal-start.XXXXXX)
chmod 755 "$work"
passed=0
trap 'rm -rf "$work"' EXIT

wait_for() { # URL PID
  for _ in $(seq 600); do
    curl -fs -o /dev/null "$1" && return 0
    kill -0 "$2" 2>/dev/null || return 1
    sleep 0.5
  done
  return 1
}

prove() { # NAME PORT COMMAND-PREFIX…
  local name=$1 port=$2; shift 2
  local dir=$work/$name log=$work/$name.log pid
  git -c safe.directory='*' clone -q "$repo" "$dir"
  [ $# -eq 0 ] || chown -R "$name-user": "$dir"
  run() {
    (cd "$dir" && exec setsid "$@" env AGONAL_ADDR=127.0.0.1:$port LINDQUILL_ADDR=127.0.0.1:$((port + 1)) AGONAL_STATE= DATABASE_URL= make start) >>"$log" 2>&1 &
    pid=$!
    wait_for "http://127.0.0.1:$port/sign-in" $pid && wait_for "http://127.0.0.1:$((port + 1))/" $pid || { cat "$log"; echo "make start as $name failed"; exit 1; }
  }
  stop() { # SIGNAL
    kill -"$1" -- -$pid
    for _ in $(seq 60); do kill -0 -- -$pid 2>/dev/null || return 0; sleep 0.5; done
    cat "$log"; echo "make start as $name did not stop"; exit 1
  }
  run "$@"
  local shows=no
  for _ in $(seq 20); do
    if curl -fs "http://127.0.0.1:$((port + 1))/products/harbour-blue" | grep -q 'free standard shipping'; then shows=yes; break; fi
    sleep 1
  done
  [ $shows = yes ] || { echo "the shop of $name shows no nudge"; exit 1; }
  grep -q 'Sign in as' "$log"
  stop INT
  grep -q 'Stopped.' "$log" || { cat "$log"; echo "$name: it did not stop cleanly"; exit 1; }
  run "$@"
  stop KILL
  sleep 1
  run "$@"
  pkill -KILL -s $pid -x agonal
  local status=0
  wait $pid || status=$?
  [ $status -ne 0 ] || { echo "make start as $name ended with status 0 after its server was killed"; exit 1; }
  run "$@"
  stop INT
  echo "make start as $name: serves, stops, starts again, also after kill -9, and fails where the server was killed"
}

# Both at once: each mostly waits for its servers.
prove "$(id -un)" 18190 & first=$!
second=
if [ "$(id -u)" = 0 ]; then
  id -u ordinary-user >/dev/null 2>&1 || useradd --create-home ordinary-user
  prove ordinary 18290 runuser -u ordinary-user -- env -u GOCACHE HOME=/home/ordinary-user PATH="$PATH" GOPROXY="$(go env GOPROXY)" GOFLAGS="$(go env GOFLAGS)" GONOSUMDB="$(go env GONOSUMDB)" GONOSUMCHECK=1 GOSUMDB="$(go env GOSUMDB)" & second=$!
fi
wait $first
passed=$((passed + 1))
if [ -n "$second" ]; then
  wait $second
  passed=$((passed + 1))
fi

# supervised runs what a unit says, as systemd would: its settings, its command, and again
# where it ends.
supervised() { # UNIT PROGRAM
  local line restart command
  restart=$(sed -n 's/^Restart=//p' "$1"); command=$(sed -n 's/^ExecStart=[^ ]*//p' "$1")
  [ "$restart" = always ] || { echo "the unit does not restart it"; exit 1; }
  while [ ! -e "$work/over" ]; do
    # shellcheck disable=SC2046,SC2086
    env $(sed -n 's/^Environment=//p' "$1" | sed "s|%S|$work|") AGONAL_ADDR=127.0.0.1:18390 DATABASE_URL="$DATABASE_URL" "$2" $command >>"$work/unit.log" 2>&1 || true
    sleep 0.2
  done
}
if command -v systemd-analyze >/dev/null; then
  sed "s|/usr/local/bin/agonal|$repo/bin/agonal|" deploy/agonal.service >"$work/agonal.service"
  wrong=$(systemd-analyze verify "$work/agonal.service" 2>&1 | grep -F agonal.service || true)
  [ -z "$wrong" ] || { echo "$wrong"; exit 1; }
  echo "the unit for systemd is sound, by systemd-analyze verify"
fi
(. scripts/lib.sh; ./scripts/container.sh)
AGONAL_STATE=$work/state
. scripts/lib.sh
mkdir -p "$STATE" "$work/agonal"
db_start agonal_unit
trap 'touch "$work/over"; pkill -KILL -f "$work/agonal-unit|^/agonal serve" || true; db_stop; rm -rf "$work"' EXIT
cp bin/agonal "$work/agonal-unit"
supervised deploy/agonal.service "$work/agonal-unit" & keeper=$!
for round in 1 2 3; do
  wait_for http://127.0.0.1:18390/sign-in $keeper || { cat "$work/unit.log"; echo "the supervised server does not answer"; exit 1; }
  pkill -KILL -f "$work/agonal-unit"
  sleep 1
done
wait_for http://127.0.0.1:18390/sign-in $keeper
touch "$work/over"
pkill -TERM -f "$work/agonal-unit"
wait $keeper
passed=$((passed + 1))
[ "$("$(find_command psql)" "$DATABASE_URL" -tAc "SELECT count(*) FROM accounts")" = 0 ] || { echo "the demo is loaded under the unit"; exit 1; }
echo "supervised as the unit says: back after each of 3 kill -9, without the demo"
if [ "$(id -u)" = 0 ]; then
  root=$repo/.state/container/root
  AGONAL_ADDR=127.0.0.1:18391 AGONAL_DEMO=false AGONAL_STATE=/state chroot --userspec=65532:65532 "$root" /agonal serve >"$work/container.log" 2>&1 & pid=$!
  wait_for http://127.0.0.1:18391/sign-in $pid || { cat "$work/container.log"; echo "what the container holds does not serve"; exit 1; }
  AGONAL_ADDR=127.0.0.1:18391 chroot --userspec=65532:65532 "$root" /agonal alive
  kill -TERM $pid
  wait $pid
  passed=$((passed + 1))
  echo "what the container holds serves by itself and stops on SIGTERM"
fi
echo "$passed passed, 0 failed"
