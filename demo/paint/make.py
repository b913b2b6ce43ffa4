#!/usr/bin/python3
"""Paints the lantern quay: every picture and the water clip of the demo, into demo/art.

Needs demo/packages.txt. With names as arguments only those are painted.
"""
import os
import sys

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))

import far
import near
import water

PAINTINGS = {
    "night-sky": far.sky,
    "hill-town": far.hill_town,
    "mist": far.mist,
    "bridge": far.bridge,
    "houses-left": near.houses_left,
    "houses-right": near.houses_right,
    "boatman": near.boatman,
    "lantern-string": near.lantern_string,
    "far-lanterns": near.far_lanterns,
    "reeds-left": near.reeds_left,
    "reeds-right": near.reeds_right,
    "water": water.water,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or PAINTINGS:
        PAINTINGS[name]()
        print("painted", name, flush=True)
