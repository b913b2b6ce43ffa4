#!/usr/bin/env bash
# Installs what is missing, builds, and runs all tests. A preset may be named: release, ci (as release, but
# quickest from nothing), debug, asan, tsan.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=${1:-release}
scripts/build.sh "$preset"
export XDG_RUNTIME_DIR=${XDG_RUNTIME_DIR:-$(mktemp -d)}
ctest --test-dir "build/$preset" --output-on-failure --parallel "$(nproc)"
