"""What lies behind: night sky, hill town, bridge, mist."""
import math
import random

import cairo
import numpy as np
from scipy import ndimage

from tools import *


def sky():
    sheet = Sheet("sky", (-300, -180, 2220, 900), 1.2)
    y, x = sheet.places()
    t = np.clip((y + 180) / 900, 0, 1)[..., None]
    stops = [(0.0, (0.030, 0.045, 0.135)), (0.3, (0.075, 0.090, 0.235)), (0.6, (0.185, 0.150, 0.330)),
             (0.8, (0.390, 0.240, 0.370)), (1.0, (0.660, 0.400, 0.350))]
    rgb = np.zeros((*y.shape, 3))
    for (a, ca), (b, cb) in zip(stops, stops[1:]):
        f = np.clip((t - a) / (b - a), 0, 1)
        f = f * f * (3 - 2 * f)
        rgb = np.where(t >= a, np.array(ca) * (1 - f) + np.array(cb) * f, rgb)
    d = np.hypot(x - MOON[0], y - MOON[1])
    rgb += (0.34 * np.exp(-d / 120) + 0.16 * np.exp(-d / 420))[..., None] * np.array([0.75, 0.80, 1.0])

    # Clouds: long banks, lit from the moon's side, warm from below.
    h, w = y.shape
    bank = noise(h, w, 150, 5, 5, 3.6)
    bank = np.clip((bank - 0.47 - 0.10 * np.exp(-((y - 470) / 160) ** 2)) * 4.2 + 0.4 * np.exp(-((y - 480) / 190) ** 2), 0, 1)
    upper = np.roll(bank, 9, 0)
    upper = np.roll(upper, -10, 1)
    lit = np.clip(bank - upper, 0, 1) * np.exp(-d / 620)
    under = np.clip(bank - np.roll(bank, -12, 0), 0, 1) * np.clip((y - 200) / 420, 0, 1)
    dark = np.array([0.110, 0.105, 0.225]) * (1 - 0.5 * t) + np.array([0.42, 0.25, 0.33]) * 0.6 * t
    rgb = rgb * (1 - 0.62 * bank[..., None]) + dark * (0.62 * bank[..., None])
    rgb += lit[..., None] * np.array([0.62, 0.68, 0.88]) * 1.3 + under[..., None] * np.array([0.55, 0.30, 0.22]) * 0.55

    rng = random.Random(3)
    stars = np.zeros((h, w))
    for _ in range(520):
        sx, sy = rng.uniform(0, w - 1), h * rng.random() ** 1.6 * 0.72
        stars[int(sy), int(sx)] += rng.random() ** 4 * 5.5 + 0.5
    stars = ndimage.gaussian_filter(stars, 0.9) * 2.6 + ndimage.gaussian_filter(stars, 3.2) * 2.4
    rgb += (stars * (1 - bank) * (1 - np.exp(-d / 260)))[..., None] * np.array([0.85, 0.9, 1.0])
    rgb = brushed(np.clip(rgb, 0, 1), np.ones((h, w)), 11, (16, 8, 4), 0.022, 0.03)

    # The moon over the brushwork: a disc with its seas, a soft burst of light around it.
    face = np.clip((66 - d) * 0.9 + 0.5, 0, 1)
    seas = noise(h, w, 46, 8, 3)
    tone = 1.0 - 0.30 * np.clip((seas - 0.46) * 4, 0, 1) - 0.10 * (d / 66) ** 2
    moon = np.clip(tone[..., None] * np.array([1.0, 0.975, 0.90]), 0, 1)
    rgb = rgb * (1 - face[..., None]) + moon * face[..., None]
    rgb += (0.30 * np.exp(-np.clip(d - 60, 0, None) / 34) * (1 - face))[..., None] * np.array([0.95, 0.93, 0.92])
    twinkle = ndimage.gaussian_filter(np.where(stars > np.quantile(stars, 0.9985), stars, 0), 0.6)
    rgb += (twinkle * 0.35 * (1 - bank) * (1 - face))[..., None]
    save("night-sky", grained(np.clip(rgb, 0, 1), 21, 0.028), quality=86)


def house(c, rng, x, base, w, h, wall, roof, lit, windows=True):
    """A small house seen from afar."""
    c.rectangle(x, base - h, w, h + 10)
    fill(c, *wall, 1)
    c.rectangle(x + w * 0.66, base - h, w * 0.34, h + 10)
    fill(c, *(v * 0.78 for v in wall), 1)
    pitch = h * rng.uniform(0.35, 0.75)
    lean = rng.uniform(0.3, 0.7)
    polygon(c, [(x - 2, base - h), (x + w * lean, base - h - pitch), (x + w + 2, base - h)])
    fill(c, *roof, 1)
    for i in range(3):
        yy = base - h - pitch * (i + 0.6) / 4
        k = (base - h - yy) / pitch
        c.move_to(x + w * lean * k, yy)
        c.line_to(x + w - w * (1 - lean) * k, yy)
        stroke(c, 0.5, *(v * 0.7 for v in roof), 0.8)
    if rng.random() < 0.5:
        c.rectangle(x + w * rng.uniform(0.2, 0.7), base - h - pitch * 0.9, 3, pitch * 0.6)
        fill(c, *(v * 0.8 for v in roof), 1)
    lights = []
    if windows:
        for row in range(max(1, int(h / 12))):
            for col in range(max(1, int(w / 10))):
                wx, wy = x + 3 + col * 10 + rng.uniform(-1, 1), base - h + 4 + row * 12
                if wx > x + w - 6:
                    continue
                ww, wh = rng.uniform(2.6, 4.0), rng.uniform(3.6, 5.2)
                if rng.random() < lit:
                    warm = rng.uniform(0.75, 1.0)
                    c.rectangle(wx, wy, ww, wh)
                    fill(c, 1.0 * warm, 0.74 * warm, 0.36 * warm, 1)
                    lights.append((wx + ww / 2, wy + wh / 2))
                else:
                    c.rectangle(wx, wy, ww, wh)
                    fill(c, *(v * 0.6 for v in wall), 0.9)
    return lights


def hill_town():
    sheet = Sheet("hill-town", (-260, 190, 2180, 760), 1.3)
    c, rng = sheet.c, random.Random(17)
    lights = []

    def profile(seed, base, swing):
        r = random.Random(seed)
        waves = [(r.uniform(0.0016, 0.009), r.uniform(0, 6.3), swing / (1 + i)) for i in range(5)]
        return lambda x: base - sum(a * (0.5 + 0.5 * math.sin(f * x + p)) for f, p, a in waves)

    for seed, base, swing, tone, count in ((1, 585, 150, (0.235, 0.205, 0.375), 36), (2, 622, 128, (0.180, 0.165, 0.310), 170),
                                           (3, 668, 92, (0.125, 0.122, 0.240), 200)):
        line = profile(seed, base, swing)
        c.move_to(-270, 780)
        for x in range(-270, 2200, 6):
            c.line_to(x, line(x) + rng.uniform(-1.2, 1.2))
        c.line_to(2200, 780)
        c.close_path()
        fill(c, *tone, 1)
        for _ in range(260):  # trees and gardens
            x = rng.uniform(-260, 2180)
            yy = line(x) + rng.uniform(-3, 60)
            c.arc(x, yy, rng.uniform(3, 11), 0, 6.3)
            k = rng.uniform(0.72, 1.05)
            fill(c, tone[0] * k * 0.9, tone[1] * k, tone[2] * k * 0.95, 0.8)
        for row in range(4):
            for _ in range(count // 4):
                x = rng.gauss(960, 620)
                base_y = line(x) + 6 + row * 21 + rng.uniform(-5, 5)
                w, h = rng.uniform(17, 38), rng.uniform(17, 36)
                k = rng.uniform(0.85, 1.3)
                wall = tuple(min(1, v * k) for v in (tone[0] * 1.35, tone[1] * 1.28, tone[2] * 1.1))
                roof = tuple(v * k for v in (tone[0] * 1.05, tone[1] * 0.82, tone[2] * 0.80))
                lights += house(c, rng, x, base_y, w, h, wall, roof, 0.52)
        if seed == 2:  # the tower on the crest and a dome beside it
            for x, w, h in ((590, 26, 120), (1180, 34, 92), (1500, 20, 84)):
                yb = line(x) + 20
                lights += house(c, rng, x, yb, w, h, (0.27, 0.24, 0.40), (0.19, 0.15, 0.28), 0.2)
                polygon(c, [(x - 3, yb - h), (x + w / 2, yb - h - 58), (x + w + 3, yb - h)])
                fill(c, 0.19, 0.16, 0.30, 1)
                c.arc(x + w / 2, yb - h + 12, 4.5, 0, 6.3)
                fill(c, 1, 0.82, 0.5, 1)
                lights.append((x + w / 2, yb - h + 12))
    rgb, alpha = sheet.pixels()
    shine = np.zeros(alpha.shape)
    for lx, ly in lights:
        ix, iy = int((lx - sheet.box[0]) * sheet.scale), int((ly - sheet.box[1]) * sheet.scale)
        if 0 <= ix < sheet.width and 0 <= iy < sheet.height:
            shine[iy, ix] += 1
    rgb = relief(rgb, alpha, sheet, [], 0.5, 0, 4)
    rgb = brushed(rgb, alpha, 31, (6, 3, 1.6), 0.04)
    y, _ = sheet.places()
    low = np.clip((y - 520) / 200, 0, 1)[..., None]
    rgb = rgb * (1 - 0.16) + AIR * 0.16
    rgb = rgb * (1 - 0.32 * low) + np.array([0.46, 0.34, 0.42]) * 0.32 * low
    for sigma, gain in ((1.1, 7), (4, 26), (14, 70)):
        rgb += (ndimage.gaussian_filter(shine, sigma * sheet.scale) * gain * 0.55)[..., None] * LAMPLIGHT * 0.5
    save("hill-town", grained(np.clip(rgb, 0, 1), 22), ragged(alpha, 41, 1.6), 88)
    return lights


def person(c, x, foot, h, tone, rng):
    lean = rng.uniform(-0.05, 0.05) * h
    c.move_to(x - h * 0.13, foot)
    c.curve_to(x - h * 0.2, foot - h * 0.5, x - h * 0.13, foot - h * 0.75, x + lean, foot - h * 0.8)
    c.curve_to(x + h * 0.16, foot - h * 0.74, x + h * 0.18, foot - h * 0.45, x + h * 0.12, foot)
    c.close_path()
    fill(c, *tone, 1)
    c.arc(x + lean, foot - h * 0.88, h * 0.095, 0, 6.3)
    fill(c, *tone, 1)
    if rng.random() < 0.5:
        c.move_to(x + lean - h * 0.17, foot - h * 0.91)
        c.line_to(x + lean, foot - h * 1.03)
        c.line_to(x + lean + h * 0.17, foot - h * 0.91)
        c.close_path()
        fill(c, *tone, 1)


BRIDGE_LAMPS = [(520, 516), (735, 474), (945, 458), (1160, 474), (1372, 516)]


def bridge():
    sheet = Sheet("bridge", (150, 380, 1760, 760), 1.6)
    c, rng = sheet.c, random.Random(23)
    deck = lambda x: 500 + 80 * ((x - 945) / 720) ** 2 * 1.6
    left, right, foot = 160, 1750, 735
    c.move_to(left, foot)
    for x in range(left, right + 1, 8):
        c.line_to(x, deck(x))
    c.line_to(right, foot)
    arches = [(945, 232, 168, 735), (560, 112, 108, 735), (1330, 112, 108, 735), (300, 66, 66, 735), (1600, 66, 66, 735)]
    for x, rx, ry, base in arches:
        c.new_sub_path()
        c.save()
        c.translate(x, base)
        c.scale(rx, ry)
        c.arc_negative(0, 0, 1, 0, math.pi)
        c.restore()
        c.close_path()
    c.set_fill_rule(cairo.FILL_RULE_EVEN_ODD)
    c.set_source_rgb(0.235, 0.195, 0.275)
    c.fill_preserve()
    c.save()
    c.clip()
    for row in range(26):  # courses of stone
        yy = 470 + row * 11
        x = left - rng.uniform(0, 30)
        while x < right:
            w = rng.uniform(16, 40)
            k = rng.uniform(0.68, 1.22)
            sag = deck(x) - 500
            c.rectangle(x, yy + sag * max(0, 1 - row / 20), w - 1.4, 9.6)
            fill(c, 0.25 * k, 0.205 * k, 0.285 * k, 0.9)
            x += w
    c.restore()
    c.set_fill_rule(cairo.FILL_RULE_WINDING)
    for x, rx, ry, base in arches:  # the ring of wedge stones, and the vault's inside caught by light
        stones = max(9, int(rx / 9))
        for i in range(stones):
            a0, a1 = math.pi * (i + 0.05) / stones, math.pi * (i + 0.95) / stones
            k = rng.uniform(0.8, 1.25)
            ring = [(x + math.cos(a) * (rx + o), base - math.sin(a) * (ry + o)) for a, o in ((a0, 1), (a1, 1), (a1, 17), (a0, 17))]
            polygon(c, ring)
            fill(c, 0.31 * k, 0.25 * k, 0.32 * k, 1)
        for i in range(2):
            c.save()
            c.translate(x, base)
            c.scale(rx - 2 - i * 3, ry - 2 - i * 3)
            c.arc(0, 0, 1, math.pi, 2 * math.pi)
            c.restore()
            stroke(c, 2.2, 0.08, 0.07, 0.13, 0.8)
    for x0, x1 in ((left, right),):  # parapet: coping, balusters
        for off, wid, k in ((0, 6, 0.36), (-19, 5, 0.40)):
            for x in range(x0, x1, 10):
                c.move_to(x, deck(x) + off)
                c.line_to(x + 10.5, deck(x + 10) + off)
                stroke(c, wid, k, k * 0.82, k * 1.05, 1)
        for x in range(x0 + 6, x1, 13):
            yy = deck(x)
            c.move_to(x, yy)
            c.curve_to(x - 4, yy - 6, x + 4, yy - 11, x, yy - 18)
            stroke(c, 3.4, 0.27, 0.22, 0.30, 1)
        for x in range(x0 + 40, x1, 118):
            yy = deck(x)
            c.rectangle(x - 6, yy - 26, 12, 28)
            fill(c, 0.30, 0.25, 0.33, 1)
    people = [450, 606, 640, 812, 868, 1010, 1042, 1098, 1260, 1290, 1440]
    for x in people:
        person(c, x + rng.uniform(-8, 8), deck(x) - 2, rng.uniform(44, 54), (0.075, 0.065, 0.12), rng)
    for x in range(left, right, 10):  # the near rail again, before the people
        c.move_to(x, deck(x) - 19)
        c.line_to(x + 10.5, deck(x + 10) - 19)
        stroke(c, 3.6, 0.33, 0.27, 0.35, 1)
    for x, yy in BRIDGE_LAMPS:
        c.move_to(x, deck(x) - 20)
        c.line_to(x, yy)
        stroke(c, 3.4, 0.09, 0.08, 0.14, 1)
    for x in range(230, 1700, 9):  # moss and stains, ivy hanging from the coping
        if rng.random() < 0.5:
            yy = deck(x)
            for _ in range(rng.randint(2, 7)):
                c.arc(x + rng.uniform(-8, 8), yy + rng.uniform(2, 34), rng.uniform(1.2, 3.6), 0, 6.3)
                fill(c, 0.10, 0.15, 0.16, 0.75)
    rgb, alpha = sheet.pixels()
    rgb = relief(rgb, alpha, sheet, [(x, y, 1.0) for x, y in BRIDGE_LAMPS] + [(945, 700, 0.5)], 0.75, 1.15, 4, 74, 0.5)
    rgb = brushed(rgb, alpha, 32, (6, 3, 1.6), 0.05)
    rgb = airy(rgb, 0.20)
    y, _ = sheet.places()
    low = np.clip((y - 600) / 150, 0, 1)[..., None] ** 1.5
    rgb = rgb * (1 - 0.30 * low) + np.array([0.42, 0.30, 0.38]) * 0.30 * low
    painted = Sheet("lamps", sheet.box, sheet.scale)
    for x, yy in BRIDGE_LAMPS:
        glow(painted.c, x, yy, 78, (1.0, 0.62, 0.26), 0.62)
        painted.c.save()
        painted.c.translate(x, yy)
        painted.c.scale(8, 10)
        painted.c.arc(0, 0, 1, 0, 6.3)
        painted.c.restore()
        fill(painted.c, 1.0, 0.86, 0.55, 1)
        painted.c.rectangle(x - 5, yy - 13, 10, 3)
        fill(painted.c, 0.12, 0.09, 0.12, 1)
    lamp_rgb, lamp_alpha = painted.pixels()
    alpha = ragged(alpha, 42, 1.8)
    rgb, alpha = over(lamp_rgb, lamp_alpha, rgb, alpha)
    save("bridge", grained(rgb, 23), alpha, 90)


def over(top, top_alpha, rgb, alpha):
    """One straight picture over another."""
    both = top_alpha + alpha * (1 - top_alpha)
    mixed = top * top_alpha[..., None] + rgb * (alpha * (1 - top_alpha))[..., None]
    return np.clip(mixed / np.maximum(both, 1e-4)[..., None], 0, 1), both


def mist():
    sheet = Sheet("mist", (-260, 520, 2180, 800), 0.8)
    y, x = sheet.places()
    h, w = y.shape
    body = noise(h, w, 90, 61, 4, 3.5)
    band = np.exp(-((y - 668) / 50) ** 2)
    alpha = np.clip(band * (0.25 + 1.15 * body) * 0.62, 0, 0.75)
    edge = np.clip(np.minimum(x + 260, 2180 - x) / 160, 0, 1)
    rgb = np.ones((h, w, 3)) * np.array([0.62, 0.46, 0.52])
    rgb = rgb * (0.9 + 0.25 * noise(h, w, 120, 62, 3, 2))[..., None]
    save("mist", np.clip(rgb, 0, 1), alpha * edge, 85)
