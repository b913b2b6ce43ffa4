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
    ("Bridge", "bridge.webp", (150, 380, 1760, 760), 14.6),
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

SECONDS = 8

# The first mark measures the depths, so it looks straight ahead from the quay's edge.
FIRST = {"id": 1, "time": "0/1", "name": "Among the reeds", "position": [-0.34, EYE - 0.32, 0], "pan": 0, "tilt": 0, "roll": 0, "focal": FOCAL, "focus": 4.2, "fstop": 2, "pace": "even"}

# Glide past the reeds, rise over the boat while the focus goes from the lanterns to the boatman, settle on the
# title. One soft pace over all of it, so nothing stops on the way.
MOVE = [
    {"edit": "set-mark", "time": 2, "name": "Past the reeds", "position": [0.06, EYE - 0.16, -1.35], "pan": 1.2, "tilt": 0.6},
    {"edit": "set-mark", "time": 5, "name": "Over the boat", "position": [0.5, EYE + 0.42, -2.05], "pan": -3.4, "tilt": -2.6},
    {"edit": "set-mark", "time": SECONDS - 1, "name": "The title", "position": [0.12, EYE + 0.5, -2.75], "pan": -2.4, "tilt": 4.4, "focal": 36},
    {"edit": "mark", "marks": [1, 2], "focusOn": "Lantern string"},
    {"edit": "mark", "mark": 3, "focusOn": "Boatman"},
    {"edit": "mark", "mark": 4, "focusOn": "Title"},
    {"edit": "pace", "whole": True, "pace": "soft both"},
    {"edit": "hand-held", "amount": 0.25, "rate": 0.5, "seed": 4},
]

# What lives on the quay.
LIFE = [
    {"edit": "track", "layers": ["Boatman"], "property": "up", "noise": [{"kind": "sway", "amount": 0.03, "rate": 0.4, "seed": 2}]},
    {"edit": "track", "layers": ["Boatman"], "property": "roll", "noise": [{"kind": "sway", "amount": 0.9, "rate": 0.35, "seed": 3}]},
    {"edit": "track", "layers": ["Lantern string"], "property": "roll", "noise": [{"kind": "sway", "amount": 0.5, "rate": 0.3, "seed": 5}]},
    {"edit": "track", "layers": ["Far lanterns"], "property": "opacity", "noise": [{"kind": "flicker", "amount": 0.25, "rate": 4, "seed": 6}]},
    {"edit": "track", "layers": ["Reeds left"], "property": "roll", "keys": [{"time": 0, "value": -1.2, "pace": "soft both"}, {"time": 2, "value": 1.4, "pace": "soft both"}, {"time": 4, "value": -1.2}], "extrapolation": "loop"},
    {"edit": "track", "layers": ["Reeds right"], "property": "roll", "link": {"layer": "Reeds left", "property": "roll", "factor": 0.7, "delay": "1/2"}},
    {"edit": "track", "layers": ["Mist"], "property": "across", "keys": [{"time": 0, "value": -0.6}, {"time": SECONDS, "value": 0.8}]},
    {"edit": "track", "layers": ["Title"], "property": "up", "keys": [{"time": 4, "value": 4.3, "pace": "soft stop"}, {"time": 7, "value": 3.7}]},
    {"edit": "showing", "layers": ["Title"], "in": 4, "fadeIn": "3/2"},
    {"edit": "hang", "layers": ["Hill town"], "extend": {"bottom": {"beyond": "stretch", "by": 0.2}}},
    {"edit": "hang", "layers": ["Reeds left", "Reeds right"], "extend": {"bottom": {"beyond": "stretch", "by": 0.6}}},
    {"edit": "showing", "layers": ["Reeds left", "Reeds right"], "near": [0.2, 0.5]},
    {"edit": "footage", "layers": ["Water"], "ends": "ping-pong"},
    {"edit": "displace", "layers": ["Water"], "displacements": [{"kind": "roll", "amount": 3, "size": 20, "rate": 0.6}]},
]

# What drifts: fireflies between the reeds and the boat, mist on the water, smoke over a chimney of the right houses.
AIR = [
    {"edit": "mist", "density": 0.017, "top": 0.6, "soft": 1.0, "start": 2, "colour": [0.2, 0.17, 0.3, 1]},
    {"edit": "add-particles", "ready": "fireflies", "count": 70, "box": [4.6, 1.3, 3], "position": [-0.6, 0.9, -3.4], "size": 0.03, "light": 2.2,
     "colour": [0.5, 1, 0.12, 1]},
    {"edit": "add-cloud", "name": "Chimney smoke", "box": [0.8, 2.1, 0.6], "position": [3.34, 3.62, -8.46], "density": 5, "coverage": 0.6,
     "size": 0.28, "detail": 0.6, "border": 0.8, "colour": [0.17, 0.145, 0.22, 1], "drift": [0.06, 0.34, 0], "change": 0.25},
]

# One light over all: the boatman's lantern, the moon behind the bridge, what comes from the sky; the boat's shadow and the lantern's light
# lie on the water.
LIGHT = [
    {"edit": "settings", "ground": 0.36},
    {"edit": "add-lamp", "name": "Boat lantern", "kelvin": 2200, "strength": 7.5, "radius": 0.1, "reach": 7, "glow": 0, "position": [0.9, 1.25, -6.9]},
    {"edit": "follow", "layers": ["Boat lantern"], "leader": "Boatman"},
    {"edit": "track", "layers": ["Boat lantern"], "property": "strength", "noise": [{"kind": "flicker", "amount": 0.5, "rate": 3, "seed": 8}]},
    {"edit": "add-lamp", "name": "Moonlight", "kelvin": 9000, "strength": 9, "radius": 1, "reach": 40, "glow": 0, "position": [3, 5, -16]},
    {"edit": "ambient", "level": 0.75},
    {"edit": "shading", "layers": ["Boatman"], "translucency": 0.1, "edge": {"strength": 2.5, "width": 16}},
    {"edit": "shading", "layers": ["Bridge"], "translucency": 0.05, "edge": {"strength": 0.2, "width": 8}},
    {"edit": "shading", "layers": ["Reeds left", "Reeds right"], "translucency": 0.4, "edge": {"strength": 2, "width": 10}},
    {"edit": "shadows", "layers": ["Boatman"], "shadows": [{"from": "Moonlight", "darkness": 0.55, "colour": [0.01, 0.008, 0.02, 1], "softness": 0.6,
                                                            "contact": 0.5, "contactReach": 0.5}]},
    {"edit": "add-card", "name": "Lantern light on the water", "stops": [{"at": 0, "colour": [0.9, 0.36, 0.09, 1]}, {"at": 0.3, "colour": [0.2, 0.075, 0.018, 1]},
                                                                         {"at": 0.7, "colour": [0, 0, 0, 1]}], "radial": True},
    {"edit": "place", "layer": "Lantern light on the water", "position": [0.72, 0.33, -5.3], "turn": [-90, 0, 0], "scale": [0.13, 0.3]},
    {"edit": "look", "layers": ["Lantern light on the water"], "blend": "add"},
    {"edit": "finish", "layers": ["Far lanterns"], "glow": {"strength": 0.6, "threshold": 0.5, "reach": 60, "tint": [1, 0.8, 0.55, 1]}},
    {"edit": "finish", "layers": ["Lantern string"], "glow": {"strength": 0.5, "threshold": 0.5, "reach": 90, "tint": [1, 0.8, 0.55, 1]}},
    {"edit": "depth-grades", "depthGrades": [{"from": 30, "to": 70, "soft": 6, "grade": {"exposure": -0.25, "warmth": -10}}]},
    {"edit": "glare", "strength": 0.1, "threshold": 0.9, "radius": 0.03},
    {"edit": "grade", "contrast": 1.06, "saturation": 1.06},
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
        "output": {"frame": [WIDTH, HEIGHT], "rate": "24/1", "frames": SECONDS * 24, "background": [0, 0, 0, 1], "blending": "light"},
        "homeDepth": 10.0, "camera": {"gate": GATE, "marks": [FIRST]},
        "layers": [layer(i + 1, *entry) for i, entry in enumerate(LAYERS) if entry[1]],
    }
    path = os.path.join(HERE, "lantern-quay.ostage")
    with open(path, "w") as file:
        json.dump(scene, file)
    # The title, the move and what lives are set by the program itself.
    depth = dict((entry[0], entry[3]) for entry in LAYERS)["Title"]
    edits = [
        {"edit": "add-text", "text": "LANTERN NIGHT", "name": "Title", "font": "B612 Bold", "fill": [1.0, 0.66, 0.27, 1.0], "tracking": 0.06, "em": 0.41},
        {"edit": "slide", "layers": ["Title"], "by": [-0.50, 1.86, 0]},
        {"edit": "push", "layers": ["Title"], "depth": depth},
        *MOVE, *LIFE, *AIR, *LIGHT,
    ]
    subprocess.run([cli, "apply", path, "-", "-o", path], input=json.dumps(edits), text=True, check=True)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else os.path.join(HERE, "..", "build", "release", "bin", "open-stage-cli"))
