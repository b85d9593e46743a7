#!/usr/bin/env bash
# make screenshots: the pictures in docs/screenshots, from the demo.
cd "$(dirname "$0")/.."
ONLY=browser SHOTS=1 exec ./scripts/test.sh
