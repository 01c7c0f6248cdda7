"""A side rendered for Proof: in steps, all of it or a part, with a pass for each light, ids, depth, normals, sample counts and variance.

Each step's light is also kept by halves, every other step in the other one: what both are apart by is noise, of each light by itself.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from durvan.engine import renderer
from durvan.engine.kernels import world as kw
from durvan.engine.renderer import Film, Passes, Stop
from durvan.engine.staging import Staged
from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.lobes import layout
from durvan.proof.causes.noise import FLOOR, noise_of
from durvan.proof.picture import Ids, Picture, Pixels

Floats = NDArray[np.float64]
OTHERS, GLOW = "other lights", "glow"
_BYTES = 1_500_000_000  # of a film
_MOST = 32
_Y = np.array(REC709_LUMINANCE)
_SMOOTH = 0.1  # the alpha below which a surface reflects
_BLURRED = 1.5  # pixels, from which what is out of focus is

Part = tuple[float, float, float, float]


def layers_for(groups: int, width: int, height: int) -> int:
    """How many layers a film of some groups of lights may have, by what it weighs."""
    room = max(4, _BYTES // max(1, width * height * 3 * 8 * 3))
    return max(1, min(groups, _MOST, room))


@dataclass
class Gathering:
    """What was gathered of a side. `part` (left, top, right, low, 0 to 1) is what more samples go to, or None for all of it."""

    staged: Staged
    part: Part | None = None
    clamp: float = 0.0
    film: Film = field(init=False)
    names: list[str] = field(init=False)
    detail: Film | None = field(init=False, default=None)
    seen: Passes | None = field(init=False, default=None)
    seconds: float = 0.0
    _halves: list[Pixels] = field(init=False, default_factory=list)
    _counts: list[int] = field(init=False, default_factory=lambda: [0, 0])

    def __post_init__(self) -> None:
        staged = self.staged
        paths = [_named(path, staged.materials) for path in staged.built.paths or staged.built.groups]
        lights = list(dict.fromkeys(paths))  # a sun and its sky are one light
        layers = layers_for(len(lights), staged.width, staged.height)
        self.names = [*lights[: layers - 1], OTHERS] if len(lights) > layers else lights
        if paths:
            staged.built.into_layers([min(lights.index(path), layers - 1) for path in paths])
        self.film = Film.empty(staged.width, staged.height, layers)
        self._halves = [np.zeros((staged.height, staged.width, layers), np.float32) for _ in range(2)]

    @property
    def where(self) -> NDArray[np.bool_] | None:
        """The pixels that samples go to now; None for all."""
        if self.part is None:
            return None
        out = np.zeros((self.staged.height, self.staged.width), np.bool_)
        left, top, right, low = self.part
        h, w = out.shape
        out[
            int(top * h) : max(math.ceil(low * h), int(top * h) + 1),
            int(left * w) : max(math.ceil(right * w), int(left * w) + 1),
        ] = True
        return out

    @property
    def samples(self) -> int:
        """How many samples a pixel there are where samples go now."""
        return self.film.samples + (self.detail.samples if self.detail is not None else 0)

    def look_at(self, part: Part | None) -> None:
        """Have more samples go to a part, or to all. What was gathered for another part goes."""
        if part == self.part:
            return
        self.part = part
        self.detail = None
        if part is not None:
            self.detail = Film.empty(self.staged.width, self.staged.height, self.film.sums.shape[2], seed=7)

    def add(self, more: int, stop: Stop = lambda: False) -> bool:
        """Add samples; False when it was stopped, and then all is as it was."""
        staged = self.staged
        film = self.detail if self.detail is not None else self.film
        if self.part is not None and self.detail is None:
            self.detail = film = Film.empty(staged.width, staged.height, self.film.sums.shape[2], seed=7)
        before = film.sums @ _Y if self.part is None else None
        if not renderer.expose(
            staged.built, staged.camera, film, more, staged.sampling.bounces, self._clamp(), stop, self.where
        ):
            return False
        if before is not None:
            half = int(self._counts[1] < self._counts[0])
            self._halves[half] += (film.sums @ _Y - before).astype(np.float32)
            self._counts[half] += more
        return True

    def _clamp(self) -> float:
        white = max(self.staged.view.scale, 1e-12)
        own = self.staged.sampling.clamp
        limits = [one / white for one in (self.clamp, own) if one > 0.0]
        return min(limits) if limits else 0.0

    # what there is

    def counts(self) -> NDArray[np.int32]:
        """How many samples each pixel has [height, width]."""
        out = np.full((self.staged.height, self.staged.width), self.film.samples, np.int32)
        where = self.where
        if self.detail is not None and where is not None:
            out[where] += self.detail.samples
        return out

    def _sums(self) -> tuple[Floats, Floats]:
        if self.detail is None:
            return self.film.sums, self.film.squares
        return self.film.sums + self.detail.sums, self.film.squares + self.detail.squares

    def rgb(self) -> Pixels:
        """The picture so far [height, width, 3], as the camera takes it; what has no sample yet is no number."""
        counts = self.counts()[..., None]
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = self._sums()[0].sum(axis=2) / counts
        return self.staged.exposed(mean).astype(np.float32)

    def variance(self) -> Pixels | None:
        """The variance of each pixel's luminance as it is now, in picture values; None before there are two samples a pixel."""
        counts = self.counts()
        there = counts[counts > 0]
        if not there.size or there.min() < 2:
            return None
        sums, squares = self._sums()
        n = np.maximum(counts, 1)
        mean = sums.sum(axis=2) @ _Y / n
        spread = np.maximum(squares / n - mean * mean, 0.0) / np.maximum(n - 1, 1)
        deviation = self.staged.exposed(np.repeat(np.sqrt(spread)[..., None], 3, axis=2)) @ _Y
        return np.asarray(deviation * deviation, dtype=np.float32)

    def first_things(self) -> Passes:
        """Ids, depth and normals, looked at once."""
        if self.seen is None:
            self.seen = renderer.first_things(
                self.staged.built, self.staged.camera, self.staged.width, self.staged.height
            )
        return self.seen

    def picture(self) -> Picture:
        """All that is known of it."""
        sums = self._sums()[0]
        counts = np.maximum(self.counts(), 1)[..., None]
        lights = {path: partial(self._light, sums, counts, number) for number, path in enumerate(self.names)}
        return self.told(Picture(self.rgb(), lights, variance=self.variance()))

    def told(self, picture: Picture) -> Picture:
        """A picture by the same camera with ids and depths."""
        seen = self.first_things()
        return replace(
            picture, materials=Ids(seen.material, tuple(self.staged.materials)), objects=Ids(seen.thing, tuple(seen.names)),
            depth=lambda: seen.depth[..., None].astype(np.float32),
        )  # fmt: skip

    def _light(self, sums: Floats, counts: NDArray[np.int32], number: int) -> Pixels:
        return self.staged.exposed(sums[:, :, number] / counts).astype(np.float32)

    def more(self, samples: int | None = None) -> dict[str, Pixels]:
        """Further layers: normals, depth in metres, and how many samples each pixel has (those of another renderer's picture, where they are said)."""
        seen = self.first_things()
        counts = self.counts() if samples is None else np.full(seen.depth.shape, samples)
        return {
            "normal": seen.normal.astype(np.float32), "depth": seen.depth[..., None].astype(np.float32),
            "samples": counts[..., None].astype(np.float32),
        }  # fmt: skip

    # its noise

    def noise(self) -> float:
        """The standard deviation of a pixel, in stops, over the picture; 0 while nobody knows."""
        return noise_of(Picture(self.rgb(), variance=self.variance()))

    def dearest(self) -> Mapping[str, float]:
        """Whose the noise is, as shares of all of it (they overlap): lights by path ("light:…"), what is seen in smooth surfaces ("reflection"),
        what is out of focus ("depth of field"). Empty while nobody knows.
        """
        first, second = self._counts
        if min(first, second) < 1 or self.part is not None:
            return {}
        total = first + second
        apart = self._halves[0] / first - self._halves[1] / second
        grey = np.maximum(self.film.sums.sum(axis=2) @ _Y / max(total, 1), 0.0)
        weight = 1.0 / (grey + FLOOR * float(np.median(grey[grey > 0.0]) if (grey > 0.0).any() else 1.0)) ** 2
        power = apart.astype(np.float64) ** 2 * weight[..., None]
        whole = float(power.sum())
        if whole <= 0.0:
            return {}
        out = {f"light:{path}": float(power[..., n].sum()) / whole for n, path in enumerate(self.names)}
        here = power.sum(axis=2)
        out["reflection"] = float(here[self._smooth()].sum()) / whole
        out["depth of field"] = float(here[self._unsharp()].sum()) / whole
        return out

    def _smooth(self) -> NDArray[np.bool_]:
        """Where surfaces are seen that mirror or let through what is around them."""
        shiny = np.array([_mirrors(base) for base in self.staged.bases] + [False])
        return np.asarray(shiny[self.first_things().material])

    def _unsharp(self) -> NDArray[np.bool_]:
        """Where things are seen that the lens does not have in focus."""
        camera, seen = self.staged.camera, self.first_things()
        radius, focus = float(camera[kw.C_LENS]), float(camera[kw.C_FOCUS])
        if radius <= 0.0 or focus <= 0.0:
            return np.zeros(seen.depth.shape, np.bool_)
        wide = 2.0 * float(np.linalg.norm(camera[kw.C_X : kw.C_X + 3])) * focus  # of the plane in focus, in metres
        blur = radius * np.abs(1.0 - focus / np.maximum(seen.depth, 1e-6)) * self.staged.width / max(wide, 1e-9)
        return np.asarray((blur > _BLURRED) & (seen.material >= 0))


def _named(path: str, materials: list[str]) -> str:
    """A group of light by the path of what gives it; what glows by its material's."""
    kind, _, number = path.partition(":")
    known = kind == GLOW and number.isdecimal() and int(number) < len(materials)
    return f"{GLOW}:{materials[int(number)]}" if known else path


def _mirrors(base: Floats) -> bool:
    for n in range(int(base[layout.COUNT])):
        at = layout.HEADER + n * layout.LOBE
        if (
            base[at + layout.KIND] in (layout.REFLECT, layout.REFRACT)
            and base[at + layout.ALPHA_X] < _SMOOTH
            and base[at + layout.WEIGHT : at + layout.WEIGHT + 3].max() > 0.3
            and (
                base[at + layout.FRESNEL] in (layout.CONSTANT, layout.CONDUCTOR)
                or base[at + layout.KIND] == layout.REFRACT
            )
        ):
            return True
    return False
