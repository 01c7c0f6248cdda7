"""Swatches: one ball over one tilted tile of a material, under three lightings, always the same.

A swatch is computed in two halves of independent samples, so that what it is not sure of is known. It can be gone on
with from any number of samples; sample n is the same numbers for every material, so that two looks that are alike have
the same noise and their difference has little. Each path serves all three lightings. What stands around the material is
computed only where somebody looks.
"""

from __future__ import annotations

import hashlib
import os
import zipfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs
from numpy.typing import NDArray

from durvan.dialects.look import Lobe, Record, Surface, record
from durvan.engine import renderer
from durvan.engine.build import Built
from durvan.engine.estimate import Lattice
from durvan.engine.swatch_scene import LIGHTINGS, eye, world_of
from durvan.graph.expression import Lookup, More
from durvan.graph.program import compile_lanes
from durvan.optics.jit import fingerprint as kernels
from durvan.optics.lobes import layout
from durvan.replacing import replacing

Floats = NDArray[np.float32]
SIZE = 96
BOUNCES = 16  # the last ones matter in glass alone: beside 64, 6 lose up to 0.2 % of a clear ball's swatch, 16 nothing
SCHEME = "4"  # of the scene below; another one makes other pictures
GREY = 0.18
LEVELS = (1, 2, 4, 8, 16, 32, 64)
FEWEST, FEW, MANY, ALL = range(
    4
)  # how many places of a material a drift is measured at: one in 16, in 4, in 2, and all
DEEP = 4  # samples beyond which many places are not gone on with: what few say of more is added
_NEAR = 2  # how far a neighbourhood goes to every side, in the same pixels
_GUESSED = 2  # samples of a first guess in each half
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


@dataclass(frozen=True)
class Places:
    """Evenly spread pixels of a picture at half its size, all of the material: `small` [SIZE / 2, SIZE / 2]."""

    small: NDArray[np.bool_]
    lattice: Lattice

    @property
    def whole(self) -> NDArray[np.bool_]:
        """The pixels that they come of [SIZE, SIZE]."""
        return self.small.repeat(2, axis=0).repeat(2, axis=1)


@cache
def places(many: int) -> Places:
    """So many of the pixels that show nothing but the material, evenly spread."""
    small, step = np.zeros_like(inside()), {FEWEST: 4, FEW: 2}.get(many, 1)
    small[::step, ::step] = True
    if many == MANY:  # one colour of a chessboard
        small[::2, 1::2] = small[1::2, ::2] = False
    small &= inside()
    rows, columns = np.nonzero(small)
    reach = max(1, _NEAR // step)
    return Places(small, Lattice(rows // step, columns // step, reach, float(small.sum() / inside().sum())))


@cache
def _regions() -> tuple[NDArray[np.bool_], ...]:
    """The parts of a swatch that are gone on with by themselves [SIZE, SIZE]: few places, what makes them many, what makes
    them all, and all that is not measured.
    """
    few, many, every = (places(many).whole for many in (FEW, MANY, ALL))
    return few, many & ~few, every & ~many, ~every


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
def _reference() -> tuple[Floats, NDArray[np.bool_]]:
    """What makes an 18 % grey land on 18 % (on the tile) in each lighting, and where the material stands."""
    built = world_of(record(Surface([Lobe(layout.DIFFUSE, GREY)])))
    things = renderer.first_things(built, eye(), SIZE, SIZE)
    film = renderer.Film.empty(SIZE, SIZE, len(LIGHTINGS))
    renderer.expose(built, eye(), film, 32, BOUNCES, where=things.thing == 0)
    light = film.layers @ np.array([0.2126, 0.7152, 0.0722])
    tile = things.thing == 0
    return GREY / np.median(light[tile], axis=0), things.material == 0


def fingerprint(look: Record) -> str:
    """A hash of a look and of the pictures it reads; the same for the same look in whatever dialect."""
    digest = hashlib.sha256(f"{SCHEME} {kernels()} {SIZE}".encode())
    digest.update(look.base.tobytes())
    places = sorted(look.lanes)
    lanes = [look.lanes[place] for place in places] + ([look.moved] if look.moved is not None else [])
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

    extras: list[str] = []

    def of_mesh(what: More) -> int:
        extras.append(repr(what))
        return len(set(extras)) - 1

    program = compile_lanes(lanes, number, of_mesh)
    for part in (
        program.code.tobytes(),
        program.start.tobytes(),
        repr(places),
        repr(program.results),
        repr(files),
        repr(sorted(set(extras))),
    ):
        digest.update(part if isinstance(part, bytes) else part.encode())
    digest.update(repr((look.glow_lights, look.glow_whole, look.glow_bare, look.glow_front)).encode())
    if look.looks_about > 0.0:
        digest.update(repr(look.looks_about).encode())
    if look.back is not None:
        digest.update(fingerprint(look.back).encode())
    return digest.hexdigest()


class Maker:
    """Goes on with the swatch of one look, level by level: where drifts are measured, and everywhere where it is seen."""

    def __init__(self, look: Record, folder: Path | None = None) -> None:
        self.look = look
        self.key = fingerprint(look)
        self.folder = folder
        self.world: Built | None = None
        self.sums = np.zeros((2, SIZE, SIZE, len(LIGHTINGS), 3))
        self.counts = [0] * len(_regions())  # samples in each half, by region
        self.guessed: Floats | None = None
        self.levels: tuple[dict[int, Floats], ...] = (
            {},
            {},
            {},
        )  # what a drift is measured on, by region and level passed
        self._read()

    @property
    def samples(self) -> int:
        """Of each half, where it is always looked at."""
        return self.counts[0]

    @property
    def file(self) -> Path | None:
        """Where the swatch is kept."""
        return None if self.folder is None else self.folder / self.key[:2] / f"{self.key}.npz"

    def _read(self) -> None:
        if self.file is None or not self.file.is_file():
            return
        try:
            with np.load(self.file) as kept:
                sums, counts = kept["sums"].astype(np.float64), [int(count) for count in kept["counts"]]
                levels: tuple[dict[int, Floats], ...] = ({}, {}, {})
                for region, level in kept["levels"]:
                    levels[region][int(level)] = kept[f"level{region}_{level}"]
            if sums.shape != self.sums.shape or not np.isfinite(sums).all() or len(counts) != len(self.counts):
                return
        except (OSError, ValueError, KeyError, IndexError, EOFError, zipfile.BadZipFile):
            return
        self.sums, self.counts, self.levels = sums, counts, levels
        with suppress(OSError):
            os.utime(self.file)

    def guess(self) -> Floats:
        """A first look at a few pixels, for a guess at a drift: [2 halves, 3 lightings, pixels, 3], scaled."""
        if self.guessed is None:
            some = places(FEWEST)
            films = self._films(0, _GUESSED, some.whole, lambda: False)
            assert films is not None
            self.guessed = _at(some.whole, np.array(films), _GUESSED)
        return self.guessed

    def keep(self) -> None:
        """Put what there is into the cache; a full disk costs the cache, not the swatch."""
        if self.file is None:
            return
        passed = [(region, level) for region, levels in enumerate(self.levels) for level in levels]
        small: dict[str, Any] = {f"level{region}_{level}": self.levels[region][level] for region, level in passed}
        with suppress(OSError), replacing(self.file, make_folder=True) as part:
            np.savez(part, sums=self.sums.astype(np.float32), counts=self.counts, levels=passed, **small)

    def to(self, samples: int, stop: Callable[[], bool] = lambda: False, many: int | None = None) -> bool:
        """Go on to at least so many samples in each half, where a drift is measured at so `many` places, or everywhere
        (None); False when stopped.
        """
        measured, rest = len(self.levels), len(self.levels)
        for level in (*(level for level in LEVELS if level < samples), samples):
            for region in range(measured if many is None else many):
                deep = region > 0 and many is not None and level > DEEP
                if level > self.counts[region] and not deep and not self._on(region, level, stop):
                    return False
        return many is not None or self.counts[rest] >= samples or self._on(rest, max(samples, self.samples), stop)

    def _on(self, region: int, want: int, stop: Callable[[], bool]) -> bool:
        """Take one region on to so many samples, in both halves or in none."""
        where = _regions()[region]
        films = self._films(self.counts[region], want, where, stop)
        if films is None:
            return False
        self.sums += np.array(films)
        self.counts[region] = want
        if region < len(self.levels):
            self.levels[region][want] = _at(where, self.sums, want)
        return True

    def _films(
        self, have: int, want: int, where: NDArray[np.bool_], stop: Callable[[], bool]
    ) -> list[NDArray[np.float64]] | None:
        """The sums of samples `have` to `want` of some pixels, of both halves; None when stopped."""
        if self.world is None:
            self.world = world_of(self.look)
        clamps = [self._most() / scale for scale in _reference()[0]]
        films = []
        for half in range(2):
            film = renderer.Film.empty(SIZE, SIZE, len(LIGHTINGS), half + 1)
            film.samples = have
            if not renderer.expose(self.world, eye(), film, want - have, BOUNCES, clamps, stop, where):
                return None
            films.append(film.sums)
        return films

    def parts(self, level: int, many: int) -> Floats | None:
        """What a drift is measured on: parts of independent samples [2 or 4, 3 lightings, places, 3] of a level that was
        passed, four where the level before it is known; None of another one.
        """
        whole, before = self._passed(level, many), self._passed(level // 2, many)
        if whole is None or before is None or level < 2:
            return whole
        return np.concatenate((before, 2.0 * whole - before))

    def _passed(self, level: int, many: int) -> Floats | None:
        """Both halves at a level [2, 3 lightings, places, 3]."""
        if any(level not in levels for levels in self.levels[:many]):
            return None
        wanted = places(many).small
        out = np.zeros((2, len(LIGHTINGS), int(wanted.sum()), 3), dtype=np.float32)
        for where, levels in zip(_regions(), self.levels[:many], strict=False):
            out[:, :, where[0::2, 0::2][wanted]] = levels[level]
        return out

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
        count = np.ones((SIZE, SIZE))
        for region, samples in zip(_regions(), self.counts, strict=True):
            count[region] = max(samples, 1)
        pictures = self.sums / count[None, :, :, None, None] * scales[None, None, None, :, None]
        halves = np.ascontiguousarray(pictures.transpose(0, 3, 1, 2, 4), dtype=np.float32)
        return Swatch(self.key, halves, self.samples, mask, self.look.notes)


def _at(whole: NDArray[np.bool_], sums: NDArray[np.float64], samples: int) -> Floats:
    """Sums of two halves [2, SIZE, SIZE, 3 lightings, 3] at half the size, at some of its places [2, 3 lightings, places, 3],
    in white's measure.
    """
    rows, columns = np.nonzero(whole[0::2, 0::2])
    each = sum(sums[:, 2 * rows + down, 2 * columns + right] for down in range(2) for right in range(2))
    scaled = 0.25 * each / max(samples, 1) * _reference()[0][None, None, :, None]
    return np.ascontiguousarray(scaled.transpose(0, 2, 1, 3), dtype=np.float32)


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
