#!/usr/bin/env bash
# Gives every reader of ours damaged files for a while (60 s each unless told otherwise), and edits and scenes that
# were spoilt by structure (20,000 of each), under the address and undefined-behaviour sanitizers.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh
cmake --preset asan >/dev/null
cmake --build --preset asan --target fuzz fuzz_structure
export ASAN_OPTIONS=detect_leaks=0:quarantine_size_mb=64
build/asan/bin/fuzz "${1:-all}" "${2:-60}"
build/asan/bin/fuzz_structure all "${3:-20000}"
