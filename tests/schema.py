#!/usr/bin/python3
"""Holds docs/scene.schema.json against scene files that the program writes, and against ones that it refuses."""
import copy
import json
import os
import subprocess
import sys
import tempfile

import jsonschema

root, cli = sys.argv[1:3]
schema = json.load(open(os.path.join(root, "docs", "scene.schema.json")))
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)
demo = json.load(open(os.path.join(root, "demo", "lantern-quay.ostage")))
failures = 0


def check(what, scene, good):
    """The schema and the program must agree."""
    global failures
    schema_says = not list(validator.iter_errors(scene))
    with tempfile.NamedTemporaryFile("w", suffix=".ostage") as file:
        json.dump(scene, file)
        file.flush()
        program_says = subprocess.run([cli, "info", file.name], capture_output=True).returncode == 0
    if (schema_says, program_says) != (good, good):
        failures += 1
        print(f"{what}: expected {good}, schema says {schema_says}, program says {program_says}")


def changed(path, value):
    scene = copy.deepcopy(demo)
    place = scene
    for step in path[:-1]:
        place = place[step]
    if value is None:
        del place[path[-1]]
    else:
        place[path[-1]] = value
    return scene


cut = {"mattes": [{"kind": "outline", "points": [[0, 0], [9, 0, -1, 0, 1, 0], [9, 9]], "combine": "add",
                   "feather": {"keys": [{"time": "1/2", "value": 3, "hold": True}]}},
                  {"kind": "painted", "strokes": [{"size": 4, "dabs": [[1, 1, 0.5], [3, 3]]}]}],
       "key": {"kind": "brightness", "low": 5}, "edges": {"choke": -1},
       "fills": [{"hole": [{"kind": "layer", "layer": 3}], "seed": 2}], "match": {"automatic": True}}
cases = [
    ("the demo", demo, True),
    ("a group", changed(["layers", 0], {"id": 99, "name": "g", "kind": "group", "layers": [demo["layers"][0]]}), True),
    ("own pace", changed(["camera", "marks", 0, "pace"], [0.1, 0.2, 0.3, 1]), True),
    ("an unknown member", changed(["layers", 0, "later"], {"a": 1}), True),
    ("a cut-out", changed(["layers", 0, "cutout"], cut), True),
    ("a card", changed(["layers", 0], {"id": 99, "name": "c", "kind": "card", "pixels": [9, 9], "metresPerPixel": 1,
                                       "card": {"stops": [{"at": 0, "colour": [0, 0, 0, 1]}]}}), True),
    ("particles", changed(["layers", 0], {"id": 99, "name": "p", "kind": "particles", "particles": {
        "box": [4, 3, 2], "count": 20, "shape": "leaf", "facing": "tumbling", "opacities": [[0, 0], [0.5, 1]],
        "turbulence": {"amount": 0.2}, "loop": "7/2", "colours": [{"at": 0, "colour": [1, 1, 1, 1]}]}}), True),
    ("a million particles", changed(["layers", 0], {"id": 99, "name": "p", "kind": "particles",
                                                    "particles": {"count": 1000000}}), False),
    ("a flat box", changed(["layers", 0], {"id": 99, "name": "c", "kind": "cloud", "cloud": {"box": [4, 0, 2]}}), False),
    ("a cloud", changed(["layers", 0], {"id": 99, "name": "c", "kind": "cloud", "cloud": {"density": 2, "drift": [1, 0, 0]}}), True),
    ("mist", changed(["mist"], {"density": 0.1, "top": 0.5, "soft": 0.3, "colour": [1, 1, 1, 1]}), True),
    ("mist with an edge", changed(["mist"], {"density": 0.1, "soft": 0}), False),
    ("a lamp", changed(["layers", 0], {"id": 99, "name": "l", "kind": "lamp", "lamp": {"strength": 9.5, "reach": 12, "glow": 0}}), True),
    ("a lamp that reaches nothing", changed(["layers", 0], {"id": 99, "name": "l", "kind": "lamp", "lamp": {"reach": 0}}), False),
    ("shading", changed(["layers", 0, "shading"], {"translucency": 0.3, "edge": {"strength": 2, "width": 8}}), True),
    ("shading with a shadow", changed(["layers", 0, "shading"], {"shadow": 1}), False),
    ("ambient light", changed(["ambient"], {"level": 0.5, "colour": [0.5, 0.5, 1, 1]}), True),
    ("a grade", changed(["layers", 0, "grade"], {"exposure": 1, "slope": [1, 1.2, 1], "curves": {"red": [[0, 0], [1, 0.9]]},
                                                 "look": {"path": "dusk.cube", "strength": 0.5}}), True),
    ("a grade of the picture", changed(["grade"], {"on": False, "warmth": -40, "pivot": 0.3}), True),
    ("a grade beyond measure", changed(["grade"], {"exposure": 21}), False),
    ("a curve of nothing known", changed(["grade"], {"curves": {"violet": [[0, 0], [1, 1]]}}), False),
    ("displaced pixels", changed(["layers", 0, "displacements"], [{"kind": "sway", "foot": 0.9, "loop": 4, "where": [
        {"kind": "rectangle", "area": {"centre": [5, 5], "size": [9, 9]}}]}]), True),
    ("a displacement of no kind", changed(["layers", 0, "displacements"], [{"kind": "explosion"}]), False),
    ("hanging", changed(["layers", 0, "extend"], {"left": {"beyond": "mirror", "by": 0.5}}), True),
    ("keys of place", changed(["layers", 0, "places"], [{"time": "1/2", "value": {"position": [0, 0, -9]}}]), True),
    ("tracks", changed(["layers", 0, "tracks"], [{"property": "across", "keys": [{"time": 0, "value": 1}], "extrapolation": "loop",
                                                  "noise": [{"kind": "sway", "amount": 0.1}]},
                                                 {"property": "turn", "link": {"property": "pan", "factor": -1}}]), True),
    ("a track of nothing", changed(["layers", 0, "tracks"], [{"keys": []}]), False),
    ("a track of keys that are not numbers", changed(["camera", "tracks"], [{"property": "pan", "keys": [3]}]), False),
    ("a drawn pace", changed(["camera", "pace"], {"drawn": [0, 1, 0.5]}), True),
    ("a pace that stands", changed(["camera", "marks", 0, "pace"], {"drawn": [0, 0]}), False),
    ("aims", changed(["camera", "marks", 1, "aim"], {"layer": 3}), True),
    ("an aim at the sky", changed(["camera", "marks", 1, "aim"], "sky"), False),
    ("times of a layer", changed(["layers", 0, "showing"], {"in": "1/2", "fadeIn": 1, "near": [1, 2]}), True),
    ("times it does not have", changed(["layers", 0, "showing"], {"until": 3}), False),
    ("a layer that faces away", changed(["layers", 0, "facing"], "away"), False),
    ("an endless extension", changed(["layers", 0, "extend"], {"top": {"beyond": "repeat", "by": 101}}), False),
    ("a bend beyond a ring", changed(["layers", 0, "bend"], 400), False),
    ("no size", changed(["layers", 0, "scale"], [0, 1]), False),
    ("guides", changed(["output", "guides"], [{"upright": True, "at": 0.5}]), True),
    ("a guide outside", changed(["output", "guides"], [{"at": 1.5}]), False),
    ("an unknown matte", changed(["layers", 0, "cutout"], {"mattes": [{"kind": "star"}]}), False),
    ("a loop of two", changed(["layers", 0, "cutout"], {"mattes": [{"kind": "subject", "loop": [[1, 1], [2, 2]]}]}), False),
    ("a key of no kind", changed(["layers", 0, "cutout"], {"key": {}}), False),
    ("no camera", changed(["camera"], None), False),
    ("no marks", changed(["camera", "marks"], []), False),
    ("a newer version", changed(["version"], 2), False),
    ("opacity above 1", changed(["layers", 0, "opacity"], 1.5), False),
    ("an unknown kind", changed(["layers", 0, "kind"], "hologram"), False),
    ("an unknown blend", changed(["layers", 0, "blend"], "glow"), False),
    ("a picture without media", changed(["layers", 0, "media"], None), False),
    ("a short vector", changed(["layers", 0, "position"], [1, 2]), False),
    ("a bad fraction", changed(["camera", "marks", 1, "time"], "3.5"), False),
    ("a tiny frame", changed(["output", "frame"], [2, 2]), False),
]
for case in cases:
    check(*case)
print(f"{len(cases) - failures} passed, {failures} failed")
sys.exit(1 if failures else 0)
