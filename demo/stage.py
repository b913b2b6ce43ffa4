#!/usr/bin/python3
"""Hangs the demo's paintings at their depths: writes demo/lantern-quay.ostage.

Every painting covers a box of the flat picture (1920 x 1080); it is given the size that fills that box at its
depth, seen from the first mark.
"""
import json
import os
import subprocess
import sys

HERE = os.path.dirname(os.path.abspath(__file__))

FOCAL, GATE, WIDTH, HEIGHT, EYE = 35.0, 36.0, 1920, 1080, 1.6

# name, file, box in the flat picture, depth in metres; farthest first
LAYERS = [
    ("Night sky", "night-sky.jpg", (-300, -180, 2220, 900), 60.0),
    ("Hill town", "hill-town.webp", (-260, 190, 2180, 760), 36.0),
    ("Mist", "mist.webp", (-260, 520, 2180, 800), 26.0),
    ("Bridge", "bridge.webp", (150, 380, 1760, 760), 20.0),
    ("Water", "water.mp4", (-330, 716, 2250, 1300), 14.0),
    ("Title", None, (0, 0, 0, 0), 12.0),
    ("Far lanterns", "far-lanterns.webp", (360, 420, 1560, 770), 10.4),
    ("Houses left", "houses-left.webp", (-330, 0, 500, 1010), 9.2),
    ("Houses right", "houses-right.webp", (1440, -20, 2270, 1000), 8.4),
    ("Boatman", "boatman.webp", (560, 440, 1440, 1080), 6.4),
    ("Lantern string", "lantern-string.webp", (-330, -190, 2250, 470), 4.2),
    ("Reeds left", "reeds-left.webp", (-420, 470, 470, 1230), 1.9),
    ("Reeds right", "reeds-right.webp", (1430, 440, 2360, 1240), 1.7),
]

MARKS = [
    {"id": 1, "time": "0/1", "name": "Wide on the quay", "position": [0, EYE, 0], "pan": 0, "tilt": 0, "roll": 0, "focal": FOCAL, "focus": 6.4, "fstop": 2, "pace": "soft start"},
    {"id": 2, "time": "77/24", "name": "Past the reeds", "position": [0.38, EYE + 0.04, -1.25], "pan": -0.9, "tilt": 0.3, "roll": 0, "focal": FOCAL, "focus": 6.4, "fstop": 2, "pace": "soft stop"},
    {"id": 3, "time": "143/24", "name": "Close on the boatman", "position": [0.16, EYE - 0.10, -2.35], "pan": -0.4, "tilt": -0.6, "roll": 0, "focal": FOCAL, "focus": 6.4, "fstop": 2},
]


def pixels_of(path):
    out = subprocess.run(["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream=width,height", "-of", "csv=p=0", path],
                         capture_output=True, text=True, check=True).stdout
    return [int(v) for v in out.strip().rstrip(",").split(",")[:2]]


def layer(index, name, file, box, depth):
    per_pixel = depth * GATE / FOCAL / WIDTH
    x0, y0, x1, y1 = box
    pixels = pixels_of(os.path.join(HERE, "art", file))
    out = {
        "id": index, "name": name, "kind": "footage" if file.endswith(".mp4") else "picture",
        "position": [((x0 + x1) / 2 - WIDTH / 2) * per_pixel, EYE - ((y0 + y1) / 2 - HEIGHT / 2) * per_pixel, -depth],
        "pixels": pixels, "metresPerPixel": (x1 - x0) * per_pixel / pixels[0],
        "media": {"path": "art/" + file},
    }
    if out["kind"] == "footage":
        out.update(rate="24/1", frames=144, start="0/1")
    return out


def main(cli):
    scene = {
        "format": "open-stage scene", "version": 1,
        "output": {"frame": [WIDTH, HEIGHT], "rate": "24/1", "frames": 144, "background": [0, 0, 0, 1], "blending": "light"},
        "homeDepth": 10.0, "camera": {"gate": GATE, "marks": MARKS},
        "layers": [layer(i + 1, *entry) for i, entry in enumerate(LAYERS) if entry[1]],
    }
    path = os.path.join(HERE, "lantern-quay.ostage")
    with open(path, "w") as file:
        json.dump(scene, file)
    # The title is set by the program itself and pushed to its depth.
    depth = dict((entry[0], entry[3]) for entry in LAYERS)["Title"]
    edits = [
        {"edit": "add-text", "text": "LANTERN NIGHT", "name": "Title", "font": "B612 Bold", "fill": [1.0, 0.66, 0.27, 1.0], "tracking": 0.06, "em": 0.41},
        {"edit": "slide", "layers": ["Title"], "by": [-0.50, 1.86, 0]},
        {"edit": "push", "layers": ["Title"], "depth": depth},
    ]
    subprocess.run([cli, "apply", path, "-", "-o", path], input=json.dumps(edits), text=True, check=True)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else os.path.join(HERE, "..", "build", "release", "bin", "open-stage-cli"))
