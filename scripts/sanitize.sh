#!/usr/bin/env bash
# Builds the core with the address and undefined-behaviour sanitizers and runs its tests and the structural fuzzing;
# `scripts/test.sh asan` also takes the desk's.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh
cores=(scene optics motion media grade cutout edit interaction checks render output cli)
cmake --preset asan >/dev/null
cmake --build --preset asan --target "${cores[@]/#/test_}" fuzz_structure
export ASAN_OPTIONS=detect_leaks=0:quarantine_size_mb=64 UBSAN_OPTIONS=print_stacktrace=1
ctest --test-dir build/asan --output-on-failure --parallel "$(nproc)" \
    -R "^($(IFS='|'; echo "${cores[*]}"))/|^fuzz_structure$"
