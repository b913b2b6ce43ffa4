#!/usr/bin/env bash
# Tells how many small errors the tests notice: changes one sign, comparison or constant of a core file at a time, builds,
# and runs that module's tests, in a checkout of its own. Not noticed: told with the line.
# mutants.sh [COUNT (60)] [SEED (1)] [MODULE...]
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh
tree=build/mutants-checkout
git worktree remove --force "$tree" 2>/dev/null || true
git worktree add --detach "$tree" HEAD >/dev/null
trap 'git worktree remove --force "$tree"' EXIT
cmake -S "$tree" -B build/mutants -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_CXX_FLAGS_RELEASE="-O1 -DNDEBUG" >/dev/null
python3 scripts/mutants.py "$tree" build/mutants "${1:-60}" "${2:-1}" "${@:3}"
