"""What stands close: houses on both quays, boat and boatman, lanterns, reeds."""
import math
import random

import cairo
import numpy as np
from scipy import ndimage

from far import over
from tools import *


def window(c, rng, x, y, w, h, lit):
    """A window of the size of people: frame, bars, sill, and what goes on behind it."""
    c.rectangle(x - 5, y - 5, w + 10, h + 10)
    fill(c, 0.115, 0.085, 0.115, 1)
    if lit:
        g = cairo.LinearGradient(x, y, x + w * 0.3, y + h)
        g.add_color_stop_rgb(0, 1.0, 0.80, 0.44)
        g.add_color_stop_rgb(0.6, 0.98, 0.62, 0.25)
        g.add_color_stop_rgb(1, 0.78, 0.38, 0.14)
        c.rectangle(x, y, w, h)
        c.set_source(g)
        c.fill()
        c.save()
        c.rectangle(x, y, w, h)
        c.clip()
        what = rng.random()
        if what < 0.3:  # someone looks out
            px = x + w * rng.uniform(0.35, 0.65)
            c.arc(px, y + h * 0.56, w * 0.13, 0, 6.3)
            fill(c, 0.30, 0.14, 0.08, 0.92)
            c.save()
            c.translate(px, y + h * 1.02)
            c.scale(w * 0.30, h * 0.36)
            c.arc(0, 0, 1, 0, 6.3)
            c.restore()
            fill(c, 0.30, 0.14, 0.08, 0.92)
        elif what < 0.6:  # curtains
            for side in (0, 1):
                ex = x + w * side
                c.move_to(ex, y)
                c.line_to(ex + (w * 0.42 if not side else -w * 0.42), y)
                c.curve_to(ex + (w * 0.30 if not side else -w * 0.30), y + h * 0.5, ex + (w * 0.1 if not side else -w * 0.1), y + h * 0.7,
                           ex + (w * 0.16 if not side else -w * 0.16), y + h)
                c.line_to(ex, y + h)
                c.close_path()
                fill(c, 0.80, 0.40, 0.18, 0.75)
        elif what < 0.8:  # a plant on the sill
            for _ in range(16):
                a = rng.uniform(-2.6, -0.5)
                r = rng.uniform(0.12, 0.36) * h
                c.move_to(x + w * 0.5, y + h)
                c.line_to(x + w * 0.5 + math.cos(a) * r * 0.8, y + h + math.sin(a) * r)
                stroke(c, 3, 0.22, 0.16, 0.06, 0.9)
        c.restore()
    else:
        g = cairo.LinearGradient(x, y, x + w, y + h)
        g.add_color_stop_rgb(0, 0.16, 0.19, 0.32)
        g.add_color_stop_rgb(1, 0.07, 0.08, 0.15)
        c.rectangle(x, y, w, h)
        c.set_source(g)
        c.fill()
        c.move_to(x + w * 0.15, y + h * 0.6)
        c.line_to(x + w * 0.7, y + h * 0.1)
        stroke(c, 2, 0.4, 0.46, 0.66, 0.25)
    for i in (1, 2) if w > 40 else (1,):
        cx = x + w * i / (3 if w > 40 else 2)
        c.move_to(cx, y)
        c.line_to(cx, y + h)
        stroke(c, 3, 0.13, 0.09, 0.11, 1)
    for i in (1, 2):
        c.move_to(x, y + h * i / 3)
        c.line_to(x + w, y + h * i / 3)
        stroke(c, 2.4, 0.13, 0.09, 0.11, 1)
    c.rectangle(x - 10, y + h + 4, w + 20, 7)
    fill(c, 0.26, 0.20, 0.25, 1)
    if rng.random() < 0.6:  # shutters, one of them not quite open
        for side in (-1, 1):
            sw = w * (0.42 if rng.random() < 0.8 else 0.2)
            sx = x - 7 - sw if side < 0 else x + w + 7
            c.rectangle(sx, y - 3, sw, h + 7)
            tone = rng.choice([(0.13, 0.19, 0.20), (0.20, 0.12, 0.13), (0.15, 0.15, 0.22)])
            fill(c, *tone, 1)
            for k in range(int(h / 6)):
                c.move_to(sx + 2, y + k * 6)
                c.line_to(sx + sw - 2, y + k * 6)
                stroke(c, 1.1, *(v * 0.55 for v in tone), 0.9)
    return (x + w / 2, y + h / 2, w, h, lit)


def tiles(c, rng, points, size, tone):
    """A roof's slope inside a polygon: overlapping tiles, some slipped, some mossy."""
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    c.save()
    polygon(c, points)
    c.set_source_rgb(*(v * 0.6 for v in tone))
    c.fill_preserve()
    c.clip()
    row, y = 0, min(ys) - size
    while y < max(ys) + size:
        x = min(xs) - size + (size * 0.45 if row % 2 else 0)
        while x < max(xs) + size:
            k = rng.uniform(0.66, 1.28)
            moss = rng.random() < 0.05
            t = (0.13, 0.17, 0.15) if moss else tuple(min(1, v * k) for v in tone)
            slip = rng.uniform(0, 2.2) if rng.random() < 0.9 else rng.uniform(2, 6)
            c.arc(x + size * 0.45, y + slip + size * 0.35, size * 0.46, 0, math.pi)
            c.line_to(x, y + slip - size * 0.3)
            c.line_to(x + size * 0.9, y + slip - size * 0.3)
            c.close_path()
            c.set_source_rgb(*t)
            c.fill_preserve()
            stroke(c, 1.1, *(v * 0.42 for v in tone), 0.9)
            x += size * 0.92
        y += size * 0.62
        row += 1
    c.restore()


def facade(c, rng, x, top, w, foot, wall, floors, gable, lit=0.62, timber=False):
    """One house front; gives its windows."""
    wobble = [(x + rng.uniform(-3, 3), top), (x + w + rng.uniform(-3, 3), top)]
    polygon(c, [wobble[0], wobble[1], (x + w, foot), (x, foot)])
    g = cairo.LinearGradient(0, top, 0, foot)
    g.add_color_stop_rgb(0, *(v * 0.86 for v in wall))
    g.add_color_stop_rgb(1, *(v * 1.12 for v in wall))
    c.set_source(g)
    c.fill()
    for _ in range(int(w * (foot - top) / 260)):  # plaster: patches, cracks, bare brick
        px, py = rng.uniform(x, x + w - 12), rng.uniform(top, foot - 8)
        if rng.random() < 0.72:
            c.rectangle(px, py, rng.uniform(6, 34), rng.uniform(2, 9))
            k = rng.uniform(0.78, 1.18)
            fill(c, *(min(1, v * k) for v in wall), 0.55)
        elif rng.random() < 0.5:
            for i in range(rng.randint(2, 7)):
                c.rectangle(min(px + (i % 3) * 13, x + w - 12), py + (i // 3) * 7, 11.5, 5.6)
                k = rng.uniform(0.8, 1.2)
                fill(c, 0.27 * k, 0.155 * k, 0.16 * k, 0.9)
    eave = top
    if gable:
        peak = (x + w * rng.uniform(0.42, 0.58), top - w * 0.52)
        polygon(c, [(x - 12, top + 4), peak, (x + w + 12, top + 4)])
        fill(c, *(v * 0.92 for v in wall), 1)
        for a, b in (((x - 18, top + 10), peak), (peak, (x + w + 18, top + 10))):
            tilt = (b[0] - a[0], b[1] - a[1])
            n = math.hypot(*tilt)
            off = (-tilt[1] / n * -24, tilt[0] / n * -24)
            tiles(c, rng, [a, b, (b[0] + off[0] * 0.2, b[1] - 26), (a[0] + off[0] * 0.2, a[1] - 22)], 13, (0.255, 0.150, 0.185))
        window(c, rng, peak[0] - 15, top - w * 0.24, 30, 36, rng.random() < lit)
    else:
        depth = w * 0.36
        tiles(c, rng, [(x - 16, top + 12), (x + w * 0.10, top - depth), (x + w * 0.92, top - depth - rng.uniform(-5, 5)), (x + w + 16, top + 12)],
              15, (0.245, 0.150, 0.195))
        if w > 150:  # a dormer
            dx = x + w * rng.uniform(0.35, 0.55)
            polygon(c, [(dx - 24, top - 8), (dx - 24, top - 44), (dx, top - 66), (dx + 24, top - 44), (dx + 24, top - 8)])
            fill(c, *wall, 1)
            window(c, rng, dx - 12, top - 42, 24, 30, rng.random() < lit)
    cx = x + w * rng.uniform(0.62, 0.84)  # a chimney
    cy = top - w * (0.40 if not gable else 0.30)
    c.rectangle(cx, cy - 34, 24, 60)
    fill(c, 0.23, 0.15, 0.18, 1)
    for k in range(8):
        c.move_to(cx, cy - 30 + k * 7)
        c.line_to(cx + 24, cy - 30 + k * 7)
        stroke(c, 1, 0.12, 0.08, 0.11, 0.8)
    for k in (4, 15):
        c.rectangle(cx + k, cy - 46, 7, 13)
        fill(c, 0.28, 0.17, 0.17, 1)
    if timber:
        beam = (0.115, 0.080, 0.095)
        rows = [top + (foot - top) * i / floors for i in range(floors + 1)]
        cols = [x + w * i / max(2, round(w / 70)) for i in range(max(2, round(w / 70)) + 1)]
        for yy in rows[:-1]:
            c.move_to(x, yy)
            c.line_to(x + w, yy + rng.uniform(-2, 2))
            stroke(c, 8, *beam, 1)
        for xx in cols:
            c.move_to(xx, rows[0])
            c.line_to(xx + rng.uniform(-2, 2), rows[-2])
            stroke(c, 7, *beam, 1)
        for a, b in zip(cols, cols[1:]):
            if rng.random() < 0.6:
                c.move_to(a, rows[1])
                c.line_to(b, rows[0])
                stroke(c, 6, *beam, 1)
    found = []
    step = (foot - top) / floors
    for floor in range(floors):
        count = max(1, int(w / 92))
        for i in range(count):
            ww, wh = rng.uniform(34, 46), rng.uniform(54, 68)
            wx = x + w * (i + 0.5) / count - ww / 2 + rng.uniform(-4, 4)
            wy = top + step * floor + step * 0.24
            if wy + wh < foot - 14:
                found.append(window(c, rng, wx, wy, ww, wh, rng.random() < lit))
    return found


def balcony(c, rng, x, y, w):
    c.rectangle(x - 6, y, w + 12, 8)
    fill(c, 0.20, 0.15, 0.19, 1)
    for k in range(int(w / 11) + 1):
        bx = x + k * 11
        c.move_to(bx, y)
        c.curve_to(bx + 5, y - 14, bx - 5, y - 24, bx, y - 38)
        stroke(c, 2.3, 0.07, 0.06, 0.09, 1)
    c.move_to(x - 5, y - 39)
    c.line_to(x + w + 5, y - 39)
    stroke(c, 4.5, 0.09, 0.07, 0.10, 1)
    for k in range(int(w / 26)):  # flower boxes
        for _ in range(18):
            c.arc(x + 12 + k * 26 + rng.uniform(-11, 11), y - 34 + rng.uniform(-9, 16), rng.uniform(1.4, 3.6), 0, 6.3)
            fill(c, *rng.choice([(0.12, 0.20, 0.15), (0.10, 0.16, 0.13), (0.46, 0.20, 0.24), (0.52, 0.32, 0.20)]), 1)
    for bx in (x + 4, x + w - 4):
        c.move_to(bx, y + 8)
        c.curve_to(bx, y + 24, bx + (8 if bx > x + w / 2 else -8), y + 26, bx, y + 34)
        stroke(c, 4, 0.10, 0.08, 0.11, 1)


def quay_wall(c, rng, x0, x1, top, foot):
    """Blocks of stone down to the water, with rings, weed and a flight of steps."""
    c.rectangle(x0, top, x1 - x0, foot - top)
    fill(c, 0.150, 0.130, 0.185, 1)
    y, row = top, 0
    while y < foot:
        h = rng.uniform(22, 30)
        x = x0 - rng.uniform(0, 50)
        while x < x1:
            w = rng.uniform(38, 92)
            k = rng.uniform(0.72, 1.25) * (1 - 0.35 * (y - top) / (foot - top))
            c.rectangle(x + 1.5, y + 1.5, min(w - 3, x1 - x - 3), h - 3)
            green = max(0.0, (y - top) / (foot - top) - 0.5) * 0.08
            fill(c, 0.195 * k, (0.170 + green) * k, 0.225 * k, 1)
            c.move_to(x + 3, y + 3)
            c.line_to(min(x + w - 4, x1), y + 3)
            stroke(c, 1.6, 0.34 * k, 0.29 * k, 0.36 * k, 0.55)
            x += w
        y += h
        row += 1
    c.rectangle(x0, top - 13, x1 - x0, 16)
    fill(c, 0.29, 0.245, 0.30, 1)
    for _ in range(int((x1 - x0) / 5)):  # weed hanging near the water
        x = rng.uniform(x0, x1)
        c.move_to(x, foot - rng.uniform(0, 46))
        c.curve_to(x + 3, foot - 10, x - 3, foot - 6, x + rng.uniform(-4, 4), foot)
        stroke(c, rng.uniform(1.4, 3.2), 0.07, 0.12, 0.10, 0.8)
    for x in range(int(x0) + 70, int(x1) - 40, 150):  # mooring rings with rope
        c.arc(x, top + 44, 11, 0, 6.3)
        stroke(c, 4, 0.06, 0.055, 0.08, 1)
        c.move_to(x, top + 54)
        c.curve_to(x + 14, top + 110, x + 40, top + 70, x + 62, foot)
        stroke(c, 4.4, 0.30, 0.22, 0.17, 1)
        c.move_to(x, top + 53)
        c.curve_to(x + 14, top + 109, x + 40, top + 69, x + 62, foot - 1)
        stroke(c, 1.4, 0.44, 0.33, 0.24, 0.8)


def bollard(c, x, y):
    c.rectangle(x - 9, y - 34, 18, 36)
    fill(c, 0.09, 0.08, 0.11, 1)
    c.save()
    c.translate(x, y - 35)
    c.scale(13, 6)
    c.arc(0, 0, 1, 0, 6.3)
    c.restore()
    fill(c, 0.15, 0.13, 0.17, 1)
    for k in range(3):
        c.move_to(x - 11, y - 20 + k * 5)
        c.curve_to(x - 4, y - 15 + k * 5, x + 4, y - 15 + k * 5, x + 11, y - 20 + k * 5)
        stroke(c, 4, 0.34, 0.25, 0.18, 1)


def paper_lantern(c, x, y, rx, ry, hue, tassel=True):
    """A lantern from inside out: bright core, ribbed paper, dark caps."""
    bright = {"amber": ((1.0, 0.93, 0.68), (0.99, 0.70, 0.27), (0.70, 0.29, 0.08)),
              "rose": ((1.0, 0.86, 0.70), (0.96, 0.50, 0.30), (0.60, 0.15, 0.13)),
              "straw": ((1.0, 0.96, 0.78), (1.0, 0.80, 0.42), (0.74, 0.40, 0.13))}[hue]
    c.save()
    c.translate(x, y)
    c.save()
    c.scale(rx, ry)
    c.arc(0, 0, 1, 0, 2 * math.pi)
    c.restore()
    g = cairo.RadialGradient(0, ry * 0.18, 0, 0, 0, max(rx, ry))
    g.add_color_stop_rgb(0, *bright[0])
    g.add_color_stop_rgb(0.42, *(0.5 * a + 0.5 * b for a, b in zip(bright[0], bright[1])))
    g.add_color_stop_rgb(0.72, *bright[1])
    g.add_color_stop_rgb(1, *bright[2])
    c.set_source(g)
    c.fill_preserve()
    c.save()
    c.clip()
    ribs = max(5, int(ry / 6))
    for i in range(1, ribs):  # ribs bend with the belly
        yy = -ry + 2 * ry * i / ribs
        half = rx * math.sqrt(max(0, 1 - (yy / ry) ** 2))
        sag = ry * 0.05 * (1 - abs(yy) / ry)
        c.move_to(-half, yy)
        c.curve_to(-half * 0.4, yy + sag, half * 0.4, yy + sag, half, yy)
        stroke(c, max(0.9, ry / 52), bright[2][0], bright[2][1], bright[2][2], 0.6)
    for k in (-0.55, 0.12, 0.62):
        c.move_to(rx * k, -ry)
        c.curve_to(rx * k * 1.5, -ry * 0.4, rx * k * 1.5, ry * 0.4, rx * k, ry)
        stroke(c, max(0.6, ry / 90), bright[2][0], bright[2][1], bright[2][2], 0.35)
    c.restore()
    c.new_path()
    for side in (-1, 1):
        c.rectangle(-rx * 0.42, side * ry - (ry * 0.10 if side > 0 else ry * 0.08), rx * 0.84, ry * 0.18)
        fill(c, 0.12, 0.07, 0.07, 1)
        c.move_to(-rx * 0.42, side * ry)
        c.line_to(rx * 0.42, side * ry)
        stroke(c, ry * 0.025, 0.62, 0.36, 0.15, 0.9)
    if tassel:
        for k in range(7):
            c.move_to(0, ry * 1.08)
            c.curve_to((k - 3) * rx * 0.03, ry * 1.25, (k - 3) * rx * 0.06, ry * 1.4, (k - 3) * rx * 0.055, ry * 1.62)
            stroke(c, max(0.8, rx * 0.035), 0.60, 0.20, 0.12, 1)
    c.restore()


def houses(name, box, fronts, walls, seed, lamps, extras):
    sheet = Sheet(name, box, 1.5)
    c, rng = sheet.c, random.Random(seed)
    quay_wall(c, rng, *walls)
    lit = []
    for front in fronts:
        lit += facade(c, rng, **front)
    extras(c, rng)
    for x, y, _ in lamps:  # iron arms and hanging lamps
        c.move_to(x - 30, y - 50)
        c.curve_to(x - 10, y - 64, x, y - 60, x, y - 34)
        stroke(c, 4, 0.06, 0.05, 0.08, 1)
    rgb, alpha = sheet.pixels()
    glowing = (rgb[..., 0] > 0.72) & (rgb[..., 2] < 0.6) & (alpha > 0.9)
    lights = list(lamps) + [(x, y + h * 0.9, 0.16) for x, y, w, h, on in lit if on]
    shaded = relief(rgb, alpha, sheet, lights, 0.8, 1.0, 4, 88, 0.55)
    shaded = np.where(glowing[..., None], rgb, shaded)
    painted = brushed(shaded, alpha, seed + 50, (6, 3, 1.5), 0.055, 0.03)
    shine = ndimage.gaussian_filter(glowing.astype(float), 16) * 0.42 + ndimage.gaussian_filter(glowing.astype(float), 44) * 0.5
    painted += shine[..., None] * LAMPLIGHT * 0.55
    y, _ = sheet.places()
    depth = np.clip((y - 860) / 240, 0, 1)[..., None]
    painted *= 1 - 0.5 * depth
    alpha = ragged(alpha, seed + 60, 1.8)
    lampsheet = Sheet("lamps", box, sheet.scale)
    for x, y, strength in lamps:
        glow(lampsheet.c, x, y, 150, (1.0, 0.62, 0.26), 0.6 * strength)
        paper_lantern(lampsheet.c, x, y, 20, 30, "amber")
    # Glow belongs to what is there and to the air close by.
    lamp_rgb, lamp_alpha = lampsheet.pixels()
    rgb, alpha = over(lamp_rgb, lamp_alpha, np.clip(painted, 0, 1), alpha)
    save(name, grained(rgb, seed + 70, 0.04), alpha, 88)


def houses_left():
    fronts = [
        dict(x=-330, top=150, w=250, foot=800, wall=(0.215, 0.165, 0.215), floors=4, gable=False),
        dict(x=-84, top=230, w=196, foot=800, wall=(0.255, 0.190, 0.205), floors=4, gable=True, timber=True),
        dict(x=112, top=330, w=232, foot=800, wall=(0.195, 0.165, 0.235), floors=3, gable=False),
        dict(x=344, top=452, w=118, foot=800, wall=(0.235, 0.175, 0.190), floors=2, gable=True, timber=True),
    ]

    def extras(c, rng):
        balcony(c, rng, 130, 592, 190)
        c.rectangle(380, 700, 50, 100)  # a door with steps
        fill(c, 0.12, 0.075, 0.08, 1)
        c.rectangle(384, 704, 42, 94)
        fill(c, 0.20, 0.105, 0.09, 1)
        for k in range(3):
            c.rectangle(370 - k * 6, 790 + k * 7, 70 + k * 12, 8)
            fill(c, 0.28, 0.24, 0.28, 1)
        for x in (210, 300, 436):
            bollard(c, x, 806)
        for k, (x, w) in enumerate(((20, 52), (66, 44), (38, 40))):  # crates and barrels
            yy = 800 if k < 2 else 756
            c.rectangle(x, yy - 44, w, 44)
            fill(c, 0.24, 0.165, 0.14, 1)
            for j in range(4):
                c.move_to(x, yy - 40 + j * 11)
                c.line_to(x + w, yy - 40 + j * 11)
                stroke(c, 1.6, 0.11, 0.075, 0.07, 1)
            c.move_to(x + 3, yy - 3)
            c.line_to(x + w - 3, yy - 41)
            stroke(c, 4, 0.29, 0.20, 0.16, 1)
        c.move_to(-90, 404)  # washing on a line
        c.curve_to(40, 452, 180, 452, 300, 402)
        stroke(c, 1.6, 0.10, 0.08, 0.10, 1)
        for k in range(8):
            t = (k + 1.2) / 10
            x = -90 + 390 * t
            yy = 404 + 190 * t * (1 - t) * 0.8
            w, h = rng.uniform(20, 30), rng.uniform(26, 46)
            c.move_to(x, yy)
            c.line_to(x + w, yy + 1)
            c.curve_to(x + w + 4, yy + h * 0.6, x + w - 2, yy + h, x + w - 1, yy + h)
            c.curve_to(x + w * 0.6, yy + h - 4, x + w * 0.4, yy + h + 4, x + 1, yy + h)
            c.close_path()
            fill(c, *rng.choice([(0.42, 0.36, 0.42), (0.36, 0.22, 0.25), (0.25, 0.29, 0.40)]), 1)

    houses("houses-left", (-330, 0, 500, 1010), fronts, (-330, 486, 800, 985), 71,
           [(70, 640, 1.0), (366, 642, 0.9)], extras)


def houses_right():
    fronts = [
        dict(x=1970, top=120, w=300, foot=780, wall=(0.205, 0.160, 0.220), floors=4, gable=False),
        dict(x=1752, top=250, w=222, foot=780, wall=(0.240, 0.175, 0.200), floors=4, gable=True),
        dict(x=1556, top=372, w=198, foot=780, wall=(0.200, 0.170, 0.240), floors=3, gable=False, timber=True),
        dict(x=1452, top=520, w=104, foot=780, wall=(0.225, 0.170, 0.185), floors=2, gable=True),
    ]

    def extras(c, rng):
        balcony(c, rng, 1766, 590, 176)
        balcony(c, rng, 1572, 640, 150)
        for x in (1480, 1620, 1840):
            bollard(c, x, 786)
        c.move_to(1600, 770)  # an awning over the door, with stripes
        c.line_to(1560, 720)
        c.line_to(1700, 716)
        c.line_to(1736, 768)
        c.close_path()
        fill(c, 0.36, 0.17, 0.17, 1)
        for k in range(6):
            a, b = 1564 + k * 23, 1604 + k * 23
            polygon(c, [(a, 720), (a + 11, 719), (b + 11, 769), (b, 770)])
            fill(c, 0.47, 0.36, 0.33, 1)
        for x, s in ((1502, 0.86), (1526, 0.78)):  # two talking by the water
            c.move_to(x - 15 * s, 774)
            c.curve_to(x - 22 * s, 774 - 47 * s, x - 14 * s, 774 - 77 * s, x, 774 - 82 * s)
            c.curve_to(x + 16 * s, 774 - 77 * s, x + 22 * s, 774 - 47 * s, x + 14 * s, 774)
            c.close_path()
            fill(c, *((0.22, 0.13, 0.15) if s > 0.8 else (0.15, 0.17, 0.25)), 1)
            c.arc(x, 774 - 92 * s, 10 * s, 0, 6.3)
            fill(c, 0.36, 0.24, 0.20, 1)

    houses("houses-right", (1440, -20, 2270, 1000), fronts, (1440, 2270, 780, 970), 72,
           [(1478, 640, 0.9), (1742, 560, 1.0)], extras)


def hull(c):
    c.move_to(628, 792)
    c.curve_to(660, 850, 720, 884, 800, 894)
    c.curve_to(900, 906, 1060, 906, 1160, 890)
    c.curve_to(1240, 878, 1300, 836, 1332, 770)
    c.curve_to(1340, 752, 1352, 742, 1366, 738)
    c.curve_to(1350, 764, 1338, 800, 1300, 842)
    c.curve_to(1250, 900, 1150, 932, 980, 934)
    c.curve_to(800, 934, 690, 900, 640, 836)
    c.curve_to(620, 812, 608, 796, 596, 786)
    c.close_path()


def boat(c, rng):
    # Far gunwale and the inside.
    c.move_to(634, 796)
    c.curve_to(760, 862, 1180, 866, 1326, 782)
    c.curve_to(1290, 850, 1230, 884, 1160, 896)
    c.curve_to(1060, 912, 900, 912, 800, 900)
    c.curve_to(720, 890, 670, 850, 634, 796)
    c.close_path()
    fill(c, 0.085, 0.060, 0.075, 1)
    for k in range(7):  # ribs of the hull inside
        x = 730 + k * 84
        c.move_to(x, 838 + 12 * math.sin(k / 6 * math.pi))
        c.curve_to(x + 6, 860, x + 10, 880, x + 22, 900)
        stroke(c, 7, 0.150, 0.095, 0.085, 1)
    for x, w, h in ((770, 70, 52), (846, 54, 40), (716, 46, 34)):  # baskets and a bale
        c.rectangle(x, 856 - h, w, h)
        fill(c, 0.26, 0.175, 0.125, 1)
        for k in range(int(h / 7)):
            c.move_to(x, 858 - h + k * 7)
            c.curve_to(x + w * 0.3, 861 - h + k * 7, x + w * 0.7, 855 - h + k * 7, x + w, 858 - h + k * 7)
            stroke(c, 2, 0.15, 0.095, 0.07, 1)
        c.move_to(x - 2, 856 - h)
        c.line_to(x + w + 2, 856 - h)
        stroke(c, 5, 0.33, 0.23, 0.16, 1)
    hull(c)
    c.set_source_rgb(0.165, 0.095, 0.085)
    c.fill_preserve()
    c.save()
    c.clip()
    for k in range(6):  # planks with nails
        off = 14 + k * 13
        c.move_to(600, 790 + off)
        c.curve_to(720, 886 + off, 1180, 892 + off, 1356, 744 + off)
        stroke(c, 2, 0.07, 0.045, 0.05, 1)
        c.move_to(600, 793 + off)
        c.curve_to(720, 889 + off, 1180, 895 + off, 1356, 747 + off)
        stroke(c, 1.2, 0.33, 0.19, 0.14, 0.5)
    for _ in range(240):
        x, y = rng.uniform(610, 1350), rng.uniform(780, 930)
        c.move_to(x, y)
        c.line_to(x + rng.uniform(8, 40), y + rng.uniform(-3, 3))
        k = rng.uniform(0.7, 1.5)
        stroke(c, rng.uniform(0.8, 2.4), 0.17 * k, 0.10 * k, 0.09 * k, 0.6)
    c.restore()
    c.new_path()
    c.move_to(596, 786)  # near gunwale
    c.curve_to(660, 850, 720, 884, 800, 894)
    c.curve_to(900, 906, 1060, 906, 1160, 890)
    c.curve_to(1240, 878, 1300, 836, 1332, 770)
    c.curve_to(1340, 752, 1352, 742, 1366, 738)
    stroke(c, 9, 0.27, 0.155, 0.115, 1)
    for k in range(5):  # a rope along the side, cork fenders on it
        x = 780 + k * 90
        c.move_to(x, 898)
        c.curve_to(x + 20, 922, x + 66, 922, x + 90, 898)
        stroke(c, 4, 0.40, 0.30, 0.20, 1)
        c.rectangle(x + 39, 910, 12, 20)
        fill(c, 0.32, 0.22, 0.15, 1)


def man(c, rng):
    # Pole, held in both hands, down into the water behind the boat.
    c.move_to(1052, 470)
    c.line_to(1236, 960)
    stroke(c, 9, 0.20, 0.13, 0.10, 1)
    c.move_to(1051, 470)
    c.line_to(1234, 960)
    stroke(c, 2.5, 0.42, 0.28, 0.19, 0.8)
    # Legs, coat with folds, sash, arms.
    for x0, x1 in ((930, 918), (972, 992)):
        c.move_to(x0 - 20, 770)
        c.curve_to(x0 - 22, 810, x1 - 20, 840, x1 - 18, 872)
        c.line_to(x1 + 22, 872)
        c.curve_to(x0 + 24, 830, x0 + 24, 800, x0 + 22, 770)
        c.close_path()
        fill(c, 0.120, 0.100, 0.150, 1)
    c.move_to(908, 606)
    c.curve_to(884, 660, 878, 740, 886, 806)
    c.curve_to(920, 822, 986, 822, 1016, 802)
    c.curve_to(1018, 730, 1010, 660, 990, 604)
    c.curve_to(966, 592, 930, 592, 908, 606)
    c.close_path()
    fill(c, 0.150, 0.135, 0.215, 1)
    for k in range(9):
        x = 896 + k * 13
        c.move_to(x + 6, 700)
        c.curve_to(x - 3, 740, x + 4, 770, x + rng.uniform(-6, 4), 808)
        stroke(c, rng.uniform(1.5, 4), *((0.08, 0.07, 0.12) if k % 2 else (0.215, 0.195, 0.29)), 0.9)
    c.move_to(890, 694)
    c.curve_to(930, 708, 980, 706, 1010, 690)
    stroke(c, 15, 0.36, 0.16, 0.12, 1)
    c.move_to(914, 704)
    c.curve_to(906, 730, 910, 746, 902, 770)
    stroke(c, 9, 0.32, 0.14, 0.11, 1)
    for path in (((914, 622), (900, 700), (990, 690), (1084, 562)), ((984, 620), (1040, 640), (1058, 660), (1106, 634))):
        c.move_to(*path[0])
        c.curve_to(*path[1], *path[2], *path[3])
        stroke(c, 34, 0.150, 0.135, 0.215, 1)
        c.move_to(*path[0])
        c.curve_to(*path[1], *path[2], *path[3])
        stroke(c, 26, 0.170, 0.150, 0.235, 1)
    for x, y in ((1087, 560), (1112, 632)):
        c.arc(x, y, 13, 0, 6.3)
        fill(c, 0.52, 0.34, 0.25, 1)
    # Head with scarf under a wide straw hat.
    c.arc(948, 574, 27, 0, 6.3)
    fill(c, 0.46, 0.30, 0.235, 1)
    c.move_to(916, 594)
    c.curve_to(930, 616, 968, 616, 984, 592)
    c.curve_to(980, 612, 972, 622, 948, 624)
    c.curve_to(926, 622, 918, 610, 916, 594)
    fill(c, 0.33, 0.15, 0.12, 1)
    c.move_to(872, 566)
    c.curve_to(906, 550, 926, 520, 950, 506)
    c.curve_to(974, 520, 994, 548, 1030, 564)
    c.curve_to(984, 582, 916, 582, 872, 566)
    c.close_path()
    fill(c, 0.43, 0.325, 0.20, 1)
    for k in range(15):
        t = k / 14
        c.move_to(950, 508)
        c.curve_to(930 + 40 * t, 530, 900 + 100 * t, 552, 878 + 146 * t, 566 + 9 * math.sin(math.pi * t))
        stroke(c, 1.3, 0.25, 0.18, 0.11, 0.8)
    c.move_to(872, 566)
    c.curve_to(916, 582, 984, 582, 1030, 564)
    stroke(c, 3.5, 0.30, 0.215, 0.13, 1)


BOW_LAMP = (1312, 640)


def boatman():
    sheet = Sheet("boatman", (560, 440, 1440, 1080), 2.2)
    c, rng = sheet.c, random.Random(5)
    man(c, rng)
    boat(c, rng)
    c.move_to(1330, 780)  # the bow's rod with its lantern
    c.curve_to(1372, 690, 1378, 590, 1312, 592)
    stroke(c, 5, 0.11, 0.08, 0.09, 1)
    rgb, alpha = sheet.pixels()
    lamp = [(BOW_LAMP[0], BOW_LAMP[1], 1.5), (730, 700, 0.35), (960, 300, 0.35)]
    rgb = relief(rgb, alpha, sheet, lamp, 1.1, 1.25, 4.5, 210, 0.5)
    rgb = brushed(rgb, alpha, 91, (7, 3.4, 1.8), 0.06, 0.028)
    alpha = ragged(alpha, 92, 2.0)

    # Its picture in the water: upside down from the waterline, drawn out and broken by ripples.
    y, x = sheet.places()
    waterline = 926.0
    source_y = waterline - (y - waterline) / 0.62
    shake = (np.sin(y * 0.55 + x * 0.012) * 3.5 + np.sin(y * 0.23 - x * 0.02) * 6) * np.clip((y - waterline) / 60, 0, 1)
    at = [(source_y - sheet.box[1]) * sheet.scale, (x + shake - sheet.box[0]) * sheet.scale]
    mirror = np.dstack([ndimage.map_coordinates(rgb[..., k], at, order=1, mode="nearest") for k in range(3)])
    mirror_alpha = ndimage.map_coordinates(alpha, at, order=1, mode="constant")
    mirror_alpha = ndimage.gaussian_filter(mirror_alpha, (0.6, 5))
    bands = 0.55 + 0.45 * np.sin(y * 0.62 + 2.4 * noise(*y.shape, 60, 93, 2, 4) * 6)
    fade = np.where(y > waterline, np.exp(-(y - waterline) / 95), 0)
    mirror_alpha = mirror_alpha * fade * np.clip(bands, 0.15, 1) * 0.85
    rgb, alpha = over(rgb, alpha, mirror * 0.55 + np.array([0.05, 0.045, 0.09]) * 0.45, mirror_alpha)

    light = Sheet("lamp", sheet.box, sheet.scale)
    glow(light.c, *BOW_LAMP, 128, (1.0, 0.62, 0.26), 0.75)
    paper_lantern(light.c, *BOW_LAMP, 34, 44, "amber")
    broken = Sheet("gleam", sheet.box, sheet.scale)
    for _ in range(150):  # its light on the water, broken by ripples
        yy = 938 + 135 * rng.random() ** 1.4
        far = (yy - 938) / 135
        cx = 1304 + rng.gauss(0, 6 + 26 * far)
        w = rng.uniform(3, 17) * (0.6 + 0.6 * far)
        broken.c.move_to(cx - w, yy)
        broken.c.curve_to(cx - w / 3, yy - 1.6, cx + w / 3, yy + 1.6, cx + w, yy)
        stroke(broken.c, rng.uniform(1.2, 2.6), 1.0, 0.70, 0.34, 0.5 * (1 - far) ** 1.3)
    gleam_rgb, gleam_alpha = broken.pixels()
    rgb, alpha = over(np.ones_like(rgb) * np.array([1.0, 0.72, 0.38]), ndimage.gaussian_filter(gleam_alpha, 1.3) * 0.9, rgb, alpha)
    lamp_rgb, lamp_alpha = light.pixels()
    rgb, alpha = over(lamp_rgb, lamp_alpha, rgb, alpha)
    # Nothing may end in a straight cut at the sheet's edge.
    inset = np.minimum.reduce([x - sheet.box[0], sheet.box[2] - x, y - sheet.box[1], sheet.box[3] - y])
    save("boatman", grained(rgb, 94, 0.045), alpha * np.clip(inset / 30, 0, 1), 90)


def strung(name, box, scale, rope, lanterns, seed, size_of_glow):
    """Lanterns on ropes; rope: list of (x0, y0, x1, y1, sag)."""
    sheet = Sheet(name, box, scale)
    c, rng = sheet.c, random.Random(seed)
    for x0, y0, x1, y1, sag in rope:
        points = []
        for k in range(80):
            t = k / 79
            points.append((x0 + (x1 - x0) * t, y0 + (y1 - y0) * t + sag * 4 * t * (1 - t)))
        for width, tone in ((4.2, (0.10, 0.08, 0.10)), (1.4, (0.36, 0.26, 0.19))):
            c.move_to(*points[0])
            for p in points[1:]:
                c.line_to(p[0], p[1] - (0 if width > 2 else 0.8))
            stroke(c, width, *tone, 1)
        for k in range(0, 79, 2):  # the twist of the rope
            x, y = points[k]
            c.move_to(x - 1.5, y + 1.8)
            c.line_to(x + 1.5, y - 1.8)
            stroke(c, 0.9, 0.24, 0.18, 0.15, 0.9)
    for x, y, rx, ry, hue in lanterns:
        above = []  # each hangs from the nearest rope over it
        for x0, y0, x1, y1, sag in rope:
            t = (x - x0) / (x1 - x0)
            if 0 <= t <= 1:
                above.append(y0 + (y1 - y0) * t + sag * 4 * t * (1 - t))
        c.move_to(x, max((r for r in above if r < y), default=y - ry * 1.55))
        c.line_to(x, y - ry)
        stroke(c, 2.4, 0.11, 0.08, 0.08, 1)
        paper_lantern(c, x, y, rx, ry, hue)
    rgb, alpha = sheet.pixels()
    rgb = brushed(rgb, alpha, seed + 1, (5, 2.6, 1.5), 0.045, 0.03)
    light = Sheet("light", box, scale)
    for x, y, rx, ry, hue in lanterns:
        tone = {"amber": (1.0, 0.60, 0.24), "rose": (1.0, 0.46, 0.26), "straw": (1.0, 0.70, 0.34)}[hue]
        glow(light.c, x, y, ry * size_of_glow, tone, 0.62)
    glow_rgb, glow_alpha = light.pixels()
    rgb, alpha = over(rgb, alpha, glow_rgb, glow_alpha)
    y, x = sheet.places()
    inset = np.minimum.reduce([x - box[0] + 1e3, box[2] - x + 1e3, y - box[1], box[3] - y])
    save(name, grained(rgb, seed + 2, 0.035), alpha * np.clip(inset / 24, 0, 1), 90)


STRING = [(-60, 96, 72, 92, "amber"), (196, 176, 64, 84, "rose"), (470, 230, 60, 66, "straw"), (1450, 236, 62, 70, "amber"),
          (1716, 172, 66, 88, "straw"), (1975, 92, 74, 92, "rose")]


def lantern_string():
    # The rope hangs from beyond both sides of the picture; the middle is left free for the title.
    strung("lantern-string", (-330, -190, 2250, 470), 1.5, [(-330, -160, 960, 60, 92), (960, 60, 2250, -160, 92)],
           [(x, y + 14, rx, ry, hue) for x, y, rx, ry, hue in STRING], 101, 2.9)


def far_lanterns():
    rng = random.Random(9)
    rope = [(380, 470, 1540, 505, 84), (430, 566, 1500, 590, 62)]
    hung = []
    for x0, y0, x1, y1, sag in rope:
        for k in range(9):
            t = (k + 0.7 + rng.uniform(-0.12, 0.12)) / 9.4
            r = rng.uniform(13, 18)
            ry = r * rng.uniform(1.0, 1.35)
            hung.append((x0 + (x1 - x0) * t, y0 + (y1 - y0) * t + sag * 4 * t * (1 - t) + ry * 1.5, r, ry, rng.choice(["amber", "amber", "straw", "rose"])))
    strung("far-lanterns", (360, 420, 1560, 770), 2.0, rope, hung, 111, 3.3)


def reeds(name, box, side, seed):
    sheet = Sheet(name, box, 1.5)
    c, rng = sheet.c, random.Random(seed)
    x0, y0, x1, y1 = box
    foot = y1 + 10
    for layer in range(3):
        for _ in range(70):
            t = rng.random() ** 1.5
            x = x0 + 40 + t * (x1 - x0 - 120) if side < 0 else x1 - 40 - t * (x1 - x0 - 120)
            h = (y1 - y0) * rng.uniform(0.35, 0.92) * (1 - 0.62 * t)
            bend = rng.uniform(-70, 110) * -side * 0.8
            w = rng.uniform(5, 13)
            k = 0.6 + 0.28 * layer
            tone = (0.040 * k, 0.075 * k, 0.085 * k)
            c.move_to(x - w / 2, foot)
            c.curve_to(x - w / 2, foot - h * 0.5, x + bend * 0.3, foot - h * 0.8, x + bend, foot - h)
            c.curve_to(x + bend * 0.35 + w * 0.5, foot - h * 0.78, x + w / 2, foot - h * 0.45, x + w / 2, foot)
            c.close_path()
            fill(c, *tone, 1)
            c.move_to(x, foot)
            c.curve_to(x, foot - h * 0.5, x + bend * 0.32, foot - h * 0.78, x + bend * 0.9, foot - h * 0.95)
            stroke(c, 1.0, *(v * 1.9 for v in tone), 0.7)
            if rng.random() < 0.14:
                sx, sy = x + bend, foot - h
                c.move_to(sx, sy)
                c.line_to(sx + bend * 0.03, sy - 26)
                stroke(c, 2.4, *tone, 1)
                c.move_to(sx, sy)
                c.line_to(sx + bend * 0.08, sy + 62)
                stroke(c, 17, 0.125, 0.070, 0.050, 1)
    rgb, alpha = sheet.pixels()
    lamp = [(960 + 250 * side, 500, 1.0), (1312, 640, 0.8), (960 + side * 700, 240, 0.9)]
    rgb = relief(rgb, alpha, sheet, lamp, 1.5, 0.85, 2.6, 520, 0.12)
    rgb = brushed(rgb, alpha, seed + 1, (6, 3, 1.8), 0.07)
    # Very close things are soft.
    alpha = ndimage.gaussian_filter(ragged(alpha, seed + 2, 2.0), 1.1)
    save(name, grained(rgb, seed + 3, 0.05), alpha, 86)


def reeds_left():
    reeds("reeds-left", (-420, 470, 470, 1230), -1, 121)


def reeds_right():
    reeds("reeds-right", (1430, 440, 2360, 1240), 1, 131)
