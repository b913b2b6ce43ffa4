#!/usr/bin/env bash
# Makes docs/screenshots anew from the demo.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release
mkdir -p docs/screenshots
home=$(mktemp -d)
trap 'rm -rf "$home"' EXIT
for view in desk four-panes model folded loose-walked push off-the-move curves pace check compare text queue variants cut-out split filled keying; do
    HOME=$home XDG_RUNTIME_DIR=$home xvfb-run -a -s "-screen 0 1280x800x24" \
        build/release/bin/open-stage-shot "$view" demo/lantern-quay.ostage "$home/$view.png"
    # In 256 colours of its own: a third of the size, for the history keeps every one of them.
    ffmpeg -v error -y -i "$home/$view.png" \
        -vf "split[a][b];[a]palettegen=stats_mode=full[p];[b][p]paletteuse=dither=sierra2_4a" "docs/screenshots/$view.png"
done
build/release/bin/open-stage-cli render demo/lantern-quay.ostage -o docs/screenshots/frame.png --frames 77 --size 1280x720 --quiet
