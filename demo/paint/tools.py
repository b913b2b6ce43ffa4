"""Paper, brushes and light for the demo's layers.

Places are pixels of the flat picture, 1920 x 1080, x right, y down; a Sheet covers a box of it (which may
reach beyond) at some scale. Colours are sRGB 0..1 while painting.
"""
import math
import os

import cairo
import numpy as np
from PIL import Image
from scipy import ndimage

ART = os.path.join(os.path.dirname(os.path.abspath(__file__)), "..", "art")

# One light logic for all layers: a cool moon high on the right, warm lanterns below it.
MOON = (1310.0, 210.0)
MOONLIGHT = np.array([0.55, 0.66, 0.95])
LAMPLIGHT = np.array([1.00, 0.62, 0.26])
AIR = np.array([0.36, 0.31, 0.47])  # what distance pales to


def noise(height, width, cell, seed, octaves=4, stretch=1.0):
    """Smooth noise 0..1; cell: size of its largest features in px, stretched across."""
    rng = np.random.default_rng(seed)
    total, weight, amount = np.zeros((height, width)), 0.0, 1.0
    for _ in range(octaves):
        h = max(2, int(height / cell) + 2)
        w = max(2, int(width / (cell * stretch)) + 2)
        grid = ndimage.zoom(rng.random((h + 2, w + 2)), ((height + 4) / h, (width + 4) / w), order=3)
        total += amount * grid[:height, :width]
        weight += amount
        amount *= 0.5
        cell = max(1.5, cell / 2)
    return np.clip(total / weight, 0, 1)


class Sheet:
    """A layer being painted, with a cairo context in picture coordinates."""

    def __init__(self, name, box, scale):
        self.name, self.box, self.scale = name, box, scale
        x0, y0, x1, y1 = box
        self.width, self.height = round((x1 - x0) * scale), round((y1 - y0) * scale)
        self.surface = cairo.ImageSurface(cairo.FORMAT_ARGB32, self.width, self.height)
        self.c = cairo.Context(self.surface)
        self.c.scale(scale, scale)
        self.c.translate(-x0, -y0)
        self.c.set_line_cap(cairo.LINE_CAP_ROUND)
        self.c.set_line_join(cairo.LINE_JOIN_ROUND)

    def places(self):
        """Picture coordinates of all its pixels: y, x."""
        y, x = np.mgrid[0:self.height, 0:self.width].astype(np.float32)
        return (y + 0.5) / self.scale + self.box[1], (x + 0.5) / self.scale + self.box[0]

    def pixels(self):
        """Straight RGB and alpha, 0..1."""
        self.surface.flush()
        raw = np.ndarray((self.height, self.width, 4), np.uint8, self.surface.get_data(), strides=(self.surface.get_stride(), 4, 1))
        raw = raw.astype(np.float32) / 255
        alpha = raw[..., 3]
        rgb = raw[..., 2::-1] / np.maximum(alpha, 1e-3)[..., None]
        return np.clip(rgb, 0, 1), alpha.copy()


def fill(c, *rgba):
    c.set_source_rgba(*rgba)
    c.fill()


def stroke(c, width, *rgba):
    c.set_line_width(width)
    c.set_source_rgba(*rgba)
    c.stroke()


def polygon(c, points):
    c.move_to(*points[0])
    for p in points[1:]:
        c.line_to(*p)
    c.close_path()


def glow(c, x, y, radius, rgb, strength):
    g = cairo.RadialGradient(x, y, 0, x, y, radius)
    # Falls off like a lamp in haze and ends without an edge.
    for i in range(33):
        t = i / 32
        g.add_color_stop_rgba(t, *rgb, strength * math.exp(-4.2 * t) * (1 - t * t) ** 2)
    c.set_source(g)
    c.arc(x, y, radius, 0, 2 * math.pi)
    c.fill()


def bleed(rgb, alpha):
    """Colours continued beyond the layer's edge, so that brushes there find paint."""
    _, (iy, ix) = ndimage.distance_transform_edt(alpha < 0.5, return_indices=True)
    return rgb[iy, ix]


def brushed(rgb, alpha, seed, radii=(10, 5, 2.5), restless=0.035, threshold=0.035):
    """The picture painted over with strokes that follow its forms, coarse to fine."""
    rng = np.random.default_rng(seed)
    height, width = alpha.shape
    want = bleed(rgb, alpha) if alpha.min() < 0.5 else rgb
    surface = cairo.ImageSurface(cairo.FORMAT_RGB24, width, height)
    raw = np.ndarray((height, width, 4), np.uint8, surface.get_data(), strides=(surface.get_stride(), 4, 1))
    first = ndimage.gaussian_filter(want, (radii[0], radii[0], 0))
    raw[..., :3] = (first[..., ::-1] * 255).astype(np.uint8)
    surface.mark_dirty()
    c = cairo.Context(surface)
    c.set_line_cap(cairo.LINE_CAP_ROUND)
    wander = noise(height, width, 160, seed + 1, 2) * 2 * math.pi
    for radius in radii:
        aim = ndimage.gaussian_filter(want, (radius * 0.5, radius * 0.5, 0))
        grey = ndimage.gaussian_filter(aim.mean(2), radius)
        gy, gx = np.gradient(grey)
        angle = np.where(np.hypot(gx, gy) > 0.0015, np.arctan2(gx, -gy), wander)
        surface.flush()
        have = raw[..., 2::-1].astype(np.float32) / 255
        error = np.abs(have - aim).sum(2)
        step = radius * 1.1
        ys, xs = np.mgrid[0:height:step, 0:width:step]
        ys = np.clip(ys + rng.normal(0, step * 0.4, ys.shape), 0, height - 1).astype(int).ravel()
        xs = np.clip(xs + rng.normal(0, step * 0.4, xs.shape), 0, width - 1).astype(int).ravel()
        near = ndimage.maximum_filter(alpha, size=int(4 * radius) | 1)
        keep = (near[ys, xs] > 0.02) & ((error[ys, xs] > threshold) | (rng.random(ys.size) < 0.35))
        ys, xs = ys[keep], xs[keep]
        order = rng.permutation(ys.size)
        lengths = radius * rng.uniform(1.5, 4.5, ys.size)
        tones = rng.normal(0, restless, (ys.size, 1)) + rng.normal(0, restless * 0.4, (ys.size, 3))
        for i in order:
            y, x = ys[i], xs[i]
            a = angle[y, x]
            dx, dy = math.cos(a) * lengths[i] / 2, math.sin(a) * lengths[i] / 2
            bend = (wander[y, x] - math.pi) * 0.12
            r, g, b = np.clip(aim[y, x] * (1 + tones[i]), 0, 1)
            c.set_source_rgba(r, g, b, 0.8)
            c.set_line_width(radius * (0.6 + 0.5 * (i % 7) / 7))
            c.move_to(x - dx, y - dy)
            c.curve_to(x - dx / 3 - dy * bend, y - dy / 3 + dx * bend, x + dx / 3 - dy * bend, y + dy / 3 + dx * bend, x + dx, y + dy)
            c.stroke()
    surface.flush()
    return raw[..., 2::-1].astype(np.float32) / 255


def relief(rgb, alpha, sheet, lamps, moon=0.5, lamp=0.8, edge=5.0, reach=170.0, spill=0.35):
    """Light on a layer: its edge and its texture as a relief, lit by the moon and by lamps (x, y, strength)."""
    y, x = sheet.places()
    s = sheet.scale
    height = ndimage.gaussian_filter(alpha, edge * s) * 3 + ndimage.gaussian_filter(rgb.mean(2) * alpha, 1.2 * s) * 0.5
    gy, gx = np.gradient(height)
    length = np.hypot(gx, gy) + 1e-6
    slope = np.clip(length * s * 9, 0, 1)
    nx, ny = -gx / length, -gy / length
    rim = ndimage.gaussian_filter(alpha, edge * 0.8 * s)
    rim = np.clip((1 - rim) * 2, 0, 1) * alpha

    def facing(px, py):
        dx, dy = px - x, py - y
        d = np.hypot(dx, dy) + 1e-3
        return np.clip(nx * dx / d + ny * dy / d, 0, 1), d

    towards, _ = facing(*MOON)
    light = (moon * towards * slope * (0.25 + rim))[..., None] * MOONLIGHT
    for px, py, strength in lamps:
        towards, d = facing(px, py)
        fall = strength / (1 + (d / reach) ** 2) ** 1.5
        light += (lamp * fall * (towards * slope * (0.4 + rim) + spill * fall))[..., None] * LAMPLIGHT
    return np.clip(rgb + light * (0.35 + rgb) * 0.9, 0, 1)


def airy(rgb, amount):
    return rgb * (1 - amount) + AIR * amount


def ragged(alpha, seed, amount):
    """The edge moved in and out a little, as a loaded brush leaves it."""
    h, w = alpha.shape
    dy = (noise(h, w, 9, seed, 2) - 0.5) * 2 * amount
    dx = (noise(h, w, 9, seed + 1, 2) - 0.5) * 2 * amount
    y, x = np.mgrid[0:h, 0:w]
    return np.clip(ndimage.map_coordinates(alpha, [y + dy, x + dx], order=1, mode="nearest"), 0, 1)


def grained(rgb, seed, amount=0.035):
    """Tooth of the paper: fine grain and a slow unevenness."""
    h, w = rgb.shape[:2]
    rng = np.random.default_rng(seed)
    tooth = ndimage.gaussian_filter(rng.normal(0, 1, (h, w)), 0.8)
    tooth /= tooth.std()
    slow = noise(h, w, 220, seed + 3, 3) - 0.5
    return np.clip(rgb * (1 + amount * tooth + amount * 2 * slow)[..., None], 0, 1)


def save(name, rgb, alpha=None, quality=90):
    """JPEG where a layer is opaque, WebP where it has alpha. Gives the straight RGBA back."""
    os.makedirs(ART, exist_ok=True)
    if alpha is None:
        image = Image.fromarray((np.clip(rgb, 0, 1) * 255 + 0.5).astype(np.uint8), "RGB")
        image.save(os.path.join(ART, name + ".jpg"), quality=quality, subsampling=0)
        return
    rgb = np.where(alpha[..., None] > 0.004, rgb, bleed(rgb, np.where(alpha > 0.004, 1, 0)))
    rgba = np.dstack([np.clip(rgb, 0, 1), np.clip(alpha, 0, 1)])
    image = Image.fromarray((rgba * 255 + 0.5).astype(np.uint8), "RGBA")
    image.save(os.path.join(ART, name + ".webp"), quality=quality, alpha_quality=100, method=5, exact=True)
