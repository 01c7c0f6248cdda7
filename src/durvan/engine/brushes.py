"""What is painted of a bake: a field as it is, or relief as normals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.common import Worth
from durvan.dialects.look import Facts
from durvan.dialects.pack import Pack
from durvan.engine.canvas import Floats, Meshes, Painted, padded, paint
from durvan.engine.kernels import programs
from durvan.errors import RenderingError
from durvan.graph.expression import POINT, Field, Lane, Pixels, evaluate
from durvan.scene.baking import Bake, Relief
from durvan.scene.graph import Link
from durvan.scene.shapes import charts

STEEPEST = 1e3  # slope of a normal that can be told from the surface itself


@dataclass(frozen=True)
class Seen:
    """Places that a picture may be asked at: UVs [n, 2] and places in metres [n, 3]."""

    uv: Floats
    place: Floats


class Worn(Protocol):
    """Meshes by what they wear."""

    def by(self, thing: str) -> Meshes:
        """Meshes and which of their triangles wear it."""


class Brush(Protocol):
    """Paints one bake."""

    def lanes(self) -> list[Lane]:
        """All that it is worked out of."""

    def picture(self, tile: tuple[int, int]) -> tuple[Painted, Seen | None]:
        """One square of UVs, and places of it that things lie at, where that matters."""

    def meant(self, at: Seen) -> Floats | None:
        """What the picture stands for [n, 3]; None where that can only be told from the picture."""


def brush_for(bake: Bake, ground: Pack, facts: Facts, pixels: Pixels, worn: Worn) -> Brush:
    """The brush for a bake. Raises RenderingError for a network that gives nothing."""
    if bake.relief is not None:
        return Normals(bake, bake.relief, ground, facts, pixels, worn)
    return Plain(bake, ground, facts, pixels, worn)


def field_of(bake: Bake, ground: Pack, facts: Facts, link: Link | None = None) -> Field:
    """What is painted, or another link of the same network, as a field of three lanes. Raises RenderingError for a network that
    gives nothing.
    """
    found = Worth(bake.graph, ground, facts).of(link or bake.link)
    if found is None:
        raise RenderingError(f"{bake.name}: nothing is known of what is to be painted.")
    return Field(found.lanes[:3]) if len(found) >= 3 else Field(found.lanes[:1] * 3)


def _points(at: Seen, moved: tuple[float, float] = (0.0, 0.0)) -> dict[str, Floats]:
    points = {name: np.zeros(len(at.uv)) for name in POINT}
    points |= {"u": at.uv[:, 0] + moved[0], "v": at.uv[:, 1] + moved[1]}
    points |= {name: at.place[:, k] for k, name in enumerate("xyz")}
    points["open"], points["facing"] = np.ones(len(at.uv)), np.full(len(at.uv), programs.FACED)
    return points


def _between(mask: NDArray[np.bool_], places: Floats, tile: tuple[int, int], most: int) -> Seen | None:
    """Some places in the middle between two pixels that things lie at."""
    size = len(mask)
    row, column = np.nonzero(mask[:, 1:] & mask[:, :-1])
    if not len(row):
        return None
    some = np.linspace(0, len(row) - 1, min(most, len(row))).astype(np.int64)
    row, column = row[some], column[some]
    uv = np.stack([(column + 1.0) / size, 1.0 - (row + 0.5) / size], axis=1) + np.array(tile)
    return Seen(uv, 0.5 * (places[row, column] + places[row, column + 1]))


class Plain:
    """A field as it is."""

    ASKED = 2000  # places at which a picture is held against what it stands for

    def __init__(self, bake: Bake, ground: Pack, facts: Facts, pixels: Pixels, worn: Worn) -> None:
        self.bake, self.pixels, self.worn = bake, pixels, worn
        self.what = field_of(bake, ground, facts)

    def lanes(self) -> list[Lane]:
        """The field's own."""
        return list(self.what.lanes)

    def picture(self, tile: tuple[int, int]) -> tuple[Painted, Seen | None]:
        """The field, past the edges of charts where it depends on places."""
        bake = self.bake
        if not bake.by_place:
            return paint(self.what, bake.size, self.pixels, tile), None
        places, mask = charts(self.worn.by(bake.thing), bake.size, tile)
        picture = padded(paint(self.what, bake.size, self.pixels, tile, places), mask)
        return picture, _between(mask, places, tile, self.ASKED)

    def meant(self, at: Seen) -> Floats | None:
        """The field there."""
        return np.asarray(evaluate([self.what], _points(at), self.pixels)[0])


class Normals:
    """Relief as normals in tangent space, green up, from 0 to 1: the slopes of all heights and normal maps are added."""

    def __init__(
        self, bake: Bake, relief: Relief, ground: Pack, facts: Facts, pixels: Pixels, worn: Worn
    ) -> None:  # fmt: skip
        self.bake, self.relief, self.pixels, self.worn = bake, relief, pixels, worn

        def fields(links: Sequence[tuple[Link, float]]) -> list[tuple[Field, float]]:
            return [(field_of(bake, ground, facts, link), strength) for link, strength in links]

        self.heights, self.normals = fields(relief.heights), fields(relief.normals)

    def lanes(self) -> list[Lane]:
        """Those of all heights and normal maps."""
        return [lane for what, _ in (*self.heights, *self.normals) for lane in what.lanes]

    def picture(self, tile: tuple[int, int]) -> tuple[Painted, Seen | None]:
        """The normals; where heights depend on places, slopes are along the very surfaces, past the edges of charts."""
        size, bake = self.bake.size, self.bake
        places = mask = None
        metres_u, metres_v = (np.full((size, size), metres) for metres in self.relief.metres_per_uv)
        if bake.by_place:
            places, mask = charts(self.worn.by(bake.thing), size, tile)
            places = np.stack([padded(places[..., k, None], mask)[..., 0] for k in range(3)], -1)
            metres_u, metres_v = _metres(places, mask, self.relief)
        du, dv = np.zeros((size, size)), np.zeros((size, size))
        for what, metres in self.heights:
            high = self._height(what, tile, places)
            du += metres * (high[1:-1, 2:] - high[1:-1, :-2]) * (size / 2.0) / metres_u
            dv += metres * (high[:-2, 1:-1] - high[2:, 1:-1]) * (size / 2.0) / metres_v
        for what, strength in self.normals:
            more_u, more_v = _slopes(paint(what, size, self.pixels, tile, places).astype(np.float64), strength)
            du, dv = du + more_u, dv + more_v
        return _encoded(du, dv).astype(np.float32), None

    def _height(self, what: Field, tile: tuple[int, int], places: Floats | None) -> Floats:
        """A height with a pixel more on every side."""
        if places is None:
            return paint(what, self.bake.size, self.pixels, tile, None, 1)[..., 0].astype(np.float64)
        inside = paint(what, self.bake.size, self.pixels, tile, places)[..., 0]
        return np.pad(inside.astype(np.float64), 1, mode="edge")

    def meant(self, at: Seen) -> Floats | None:
        """The normals there, by slopes over a tenth of a pixel; None where places count."""
        if self.bake.by_place:
            return None
        step = 0.05 / self.bake.size
        du, dv = np.zeros(len(at.uv)), np.zeros(len(at.uv))
        for what, metres in self.heights:
            for axis, slopes in enumerate((du, dv)):
                ways = [(side, 0.0) if axis == 0 else (0.0, side) for side in (step, -step)]
                high, low = (np.asarray(evaluate([what], _points(at, way), self.pixels)[0])[:, 0] for way in ways)
                slopes += metres * (high - low) / (2.0 * step) / self.relief.metres_per_uv[axis]
        for what, strength in self.normals:
            more_u, more_v = _slopes(np.asarray(evaluate([what], _points(at), self.pixels)[0]), strength)
            du, dv = du + more_u, dv + more_v
        return _encoded(du, dv)


def _metres(places: Floats, mask: NDArray[np.bool_], relief: Relief) -> tuple[Floats, Floats]:
    """How long a unit of UVs is at each pixel, along both; by the surface itself where it goes on, else about."""
    size = len(mask)
    found = []
    for axis, about in ((1, relief.metres_per_uv[0]), (0, relief.metres_per_uv[1])):
        step = np.roll(places, -1, axis) - np.roll(places, 1, axis)
        on = np.roll(mask, -1, axis) & np.roll(mask, 1, axis)
        long = np.linalg.norm(step, axis=-1) * (size / 2.0)
        found.append(np.where(on & (long > 0.05 * about) & (long < 20.0 * about), long, about))
    return found[0], found[1]


def _slopes(picture: Floats, strength: float) -> tuple[Floats, Floats]:
    """How steeply a normal map rises, along u and along v."""
    normal = picture * 2.0 - 1.0
    up = np.maximum(normal[..., 2], 1.0 / STEEPEST)
    return -strength * normal[..., 0] / up, -strength * normal[..., 1] / up


def _encoded(du: Floats, dv: Floats) -> Floats:
    """Slopes as normals from 0 to 1."""
    du, dv = np.clip(np.nan_to_num(du), -STEEPEST, STEEPEST), np.clip(np.nan_to_num(dv), -STEEPEST, STEEPEST)
    long = np.sqrt(du * du + dv * dv + 1.0)
    return np.stack([0.5 - 0.5 * du / long, 0.5 - 0.5 * dv / long, 0.5 + 0.5 / long], axis=-1)
