#!/usr/bin/env bash
# Makes demo/art/flat-quay.jpg anew: the demo's first frame without its title, as if photographed. It is what the guide
# splits.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cli=build/release/bin/open-stage-cli
echo '[{"edit": "look", "layers": ["Title"], "visible": false}]' >"$work/edits.json"
$cli apply demo/lantern-quay.ostage "$work/edits.json" -o "$work/flat.ostage"
$cli render "$work/flat.ostage" -o "$work/flat.png" --frames 0 --size 1600x900 --quiet
oiiotool "$work"/flat*.png --ch R,G,B --compression jpeg:92 -o demo/art/flat-quay.jpg

# The boatman before a green screen, for keying.
cat >"$work/screen.json" <<'EOF'
[{"edit": "remove", "layers": ["Night sky", "Hill town", "Bridge", "Far lanterns", "Water", "Mist", "Houses left",
  "Houses right", "Title", "Lantern string", "Reeds left", "Reeds right"]},
 {"edit": "add-card", "name": "Screen", "turn": 0, "stops": [{"at": 0, "colour": [0.04, 0.36, 0.06, 1]},
  {"at": 1, "colour": [0.05, 0.42, 0.07, 1]}]},
 {"edit": "push", "layers": ["Screen"], "depth": 30}, {"edit": "settings", "frames": 24}]
EOF
$cli apply demo/lantern-quay.ostage "$work/screen.json" -o "$work/screen.ostage"
$cli render "$work/screen.ostage" -o demo/art/screen-boatman.mp4 --size 1280x720 --quiet
