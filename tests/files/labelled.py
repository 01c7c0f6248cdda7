"""Pictures whose truth is known, made from numbers: what the decode audit is measured on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from durvan.files.audit import Verdict

Array = NDArray[np.float32]
SIZE = 256


@dataclass(frozen=True)
class Labelled:
    """A picture and what is true of it; "" where a label does not apply."""

    file: Path
    normal: bool = False
    green: str = ""
    grey: bool = False
    linear: bool = False
    alpha: str = ""
    clipped: bool = False
    light: bool = False
    hard: str = ""


def fractal(rng: np.random.Generator, size: int = SIZE, slope: float = 1.6) -> Array:
    """Tiling noise whose strength falls with frequency, from 0 to 1."""
    f = np.fft.fftfreq(size) * size
    distance = np.hypot(*np.meshgrid(f, f))
    distance[0, 0] = 1.0
    spectrum = np.exp(2j * np.pi * rng.random((size, size))) * distance**-slope
    spectrum[0, 0] = 0.0
    out = np.real(np.fft.ifft2(spectrum))
    return ((out - out.min()) / (out.max() - out.min())).astype(np.float32)


def bricks(rng: np.random.Generator) -> Array:
    """Courses of bricks with rounded edges."""
    rows, columns = int(rng.integers(4, 9)), int(rng.integers(2, 6))
    y, x = np.mgrid[0:SIZE, 0:SIZE] / SIZE
    row = np.floor(y * rows)
    u, v = (x * columns + 0.5 * (row % 2)) % 1, (y * rows) % 1
    edge = np.minimum(np.minimum(u, 1 - u) / columns, np.minimum(v, 1 - v) / rows) * 4
    return (np.clip(edge * 8, 0, 1) * 0.8 + 0.2 * fractal(rng)).astype(np.float32)


def pebbles(rng: np.random.Generator) -> Array:
    """Round bumps of many sizes."""
    out = np.zeros((SIZE, SIZE), np.float32)
    y, x = np.mgrid[0:SIZE, 0:SIZE]
    for _ in range(int(rng.integers(20, 80))):
        cx, cy, radius = rng.integers(0, SIZE), rng.integers(0, SIZE), rng.integers(6, 30)
        dx, dy = (x - cx + SIZE / 2) % SIZE - SIZE / 2, (y - cy + SIZE / 2) % SIZE - SIZE / 2
        out = np.maximum(out, np.sqrt(np.maximum(0, radius**2 - dx**2 - dy**2)) / 30)
    return out


def ridges(rng: np.random.Generator) -> Array:
    """Grooves along one axis: no test of curl can tell the green of these."""
    x = np.arange(SIZE) / SIZE
    line = 0.5 + 0.5 * np.sin(2 * np.pi * int(rng.integers(4, 30)) * x)
    return np.tile(line, (SIZE, 1)).astype(np.float32)


def normals(height: Array, strength: float, up: bool) -> Array:
    """A tangent-space map in 0 to 1 of a tiling height."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * 0.5 * strength
    down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * 0.5 * strength
    n = np.stack([-dx, down if up else -down, np.ones_like(dx)], -1)
    return (n / np.linalg.norm(n, axis=-1, keepdims=True) * 0.5 + 0.5).astype(np.float32)


def encoded(light: Array) -> Array:
    """IEC 61966-2-1."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-8) ** (1 / 2.4) - 0.055).astype(
        np.float32
    )


def decoded(values: Array) -> Array:
    """The way back."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


def colours(rng: np.random.Generator) -> Array:
    """A coloured texture in linear light: reflectances between two or three hues."""
    tones = rng.uniform(0.02, 0.85, (3, 3)).astype(np.float32)
    a, b = fractal(rng), fractal(rng, slope=1.1)
    mixed = tones[0] + (tones[1] - tones[0]) * a[..., None]
    mixed = mixed + (tones[2] - mixed) * (np.clip(b * 2 - 0.8, 0, 1) * 0.7)[..., None]
    return np.clip(mixed * (0.9 + 0.2 * fractal(rng, slope=0.6))[..., None], 0, 1).astype(np.float32)


def save(file: Path, pixels: Array, kind: str = "uint8", alpha: str = "") -> Path:
    """Write a picture; alpha as it stands."""
    data = np.ascontiguousarray(pixels if pixels.ndim == 3 else pixels[..., None], np.float32)
    spec = oiio.ImageSpec(data.shape[1], data.shape[0], data.shape[2], kind)
    if alpha:
        spec.alpha_channel = data.shape[2] - 1
        spec.attribute("oiio:UnassociatedAlpha", 1)
    if file.suffix == ".jpg":
        spec.attribute("Compression", "jpeg:80")
    out = oiio.ImageOutput.create(str(file))
    assert out.open(str(file), spec), out.geterror()
    assert out.write_image(data)
    assert out.close()
    return file


def make(folder: Path) -> Iterator[Labelled]:
    """Write them all; 260 pictures."""
    shapes = {"fractal": fractal, "bricks": bricks, "pebbles": pebbles}
    for number in range(96):
        rng = np.random.default_rng(1000 + number)
        name = list(shapes)[number % 3]
        up, strength = bool(rng.integers(2)), float(np.exp(rng.uniform(np.log(0.4), np.log(40.0))))
        kind, ending, hard = ("uint8", "png", "")
        picture = normals(shapes[name](rng), strength, up)
        if number % 8 == 3:
            kind, hard = "uint16", ""
        elif number % 8 == 5:
            ending, hard = "jpg", "jpeg"
        elif number % 8 == 6:
            picture = np.clip(picture + rng.normal(0, 0.012, picture.shape), 0, 1).astype(np.float32)
            hard = "noise"
        elif number % 8 == 7:
            picture = gaussian_filter(picture, (1.5, 1.5, 0))
            hard = "blurred without care"
        file = save(folder / f"normal_{number}.{ending}", picture, kind)
        yield Labelled(file, normal=True, green="up" if up else "down", hard=hard)
    for number in range(8):
        rng = np.random.default_rng(2000 + number)
        file = save(folder / f"ridges_{number}.png", normals(ridges(rng), 12.0, bool(number % 2)))
        yield Labelled(file, normal=True, green="", hard="ridges along one axis")
    for number in range(48):
        rng = np.random.default_rng(3000 + number)
        light = colours(rng)
        if number % 4 == 1:  # raised to linear light in 8 bits
            picture, linear = decoded(np.round(encoded(light) * 255) / 255), True
        elif number % 4 == 2:  # linear light stored straight from more than 8 bits: nothing is skipped
            picture, linear = light, True
        else:
            picture, linear = encoded(light), False
        ending = "jpg" if number % 4 == 3 else "png"
        hard = {2: "linear from more than 8 bits", 3: "jpeg"}.get(number % 4, "")
        yield Labelled(save(folder / f"colour_{number}.{ending}", picture), linear=linear, hard=hard)
    for number in range(12):  # bluish pictures are no normals
        rng = np.random.default_rng(3500 + number)
        blue = np.array((0.5, 0.55, 0.95), np.float32) * (0.75 + 0.25 * fractal(rng)[..., None])
        yield Labelled(save(folder / f"blue_{number}.png", blue), hard="blue as a map of normals")
    for number in range(32):
        rng = np.random.default_rng(4000 + number)
        kind = "uint16" if number % 2 else "uint8"
        grey = fractal(rng, slope=float(rng.uniform(0.8, 2.0)))
        picture = np.repeat(grey[..., None], 3, -1) if number % 4 < 2 else grey
        ending = "jpg" if number % 8 == 4 else "png"
        yield Labelled(
            save(folder / f"grey_{number}.{ending}", picture, "uint8" if ending == "jpg" else kind), grey=True
        )
    for number in range(36):
        rng = np.random.default_rng(5000 + number)
        colour = encoded(colours(rng)) * (0.3 if number % 6 == 5 else 1.0)
        soft = np.clip((fractal(rng) - 0.45) * float(rng.uniform(3, 12)), 0, 1)
        if number % 3 == 0:
            label, seen = "multiplied in", colour * soft[..., None]
        elif number % 3 == 1:
            label, seen = "straight", colour
        else:
            label, seen, soft = "opaque", colour, np.ones_like(soft)
        hard = "dark colours" if number % 6 == 5 else ""
        picture = np.concatenate([seen, soft[..., None]], -1)
        yield Labelled(save(folder / f"alpha_{number}.png", picture, alpha="straight"), alpha=label, hard=hard)
    for number in range(28):
        rng = np.random.default_rng(6000 + number)
        y, x = np.mgrid[0:128, 0:256]
        sky = (0.3 + fractal(rng, 256)[:128] * 1.5)[..., None] * np.array((0.8, 0.9, 1.1), np.float32)
        sun = np.exp(-((x - rng.integers(20, 230)) ** 2 + (y - rng.integers(10, 60)) ** 2) / float(rng.uniform(2, 20)))
        picture = (sky + sun[..., None] * float(rng.uniform(50, 5000))).astype(np.float32)
        clipped = number % 2 == 1
        if clipped:
            picture = np.minimum(picture, float(rng.choice([1.0, 4.0, 16.0])))
        yield Labelled(save(folder / f"sky_{number}.exr", picture, "half"), clipped=clipped, light=True)


Truth = Callable[[Labelled], bool]
Said = Callable[[Verdict], bool]


def share(
    judged: list[tuple[Labelled, Verdict]], truth: Truth, said: Said, among: Truth = lambda one: True
) -> tuple[float, float]:
    """How many of the true ones are missed, and how many of the others are said falsely."""
    chosen = [(one, verdict) for one, verdict in judged if among(one)]
    true = [said(verdict) for one, verdict in chosen if truth(one)]
    false = [said(verdict) for one, verdict in chosen if not truth(one)]
    return 1 - sum(true) / len(true), sum(false) / len(false)


# name → truth, what is said, among which, the most that may be missed and said falsely; docs/decode-audit.md tells of them
RATES: dict[str, tuple[Truth, Said, Truth, float, float]] = {
    "a map of normals": (lambda one: one.normal, lambda v: v.normal, lambda one: True, 0.05, 0.0),
    "green up": (lambda one: one.green == "up", lambda v: v.green == "up", lambda one: one.normal, 0.07, 0.0),
    "green down": (lambda one: one.green == "down", lambda v: v.green == "down", lambda one: one.normal, 0.07, 0.0),
    "grey": (lambda one: one.grey, lambda v: v.grey, lambda one: not one.light, 0.0, 0.0),
    "linear in 8 bits": (lambda one: one.linear and not one.hard, lambda v: v.linear, lambda one: not one.light and one.hard != "linear from more than 8 bits", 0.1, 0.01),
    "alpha straight": (lambda one: one.alpha == "straight", lambda v: v.alpha == "straight", lambda one: bool(one.alpha), 0.05, 0.0),
    "alpha multiplied in": (lambda one: one.alpha == "multiplied in", lambda v: v.alpha == "multiplied in", lambda one: bool(one.alpha), 0.1, 0.0),
    "cut off": (lambda one: one.clipped, lambda v: v.clipped, lambda one: one.light, 0.0, 0.05),
}  # fmt: skip
