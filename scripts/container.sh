#!/usr/bin/env bash
# make container: the program without anything it would need of a system, in
# .state/container/root, and, where docker or podman answers, the image "agonal" of it.
cd "$(dirname "$0")/.."
. scripts/lib.sh
tools
build
into=$STATE/container
rm -rf "$into"
mkdir -p "$into/root/state" "$into/root/tmp"
CGO_ENABLED=0 go build -trimpath -tags timetzdata -ldflags '-s -w' -o "$into/root/agonal" ./cmd/agonal
for engine in docker podman; do
  if "$engine" info >/dev/null 2>&1; then
    "$engine" build -q -t agonal -f deploy/Containerfile "$into" >&2
    say "The image agonal is built."
    exit 0
  fi
done
say "Neither docker nor podman answers here; what the image would hold is in $into/root."
