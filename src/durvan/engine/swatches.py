"""Swatches: one ball over one tilted tile of a material, under three lightings, always the same.

A swatch is computed in two halves of independent samples, so that what it is not sure of is known. It can be gone on
with from any number of samples; sample n is the same numbers for every material, so that two looks that are alike have
the same noise and their difference has little. Each path serves all three lightings. What stands around the material is
computed only where somebody looks.
"""

from __future__ import annotations

import hashlib
import math
import os
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs
from numpy.typing import NDArray

from durvan.dialects.look import Lamp, Lobe, Record, Surface, View, record
from durvan.engine import renderer
from durvan.engine.build import Ball, Built, build, camera
from durvan.engine.lamps import Placed
from durvan.engine.staging import pixels
from durvan.graph.expression import Lookup
from durvan.graph.program import compile_lanes
from durvan.optics.jit import fingerprint as kernels
from durvan.optics.lobes import layout
from durvan.replacing import replacing
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float32]
SIZE = 96
BOUNCES = 16  # the last ones matter in glass alone: beside 64, 6 lose up to 0.2 % of a clear ball's swatch, 16 nothing
LIGHTINGS = ("booth", "overcast", "raking")
SCHEME = "2"  # of the scene below; another one makes other pictures
GREY = 0.18
LEVELS = (1, 2, 4, 8, 16, 32, 64)
_APART = 4  # of the pixels that a first guess is made on, in pixels of half the size
_GUESSED = 2  # its samples in each half
_CLAMP = 12.0  # times white: what a single sample may add; beyond 8 the comparison sees nothing more
_CACHE_BYTES = 600_000_000


def halved(picture: NDArray[np.floating]) -> NDArray[np.float64]:
    """A picture [..., height, width, channels] at half its size, by the means of four pixels."""
    p = picture.astype(np.float64)
    rows = p[..., 0::2, :, :] + p[..., 1::2, :, :]
    return np.asarray(0.25 * (rows[..., 0::2, :] + rows[..., 1::2, :]))


@cache
def inside() -> NDArray[np.bool_]:
    """Which pixels of a picture at half its size show nothing but the material."""
    return np.asarray(halved(_reference()[1].astype(np.float64)[..., None])[..., 0] > 0.99)


@cache
def _sparse() -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Some pixels, four by four neighbours far from each other, for a first guess; in a picture, and at half its size."""
    some = np.zeros_like(inside())
    some[1::_APART, 1::_APART] = True
    some &= inside()
    return some.repeat(2, axis=0).repeat(2, axis=1), some


@dataclass
class Swatch:
    """Pictures of one look: `halves` [2, 3 lightings, SIZE, SIZE, 3], linear, an 18 % grey patch landing on 0.18.

    `samples` a pixel in each half; `mask` [SIZE, SIZE] is where the material stands.
    """

    key: str
    halves: Floats
    samples: int
    mask: NDArray[np.bool_]
    notes: list[str]

    @property
    def pictures(self) -> Floats:
        """The mean of both halves [3, SIZE, SIZE, 3]."""
        return np.asarray(0.5 * (self.halves[0] + self.halves[1]))


@cache
def _tile() -> list[Mesh]:
    """The tilted tile (of the material), a floor of two greys and a wall."""
    tilt = math.radians(12.0)
    c, s = math.cos(tilt), math.sin(tilt)
    half, y = 0.085, -0.062
    points = np.array([[-half, y - half * s, half * c], [half, y - half * s, half * c],
                       [half, y + half * s, -half * c], [-half, y + half * s, -half * c]])  # fmt: skip
    two = np.array([[0, 1, 2], [0, 2, 3]], dtype=np.int32)
    uv = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])[two]
    tile = Mesh("tile", points, two, None, uv, np.zeros(2, np.int32))
    squares: list[NDArray[np.float64]] = []
    triangles: list[list[int]] = []
    owners: list[int] = []
    side = 0.04
    for row in range(-6, 7):
        for column in range(-6, 7):
            x, z, start = column * side, row * side, len(squares) * 4
            squares.append(
                np.array([[x, -0.1, z + side], [x + side, -0.1, z + side], [x + side, -0.1, z], [x, -0.1, z]])
            )
            triangles += [[start, start + 1, start + 2], [start, start + 2, start + 3]]
            owners += [1 + (row + column) % 2] * 2
    floor = Mesh(
        "floor", np.concatenate(squares), np.array(triangles, np.int32), None, None, np.array(owners, np.int32)
    )
    return [tile, floor]


def _facing(x: float, y: float, z: float, distance: float) -> NDArray[np.float64]:
    """A matrix that stands off in a direction and shines back at the middle."""
    back = np.array([x, y, z]) / math.sqrt(x * x + y * y + z * z)
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.99 else np.array([0.0, 0.0, -1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    matrix = np.eye(4)
    matrix[0, :3], matrix[1, :3], matrix[2, :3], matrix[3, :3] = right, np.cross(back, right), back, back * distance
    return matrix


@cache
def _skies() -> dict[str, Floats]:
    """The graded dome (CIE standard overcast sky, CIE S 011, type 1) and an even one; rows from the zenith down."""
    height = 64
    elevation = math.pi / 2.0 - (np.arange(height) + 0.5) / height * math.pi
    graded = np.where(elevation > 0.0, (1.0 + 2.0 * np.sin(elevation)) / 3.0, 0.12)
    return {
        "overcast": np.tile(graded[:, None, None], (1, 128, 4)).astype(np.float32),
        "even": np.ones((2, 4, 4), dtype=np.float32),
    }


def _lamps() -> list[Placed]:
    """The lamps of all three lightings."""

    def sky(name: str, strength: float, lighting: int) -> Placed:
        return Placed(name, Lamp("dome", (strength,) * 3, picture=Lookup(f":{name}")), np.eye(4), lighting)

    booth, overcast, raking = range(3)
    # a small sun 75° from the zenith, from the left and a little behind the eye
    far = math.radians(75.0)
    sun = _facing(-math.sin(far) * 0.9, math.cos(far), math.sin(far) * 0.43, 1.0)
    return [
        Placed("key", Lamp("rect", (9.0,) * 3, (0.5, 0.7)), _facing(-1.0, 0.9, 0.9, 0.8), booth),
        Placed("fill", Lamp("rect", (3.0,) * 3, (0.4, 0.8)), _facing(1.0, 0.35, 0.8, 0.9), booth),
        Placed("top", Lamp("rect", (5.0,) * 3, (0.9, 0.5)), _facing(0.05, 1.0, -0.25, 0.8), booth),
        sky("even", 0.25, booth),
        sky("overcast", 1.0, overcast),
        Placed("sun", Lamp("far", (3.0,) * 3, (2.0, 0.0)), sun, raking),
        sky("even", 0.12, raking),
    ]


def _pixels(lookup: Lookup) -> Floats | None:
    return _skies()[lookup.file[1:]] if lookup.file.startswith(":") else pixels(lookup)


def _camera() -> NDArray[np.float64]:
    return camera(View(24.0, 50.0), _facing(0.0, 0.36, 1.0, 0.47) @ _shifted(-0.012), 1.0)


def _shifted(up: float) -> NDArray[np.float64]:
    matrix = np.eye(4)
    matrix[3, 1] = up
    return matrix


def _world(look: Record) -> Built:
    floor = [record(Surface([Lobe(layout.DIFFUSE, albedo)])) for albedo in (0.12, 0.3)]
    ball = Ball((0.0, 0.0, 0.0), 0.05, 0, np.array([[0.9063, 0.0, 0.4226], [0.0, 1.0, 0.0], [-0.4226, 0.0, 0.9063]]))
    return build(_tile(), [look, *floor], _lamps(), _pixels, (ball,), lightings=len(LIGHTINGS))


@cache
def _reference() -> tuple[Floats, NDArray[np.bool_]]:
    """What makes an 18 % grey land on 18 % (on the tile) in each lighting, and where the material stands."""
    built = _world(record(Surface([Lobe(layout.DIFFUSE, GREY)])))
    things = renderer.first_things(built, _camera(), SIZE, SIZE)
    film = renderer.Film.empty(SIZE, SIZE, len(LIGHTINGS))
    renderer.expose(built, _camera(), film, 32, BOUNCES, where=things.thing == 0)
    light = film.layers @ np.array([0.2126, 0.7152, 0.0722])
    tile = things.thing == 0
    return GREY / np.median(light[tile], axis=0), things.material == 0


def fingerprint(look: Record) -> str:
    """A hash of a look and of the pictures it reads; the same for the same look in whatever dialect."""
    digest = hashlib.sha256(f"{SCHEME} {kernels()} {SIZE}".encode())
    digest.update(look.base.tobytes())
    places = sorted(look.lanes)
    files: list[str] = []

    def number(lookup: Lookup) -> int:
        stamp = ""
        with suppress(OSError, ValueError):
            stat = Path(lookup.file).stat()
            stamp = f"{stat.st_size} {stat.st_mtime_ns}"
        text = f"{lookup} {stamp}"
        if text not in files:
            files.append(text)
        return files.index(text)

    program = compile_lanes([look.lanes[place] for place in places], number)
    for part in (program.code.tobytes(), program.start.tobytes(), repr(places), repr(program.results), repr(files)):
        digest.update(part if isinstance(part, bytes) else part.encode())
    digest.update(repr(look.glow_lights).encode())
    return digest.hexdigest()


class Maker:
    """Goes on with the swatch of one look, level by level: where the material stands, and around it where that is seen."""

    def __init__(self, look: Record, folder: Path | None = None) -> None:
        self.look = look
        self.key = fingerprint(look)
        self.folder = folder
        self.world: Built | None = None
        self.sums = np.zeros((2, SIZE, SIZE, len(LIGHTINGS), 3))
        self.samples = self.around = 0  # of each half, of the material and of what stands around it
        self.guessed: Floats | None = None
        self.levels: dict[int, Floats] = {}  # what a drift is measured on, at each level that was passed
        self._read()

    @property
    def file(self) -> Path | None:
        """Where the swatch is kept."""
        return None if self.folder is None else self.folder / self.key[:2] / f"{self.key}.npz"

    def _read(self) -> None:
        if self.file is None or not self.file.is_file():
            return
        try:
            with np.load(self.file) as kept:
                sums, samples, around = kept["sums"].astype(np.float64), int(kept["samples"]), int(kept["around"])
                levels = {int(level): kept[f"level{level}"] for level in kept["levels"]}
            if sums.shape != self.sums.shape or not np.isfinite(sums).all():
                return
        except (OSError, ValueError, KeyError, EOFError):
            return
        self.sums, self.samples, self.around, self.levels = sums, samples, around, levels
        with suppress(OSError):
            os.utime(self.file)

    def guess(self) -> Floats:
        """A first look at a few pixels, for a guess at a drift: [2 halves, 3 lightings, pixels, 3], scaled."""
        if self.guessed is None:
            where, some = _sparse()
            films = self._films(0, _GUESSED, where, lambda: False)
            assert films is not None
            scaled = np.array(films) / _GUESSED * _reference()[0][None, None, None, :, None]
            self.guessed = np.asarray(halved(scaled.transpose(0, 3, 1, 2, 4))[:, :, some], dtype=np.float32)
        return self.guessed

    def keep(self) -> None:
        """Put what there is into the cache; a full disk costs the cache, not the swatch."""
        if self.file is None:
            return
        with suppress(OSError), replacing(self.file, make_folder=True) as part:
            levels: dict[str, Any] = {f"level{level}": small for level, small in self.levels.items()}
            np.savez(
                part, sums=self.sums.astype(np.float32), samples=self.samples, around=self.around,
                levels=list(self.levels), **levels,
            )  # fmt: skip

    def to(self, samples: int, stop: Callable[[], bool] = lambda: False, around: bool = True) -> bool:
        """Go on to at least so many samples in each half, also `around` the material or not; False when stopped."""
        _, mask = _reference()
        for level in (*(level for level in LEVELS if level < samples), samples):
            if level > self.samples:
                if not self._more(self.samples, level, mask, stop):
                    return False
                self.samples = level
                self.levels[level] = self._small()
        if around and self.around < self.samples:
            if not self._more(self.around, self.samples, ~mask, stop):
                return False
            self.around = self.samples
        return True

    def _more(self, have: int, want: int, where: NDArray[np.bool_], stop: Callable[[], bool]) -> bool:
        """Samples `have` to `want` of some pixels, in both halves or in none."""
        films = self._films(have, want, where, stop)
        if films is None:
            return False
        self.sums += np.array(films)
        return True

    def _films(
        self, have: int, want: int, where: NDArray[np.bool_], stop: Callable[[], bool]
    ) -> list[NDArray[np.float64]] | None:
        """The sums of samples `have` to `want` of some pixels, of both halves; None when stopped."""
        if self.world is None:
            self.world = _world(self.look)
        clamps = [self._most() / scale for scale in _reference()[0]]
        films = []
        for half in range(2):
            film = renderer.Film.empty(SIZE, SIZE, len(LIGHTINGS), half + 1)
            film.samples = have
            if not renderer.expose(self.world, _camera(), film, want - have, BOUNCES, clamps, stop, where):
                return None
            films.append(film.sums)
        return films

    def _small(self) -> Floats:
        """What a drift is measured on: [2 halves, 3 lightings, pixels, 3], at half the size, the material alone."""
        scaled = self.sums / max(self.samples, 1) * _reference()[0][None, None, None, :, None]
        return np.asarray(halved(scaled.transpose(0, 3, 1, 2, 4))[:, :, inside()], dtype=np.float32)

    def _most(self) -> float:
        """What a sample may add, times white; 0 for anything, where what glows varies."""
        glow = range(layout.GLOW, layout.GLOW + 3)
        if any(place in self.look.lanes for place in glow):
            return 0.0
        brightest = max(float(self.look.base[place]) for place in glow) * float(_reference()[0].max())
        return max(_CLAMP, 2.0 * brightest)

    def swatch(self) -> Swatch:
        """What there is so far."""
        scales, mask = _reference()
        count = np.where(mask, max(self.samples, 1), max(self.around, 1))
        pictures = self.sums / count[None, :, :, None, None] * scales[None, None, None, :, None]
        halves = np.ascontiguousarray(pictures.transpose(0, 3, 1, 2, 4), dtype=np.float32)
        return Swatch(self.key, halves, self.samples, mask, self.look.notes)


def cache_folder() -> Path:
    """Where swatches are kept between runs; `DURVAN_SWATCHES` puts it elsewhere."""
    return Path(os.environ.get("DURVAN_SWATCHES") or platformdirs.user_cache_path("durvan") / "swatches")


def tidy(folder: Path) -> None:
    """Throw the oldest swatches away when there are too many."""
    kept: list[tuple[float, int, Path]] = []
    for file in folder.glob("*/*.npz"):
        with suppress(OSError):
            stat = file.stat()
            kept.append((stat.st_mtime, stat.st_size, file))
    total = sum(size for _, size, _ in kept)
    for _, size, file in sorted(kept):
        if total <= _CACHE_BYTES:
            break
        file.unlink(missing_ok=True)
        total -= size


def progressive(look: Record, folder: Path | None = None) -> Iterator[Swatch]:
    """A swatch that gets better, level by level."""
    maker = Maker(look, folder)
    for level in LEVELS:
        if level > maker.samples:
            maker.to(level)
            yield maker.swatch()
    maker.keep()
