#!/usr/bin/env bash
# Proves that make start works from a fresh clone: as the account this runs under
# and, where that is root, as an ordinary user too. Each: it serves, signs in,
# stops cleanly on Ctrl-C, starts again with its data, and survives kill -9.
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
  stop INT
  passed=$((passed + 1))
  echo "make start as $name: serves, stops, starts again, also after kill -9"
}

prove "$(id -un)" 18190
if [ "$(id -u)" = 0 ]; then
  id -u ordinary-user >/dev/null 2>&1 || useradd --create-home ordinary-user
  prove ordinary 18290 runuser -u ordinary-user -- env HOME=/home/ordinary-user PATH="$PATH" GOPROXY="$(go env GOPROXY)" GOFLAGS="$(go env GOFLAGS)" GONOSUMDB="$(go env GONOSUMDB)" GONOSUMCHECK=1 GOSUMDB="$(go env GOSUMDB)"
fi
echo "$passed passed, 0 failed"
