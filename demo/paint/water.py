"""The canal: a clip of water that mirrors what stands behind it."""
import os
import subprocess

import numpy as np
from PIL import Image
from scipy import ndimage

from tools import ART, MOON

BOX = (-330, 716, 2250, 1300)
SIZE = (1920, 434)
LINE = 718.0  # where things meet the water
MIRRORED = [("night-sky.jpg", (-300, -180, 2220, 900)), ("hill-town.webp", (-260, 190, 2180, 760)),
            ("mist.webp", (-260, 520, 2180, 800)), ("bridge.webp", (150, 380, 1760, 760)),
            ("far-lanterns.webp", (360, 420, 1560, 770)), ("houses-left.webp", (-330, 0, 500, 1010)),
            ("houses-right.webp", (1440, -20, 2270, 1000)), ("lantern-string.webp", (-330, -190, 2250, 470))]


def scenery():
    """The flat picture above the waterline, in linear light, one picture pixel each."""
    flat = Image.new("RGBA", (2580, 920), (10, 10, 24, 255))
    for name, (x0, y0, x1, y1) in MIRRORED:
        layer = Image.open(os.path.join(ART, name)).convert("RGBA").resize((x1 - x0, y1 - y0), Image.LANCZOS)
        at = (x0 + 330, y0 + 200)
        flat.alpha_composite(layer, (max(0, at[0]), max(0, at[1])), (max(0, -at[0]), max(0, -at[1]), layer.width, layer.height))
    rgb = np.asarray(flat.convert("RGB"), np.float32) / 255
    return ndimage.gaussian_filter(rgb ** 2.2, (3.0, 1.2, 0)).astype(np.float32)


def water(frames=144, rate=24):
    above = scenery()
    width, height = SIZE
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    y = BOX[1] + (y + 0.5) / height * (BOX[3] - BOX[1])
    x = BOX[0] + (x + 0.5) / width * (BOX[2] - BOX[0])
    below = y - LINE
    depth = 620.0 / (below + 26.0)  # farther away towards the waterline
    wx, wz = (x - 960) * depth / 620.0, depth * 1.5
    rng = np.random.default_rng(4)
    waves = []
    for k in np.geomspace(1.1, 17, 16):
        heading = rng.normal(0, 0.75)
        waves.append((k * np.sin(heading), k * np.cos(heading), 1.3 * np.sqrt(k), rng.uniform(0, 6.28), 0.9 / k ** 0.55))
    encoder = subprocess.Popen(
        ["ffmpeg", "-y", "-v", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{width}x{height}", "-r", str(rate), "-i", "-",
         "-c:v", "libx264", "-preset", "slow", "-crf", "23", "-g", "24", "-pix_fmt", "yuv420p",
         "-vf", "scale=out_color_matrix=bt709:out_range=tv", "-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "bt709",
         "-movflags", "+faststart", os.path.join(ART, "water.mp4")], stdin=subprocess.PIPE)
    deep = np.array([0.010, 0.012, 0.034])
    paper = ndimage.gaussian_filter(rng.normal(0, 1, (height, width)), 1.0)
    paper = 1 + 0.05 * paper / paper.std()
    calm = np.clip(below / 30, 0.12, 1)
    for frame in range(frames):
        t = frame / rate
        across, along = np.zeros_like(x), np.zeros_like(x)
        for kx, kz, speed, phase, amount in waves:
            fade = np.clip(2.2 - depth * (kx * kx + kz * kz) ** 0.5 * 0.055, 0, 1)  # ripples too fine for the distance
            wave = amount * fade * np.cos(kx * wx * 6 + kz * wz - speed * t * 1.5 + phase)
            across += wave * 0.6
            along += wave
        source_y = LINE - below * 1.18 - along * calm * (5 + below * 0.085) * 1.6
        source_x = x + across * calm * (3 + below * 0.02) * 1.4
        at = [np.clip(source_y + 200, 0, 919), np.clip(source_x + 330, 0, 2579)]
        mirror = np.dstack([ndimage.map_coordinates(above[..., k], at, order=1, mode="nearest") for k in range(3)])
        share = (0.80 - 0.34 * np.clip(below / 480, 0, 1) + 0.10 * np.clip(along, -1, 1))[..., None]
        rgb = mirror * np.clip(share, 0, 1) + deep * (1 - share)
        # Facets that catch the moon, under it; and the crests' own light.
        facet = np.clip(along * 0.9 - 0.72, 0, 1)
        lane = np.exp(-((x - MOON[0] + 30) / (60 + below * 0.30)) ** 2)
        rgb += (facet * lane * 0.55 + facet * 0.02)[..., None] * np.array([0.72, 0.80, 1.0])
        near = np.clip((below - 380) / 220, 0, 1)[..., None]
        rgb = rgb * (1 - 0.45 * near)
        out = np.clip(rgb, 0, 1) ** (1 / 2.2) * paper[..., None]
        image = (np.clip(out, 0, 1) * 255 + 0.5).astype(np.uint8)
        encoder.stdin.write(image.tobytes())
    encoder.stdin.close()
    if encoder.wait():
        raise SystemExit("the clip could not be written")
