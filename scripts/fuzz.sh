#!/usr/bin/env bash
# Gives every reader of ours damaged files for a while (60 s each unless told otherwise), under the address and
# undefined-behaviour sanitizers.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh
cmake --preset asan >/dev/null
cmake --build --preset asan --target fuzz
ASAN_OPTIONS=detect_leaks=0 build/asan/bin/fuzz "${1:-all}" "${2:-60}"
