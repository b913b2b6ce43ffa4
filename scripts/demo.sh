#!/usr/bin/env bash
# Installs what is missing, builds, and opens the demo. Without a display it runs under Xvfb with the demo playing,
# and says where its picture is.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release
scene=demo/lantern-quay.ostage
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
    exec build/release/bin/open-stage "$scene"
fi
home=$(mktemp -d)
trap 'rm -rf "$home"' EXIT
HOME=$home XDG_RUNTIME_DIR=$home xvfb-run -a -s "-screen 0 1280x800x24" \
    build/release/bin/open-stage-shot playing "$scene" build/demo.png
echo "There is no display here. The desk, with the demo playing, is in $(realpath build/demo.png)"
