"""Textures of the demo scene, made from numbers; the same bytes every time."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

Array = NDArray[np.float32]
SIZE = 512


def noise(size: int, cells: int, octaves: int, seed: int) -> Array:
    """Tiling value noise in 0 to 1, size × size."""
    rng = np.random.default_rng(seed)
    total = np.zeros((size, size), np.float32)
    weight = 0.0
    for octave in range(octaves):
        count = cells * 2**octave
        if count > size:
            break
        grid = rng.random((count, count), dtype=np.float32)
        place = np.arange(size, dtype=np.float32) * count / size
        low = place.astype(int) % count
        high = (low + 1) % count
        part = place - np.floor(place)
        ease = part * part * (3 - 2 * part)
        rows = grid[low] * (1 - ease)[:, None] + grid[high] * ease[:, None]
        layer = rows[:, low] * (1 - ease)[None, :] + rows[:, high] * ease[None, :]
        total += layer / 2**octave
        weight += 1 / 2**octave
    return (total / weight).astype(np.float32)


def normals(height: Array, strength: float, green_down: bool) -> Array:
    """A tangent-space normal map of a tiling height."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * strength
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * strength  # rows go down, v goes up
    up = 1.0 if not green_down else -1.0
    n = np.stack([-dx, up * dy, np.ones_like(dx)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return (n * 0.5 + 0.5).astype(np.float32)


def save(folder: Path, name: str, pixels: Array, kind: str = "uint8") -> None:
    """Write a picture; channels from its shape."""
    data = np.ascontiguousarray(pixels if pixels.ndim == 3 else pixels[..., None], dtype=np.float32)
    height, width, channels = data.shape
    spec = oiio.ImageSpec(width, height, channels, kind)
    if name.endswith(".png"):
        spec.attribute("png:compressionLevel", 9)
    spec.attribute("DateTime", "2026:11:01 18:40:00")  # or the writer would put the hour of writing in
    out = oiio.ImageOutput.create(str(folder / name))
    if not out.open(str(folder / name), spec) or not out.write_image(data):
        raise RuntimeError(f"{name}: {out.geterror()}")
    out.close()


def blend(a: tuple[float, ...], b: tuple[float, ...], amount: Array) -> Array:
    """Two display colours mixed by a map."""
    low, high = np.array(a, np.float32), np.array(b, np.float32)
    return (low + (high - low) * np.clip(amount, 0, 1)[..., None]).astype(np.float32)


def make(folder: Path) -> None:
    """Write every texture of the lamp room."""
    folder.mkdir(parents=True, exist_ok=True)
    n = SIZE
    u, v = np.meshgrid(np.arange(n) / n, np.arange(n) / n)
    slate = noise(n, 6, 5, 1)
    seams = np.minimum(np.abs((u * 4) % 1 - 0.5), np.abs((v * 4) % 1 - 0.5))
    joints = np.clip((0.5 - seams - 0.47) * 40, 0, 1).astype(np.float32)
    save(
        folder,
        "slate_colour.png",
        blend((0.20, 0.22, 0.24), (0.34, 0.36, 0.37), slate) * (1 - 0.6 * joints[..., None]),
    )
    save(folder, "slate_polish.png", np.clip(0.35 + 0.6 * noise(n, 3, 3, 2) - 0.4 * joints, 0, 1))
    save(folder, "slate_normal.png", normals(slate - 0.6 * joints, 3.0, green_down=True))
    brushed = noise(n, 2, 2, 3) * 0.2 + np.repeat(noise(n, 128, 1, 4)[:, :1], n, 1) * 0.8
    save(folder, "brass_polish.png", np.clip(0.55 + 0.3 * brushed, 0, 1).astype(np.float32))
    save(folder, "brass_scratch.png", (brushed > 0.62).astype(np.float32) * noise(n, 64, 2, 5))
    plaster = noise(n, 8, 6, 6)
    save(folder, "plaster_colour.png", blend((0.62, 0.59, 0.53), (0.80, 0.78, 0.72), plaster))
    save(folder, "plaster_height.png", plaster)
    rust = noise(n, 5, 5, 7)
    save(folder, "rail_chips.png", (rust > 0.63).astype(np.float32))
    save(folder, "rail_colour.png", blend((0.45, 0.07, 0.05), (0.55, 0.10, 0.07), noise(n, 4, 3, 8)))
    grain = np.abs((u * 9 + noise(n, 3, 4, 9) * 1.7) % 1 - 0.5) * 2
    save(folder, "oak_colour.png", blend((0.30, 0.19, 0.10), (0.46, 0.31, 0.18), grain.astype(np.float32)))
    save(folder, "oak_normal.png", normals(grain.astype(np.float32), 1.2, green_down=True))
    weave = (np.sin(u * 2 * np.pi * 40) * np.sin(v * 2 * np.pi * 40) * 0.5 + 0.5).astype(np.float32)
    save(folder, "cloth_weave.png", weave)
    save(folder, "chart_colour.png", _chart(u, v))
    save(folder, "dial_face.png", _dial(u, v))
    twist = (np.sin((u * 6 + v * 18) * 2 * np.pi) * 0.5 + 0.5).astype(np.float32)
    save(folder, "rope_height.png", twist)
    save(
        folder,
        "copper_patina.png",
        blend((0.72, 0.36, 0.22), (0.35, 0.52, 0.42), np.clip(noise(n, 4, 5, 10) * 2.4 - 1.3, 0, 1)),
    )
    save(folder, "dusk_sky.exr", _sky(512, 256), "half")


def _chart(u: Array, v: Array) -> Array:
    paper = blend((0.87, 0.82, 0.70), (0.93, 0.89, 0.79), noise(SIZE, 5, 4, 11))
    land = noise(SIZE, 3, 5, 12)
    coast = np.clip(1 - np.abs(land - 0.55) * 60, 0, 1)
    lines = np.clip(1 - np.minimum(np.abs((u * 8) % 1 - 0.5), np.abs((v * 8) % 1 - 0.5)) * 60, 0, 1) * 0.25
    ink = np.array([0.16, 0.22, 0.30], np.float32)
    amount = np.clip(coast + lines, 0, 1)[..., None].astype(np.float32)
    wash = np.clip((land - 0.55) * 3, 0, 0.3)[..., None].astype(np.float32)
    out = paper * (1 - wash) + np.array([0.72, 0.66, 0.42], np.float32) * wash
    return (out * (1 - amount) + ink * amount).astype(np.float32)


def _dial(u: Array, v: Array) -> Array:
    x, y = u - 0.5, v - 0.5
    radius, angle = np.hypot(x, y), np.arctan2(y, x)
    ticks = (np.abs((angle * 30 / np.pi) % 1 - 0.5) > 0.42) & (radius > 0.38) & (radius < 0.45)
    long = (np.abs((angle * 6 / np.pi) % 1 - 0.5) > 0.46) & (radius > 0.33) & (radius < 0.45)
    white = np.full((SIZE, SIZE, 3), 0.92, np.float32)
    white[ticks | long] = (0.06, 0.07, 0.08)
    white[radius > 0.48] = (0.06, 0.07, 0.08)
    return white


def _sky(width: int, height: int) -> Array:
    azimuth, polar = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    elevation = 0.5 - polar  # 0.5 at the zenith
    glow = np.exp(-((azimuth - 0.62) ** 2) / 0.02) * np.exp(-np.abs(elevation) * 9)
    band = np.exp(-np.clip(elevation, 0, 1) * 8)
    zenith, low, ember = np.array([0.04, 0.08, 0.2]), np.array([0.32, 0.3, 0.38]), np.array([3.2, 1.25, 0.42])
    sky = zenith + (low - zenith) * band[..., None] + ember * glow[..., None]
    cloud = np.tile(noise(256, 4, 5, 13), (1, 2))[:height, :width]
    sky = sky * (0.75 + 0.5 * cloud[..., None])
    sea = np.array([0.03, 0.04, 0.06]) * (1 + np.clip(glow[::-1] * 6, 0, 6))[..., None]
    return np.where((elevation < 0)[..., None], sea, sky).astype(np.float32)
