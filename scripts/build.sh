#!/usr/bin/env bash
# Installs what is missing and builds; the preset is release unless named.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh
preset=${1:-release}
cmake --preset "$preset" >/dev/null
cmake --build --preset "$preset"
