#!/usr/bin/env bash
# Builds and runs the benchmarks; each prints its yardstick in the same run.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh
ninja -C build/release bench_desk
export XDG_RUNTIME_DIR=${XDG_RUNTIME_DIR:-$(mktemp -d)} HOME=$(mktemp -d)
xvfb-run -a -s "-screen 0 1280x800x24" build/release/bin/bench_desk "$@"
