"""What a network says, as expressions over a point of a surface: numbers where it can, lanes where it must.

A `Field` is a number or a colour that may differ from point to point. Its parts are `Lane`s, single numbers; arithmetic
on lanes whose parts are known is done at once, so that only what really varies is left to be worked out at each point.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from durvan.graph.noise import cell_noise, fractal, plane_fractal, scattered_points

Array = NDArray[np.float64]
# What is known of a point: UVs, place in metres, cosine to the eye, how open its surroundings are, how far along a fibre
POINT = ("u", "v", "x", "y", "z", "facing", "open", "along")
OTHERWISE = {"open": 1.0, "along": 0.5}  # what stands in where nobody knows
MOST_MORE = 8  # numbers that a mesh carries besides, in a renderer: other sets of UVs, colours of its corners
POINT_SIZE = len(POINT) + MOST_MORE


@dataclass(frozen=True)
class More:
    """A number that a mesh carries for its corners: one `part` of what goes by a name. A mesh without it has the `default`, or,
    where it is a set of UVs, the first one.
    """

    name: str
    part: int = 0
    default: float = 0.0
    uv: bool = False

    @property
    def key(self) -> str:
        """What it goes by among the arrays of points."""
        return f"{self.name}:{self.part}"


UDIM = "<UDIM>"  # in the path of a picture of tiles: 1001 + u + 10 v


@dataclass(frozen=True)
class Lookup:
    """A picture and how it is read: `decode` is "srgb" or a gamma number; outside, `wrap` or the `border` colour. With `UDIM` in its
    path it is one of tiles: each stands in its square of the UVs, and where none stands there is the border.
    """

    file: str
    decode: str | float = 1.0
    wrap_u: str = "periodic"
    wrap_v: str = "periodic"
    border: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


class Lane:
    """One number that may vary: an operation on other lanes, or a known `value`."""

    __slots__ = ("args", "data", "op", "value")

    def __init__(self, op: str, args: tuple[Lane, ...] = (), data: object = None, value: float | None = None) -> None:
        self.op, self.args, self.data, self.value = op, args, data, value


def _power(a: Array, b: Array) -> Array:
    return np.asarray(np.maximum(a, 0.0) ** b)


def _divide(a: Array, b: Array) -> Array:
    return np.asarray(np.where(b == 0.0, 0.0, a / np.where(b == 0.0, 1.0, b)))


APPLY: dict[str, Callable[..., Array]] = {
    "add": np.add, "subtract": np.subtract, "multiply": np.multiply, "divide": _divide, "power": _power,
    "least": np.minimum, "most": np.maximum, "below": lambda a, b: np.asarray(a < b, dtype=np.float64),
    "floor": np.floor, "root": lambda a: np.sqrt(np.maximum(a, 0.0)), "exp": lambda a: np.exp(np.minimum(a, 80.0)),
    "log": lambda a: np.log(np.maximum(a, 1e-30)), "absolute": np.abs, "sine": np.sin, "cosine": np.cos, "angle": np.arctan2,
}  # fmt: skip


def known(value: float) -> Lane:
    """A number that is the same everywhere."""
    return Lane("known", value=float(value))


def _apply(op: str, *args: Lane) -> Lane:
    if all(arg.value is not None for arg in args):
        with np.errstate(all="ignore"):
            return known(float(APPLY[op](*(np.float64(arg.value or 0.0) for arg in args))))
    a = args[0].value
    b = args[1].value if len(args) > 1 else None
    if op == "multiply" and (a == 0.0 or b == 0.0):
        return known(0.0)
    if (op in ("add", "subtract") and b == 0.0) or (op in ("multiply", "divide", "power") and b == 1.0):
        return args[0]
    if (op == "add" and a == 0.0) or (op == "multiply" and a == 1.0):
        return args[1]
    return Lane(op, args)


def _as_wide(lanes: tuple[Lane, ...], width: int) -> tuple[Lane, ...]:
    return lanes * width if len(lanes) == 1 else (*lanes, *[known(0.0)] * (width - len(lanes)))


class Field:
    """A number (one lane), a place (two) or a colour (three); arithmetic goes lane by lane, one lane counts for all, and what a
    place lacks beside a colour is 0.
    """

    __slots__ = ("lanes",)

    def __init__(self, lanes: Sequence[Lane]) -> None:
        self.lanes = tuple(lanes)

    def _with(self, op: str, other: Field | float, back: bool = False) -> Field:
        a, b = self.lanes, field(other).lanes
        width = max(len(a), len(b))
        pairs = zip(_as_wide(a, width), _as_wide(b, width), strict=True)
        return Field([_apply(op, y, x) if back else _apply(op, x, y) for x, y in pairs])

    def __add__(self, other: Field | float) -> Field:
        return self._with("add", other)

    __radd__ = __add__

    def __sub__(self, other: Field | float) -> Field:
        return self._with("subtract", other)

    def __rsub__(self, other: Field | float) -> Field:
        return self._with("subtract", other, back=True)

    def __mul__(self, other: Field | float) -> Field:
        return self._with("multiply", other)

    __rmul__ = __mul__

    def __truediv__(self, other: Field | float) -> Field:
        return self._with("divide", other)

    def __rtruediv__(self, other: Field | float) -> Field:
        return self._with("divide", other, back=True)

    def __pow__(self, other: Field | float) -> Field:
        return self._with("power", other)

    def __rpow__(self, other: Field | float) -> Field:
        return self._with("power", other, back=True)

    def __repr__(self) -> str:
        found = self.constant
        return " ".join(f"{part:g}" for part in found) if found is not None else "what varies"

    def __getitem__(self, lane: int) -> Field:
        return Field([self.lanes[lane]])

    def __len__(self) -> int:
        return len(self.lanes)

    @property
    def constant(self) -> tuple[float, ...] | None:
        """Its numbers where they are the same everywhere, else None."""
        values = tuple(lane.value for lane in self.lanes)
        return None if None in values else values  # type: ignore[return-value]

    def is_always(self, number: float) -> bool:
        """Whether it is this number everywhere."""
        return all(lane.value == number for lane in self.lanes)


def field(value: Field | float | Sequence[float]) -> Field:
    """Anything as a field."""
    if isinstance(value, Field):
        return value
    if isinstance(value, bool | int | float):
        return Field([known(value)])
    return Field([known(part) for part in value])


def least(a: Field | float, b: Field | float) -> Field:
    """The smaller of two."""
    return field(a)._with("least", b)


def most(a: Field | float, b: Field | float) -> Field:
    """The larger of two."""
    return field(a)._with("most", b)


def clamp(a: Field | float, low: float = 0.0, high: float = 1.0) -> Field:
    """Held between two numbers."""
    return least(most(a, low), high)


def mix(a: Field | float, b: Field | float, share: Field | float) -> Field:
    """From a (0) to b (1)."""
    a = field(a)
    return a + (field(b) - a) * share


def below(a: Field | float, b: Field | float) -> Field:
    """1 where a is less than b, else 0."""
    return field(a)._with("below", b)


def choose(condition: Field, yes: Field | float, no: Field | float) -> Field:
    """`yes` where the condition is 1, `no` where it is 0."""
    if condition.is_always(1.0):
        return field(yes)
    if condition.is_always(0.0):
        return field(no)
    return mix(no, yes, condition)


def each(op: str, a: Field | float) -> Field:
    """An operation of one argument: floor, root, exp, log, absolute, sine, cosine (of radians)."""
    return Field([_apply(op, lane) for lane in field(a).lanes])


def angle(up: Field | float, across: Field | float) -> Field:
    """The angle of a direction, in radians."""
    return field(up)._with("angle", across)


def join(*parts: Field | float) -> Field:
    """Several as one, side by side."""
    return Field([lane for part in parts for lane in field(part).lanes])


def largest(a: Field) -> Field:
    """The largest lane."""
    out = a[0]
    for n in range(1, len(a)):
        out = most(out, a[n])
    return out


def grey(a: Field) -> Field:
    """The mean of the lanes, as one."""
    out = a[0]
    for n in range(1, len(a)):
        out = out + a[n]
    return out if len(a) == 1 else out / len(a)


def luminance(a: Field) -> Field:
    """Relative luminance of a linear Rec.709 colour (ITU-R BT.709-6)."""
    return a if len(a) == 1 else 0.2126 * a[0] + 0.7152 * a[1] + 0.0722 * a[2]


def colour(a: Field | float) -> Field:
    """As three lanes: a number in each, the first three of more."""
    return Field(_as_wide(field(a).lanes, 3)[:3])


def point(name: str) -> Field:
    """Something known of the point: one of `POINT`."""
    return Field([Lane("point", data=name)])


def uv() -> Field:
    """The point's UVs."""
    return join(point("u"), point("v"))


def more(name: str, parts: int, default: float | Sequence[float] = 0.0, uv: bool = False) -> Field:
    """What a mesh carries for its corners under a name: so many parts."""
    given = [lane.value or 0.0 for lane in _as_wide(field(default).lanes, parts)]
    return Field([Lane("more", data=More(name, part, given[part], uv)) for part in range(parts)])


def picture(lookup: Lookup, place: Field) -> Field:
    """A picture's four channels at a place."""
    args = (place.lanes[0], place.lanes[1])
    shared = Lane("picture", args, lookup)
    return Field([Lane("channel", (shared,), channel) for channel in range(4)])


def noise(place: Field, octaves: int, lacunarity: float = 2.0, diminish: float = 0.5, colour: bool = False) -> Field:
    """Fractal noise at a place of three lanes: one number, or one for each channel."""
    return _fractal("noise", place, octaves, lacunarity, diminish, colour)


def plane_noise(
    place: Field, octaves: int = 1, lacunarity: float = 2.0, diminish: float = 0.5, colour: bool = False
) -> Field:
    """The same at a place of two lanes."""
    return _fractal("plane_noise", place, octaves, lacunarity, diminish, colour)


def _fractal(op: str, place: Field, octaves: int, lacunarity: float, diminish: float, colour: bool) -> Field:
    held = max(1, min(int(octaves), 16))
    channels = (1, 2, 3) if colour else (0,)
    return Field([Lane(op, place.lanes, (held, lacunarity, diminish, channel)) for channel in channels])


def cells(place: Field) -> Field:
    """A number from 0 to 1 for each square or cube with whole corners."""
    return Field([Lane("cells", place.lanes, len(place))])


def scattered(place: Field, jitter: Field | float, style: int = 0) -> Field:
    """How far the nearest of many scattered points is (style 0), or a number of its own for each point (1)."""
    return Field([Lane("scattered", (*place.lanes, field(jitter).lanes[0]), (len(place), style))])


def order(lanes: Sequence[Lane]) -> list[Lane]:
    """Every lane that some lanes need, each once, after those it needs; without recursion."""
    done: dict[int, Lane] = {}
    out: list[Lane] = []
    stack: list[tuple[Lane, bool]] = [(lane, False) for lane in reversed(lanes)]
    while stack:
        lane, ready = stack.pop()
        if id(lane) in done:
            continue
        if ready:
            done[id(lane)] = lane
            out.append(lane)
            continue
        stack.append((lane, True))
        stack.extend((arg, False) for arg in lane.args if id(arg) not in done)
    return out


def without_pictures(lanes: Sequence[Lane], fields: Mapping[str, Field]) -> list[Lane]:
    """The same lanes, where some pictures (by their files) are fields: what a picture stands for instead of the picture."""
    done: dict[int, Lane] = {}
    for lane in order(lanes):
        args = tuple(done[id(arg)] for arg in lane.args)
        source = lane.args[0].data if lane.op == "channel" else None
        if isinstance(source, Lookup) and source.file in fields and isinstance(lane.data, int):
            field_ = fields[source.file]
            done[id(lane)] = field_.lanes[min(lane.data, len(field_) - 1)] if lane.data < 3 else known(1.0)
        elif all(new is old for new, old in zip(args, lane.args, strict=True)):
            done[id(lane)] = lane
        else:
            done[id(lane)] = Lane(lane.op, args, lane.data, lane.value)
    return [done[id(lane)] for lane in lanes]


def without_meshes(lanes: Sequence[Lane]) -> list[Lane]:
    """The same lanes where there is no mesh: what one would carry for its corners is what stands in for it."""
    done: dict[int, Lane] = {}
    for lane in order(lanes):
        args = tuple(done[id(arg)] for arg in lane.args)
        if lane.op == "more" and isinstance(lane.data, More):
            done[id(lane)] = Lane("point", data="uv"[lane.data.part]) if lane.data.uv else known(lane.data.default)
        elif all(new is old for new, old in zip(args, lane.args, strict=True)):
            done[id(lane)] = lane
        else:
            done[id(lane)] = Lane(lane.op, args, lane.data, lane.value)
    return [done[id(lane)] for lane in lanes]


Pixels = Callable[[Lookup], "NDArray[np.float32] | None"]


def evaluate(fields: Sequence[Field], points: Mapping[str, Array], pixels: Pixels) -> list[Array]:
    """Work fields out at n points, each shared lane once; one array [n, lanes] a field.

    `points` has the arrays of `POINT` that are needed, [n] each; `pixels` gives a picture's linear values
    [height, width, 4], top row first, or None when it cannot be read, which is black and solid.
    """
    count = len(next(iter(points.values()))) if points else 1
    found: dict[int, Array] = {}
    with np.errstate(all="ignore"):
        for lane in order([lane for one in fields for lane in one.lanes]):
            found[id(lane)] = _work_out(lane, found, points, pixels, count)
    return [np.stack([np.broadcast_to(found[id(lane)], (count,)) for lane in one.lanes], axis=-1) for one in fields]


def _work_out(lane: Lane, found: dict[int, Array], points: Mapping[str, Array], pixels: Pixels, count: int) -> Array:
    args = [found[id(arg)] for arg in lane.args]
    if lane.value is not None:
        return np.asarray(lane.value, dtype=np.float64)
    if lane.op == "point":
        known_of = points.get(str(lane.data))
        return np.asarray(OTHERWISE[str(lane.data)] if known_of is None else known_of, dtype=np.float64)
    if lane.op == "more":
        assert isinstance(lane.data, More)
        return _more(lane.data, points)
    if lane.op == "picture":
        assert isinstance(lane.data, Lookup)
        u, v = (np.broadcast_to(arg, (count,)) for arg in args)
        return (
            look_up_tiles(pixels, u, v, lane.data)
            if UDIM in lane.data.file
            else look_up(pixels(lane.data), u, v, lane.data)
        )
    if lane.op == "channel":
        assert isinstance(lane.data, int)
        return np.asarray(args[0][..., lane.data])
    if lane.op in _NOISES:
        return _NOISES[lane.op]([np.broadcast_to(arg, (count,)) for arg in args], lane.data)
    return APPLY[lane.op](*args)


_NOISES: dict[str, Callable[..., Array]] = {
    "noise": lambda at, how: fractal(*at, *how),
    "plane_noise": lambda at, how: plane_fractal(*at, *how),
    "cells": lambda at, how: cell_noise(*at),
    "scattered": lambda at, how: scattered_points(at[: how[0]], at[how[0]], how[1]),
}


def _more(what: More, points: Mapping[str, Array]) -> Array:
    """A number that the points carry under its name, or what stands in for it."""
    found = points.get(what.key)
    if found is None and what.uv:
        found = points.get("uv"[what.part])
    return np.asarray(what.default if found is None else found, dtype=np.float64)


def _wrapped(place: NDArray[np.int64], size: int, mode: str) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    inside = np.ones(place.shape, dtype=bool)
    if mode == "periodic":
        return place % size, inside
    if mode == "mirror":
        turned = place % (2 * size)
        return np.where(turned < size, turned, 2 * size - 1 - turned), inside
    if mode == "constant":
        inside = (place >= 0) & (place < size)
    return np.clip(place, 0, size - 1), inside


def look_up(pixels: NDArray[np.float32] | None, u: Array, v: Array, how: Lookup) -> Array:
    """Bilinear values [n, 4] of a picture at places in pictures, v upwards; pixel centres at half numbers."""
    if pixels is None:
        return np.broadcast_to(np.array([0.0, 0.0, 0.0, 1.0]), (*u.shape, 4))
    height, width = pixels.shape[:2]
    x = np.nan_to_num(u, posinf=0.0, neginf=0.0) * width - 0.5
    y = (1.0 - np.nan_to_num(v, posinf=0.0, neginf=0.0)) * height - 0.5
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = (x - x0)[..., None], (y - y0)[..., None]
    total = np.zeros((*u.shape, 4))
    border = np.array(how.border)
    for dx in (0, 1):
        column, in_u = _wrapped(x0.astype(np.int64) + dx, width, how.wrap_u)
        for dy in (0, 1):
            row, in_v = _wrapped(y0.astype(np.int64) + dy, height, how.wrap_v)
            texel = np.where((in_u & in_v)[..., None], pixels[row, column], border)
            total += (fx if dx else 1.0 - fx) * (fy if dy else 1.0 - fy) * texel
    return total


TILE_COLUMNS, TILE_ROWS = 10, 100


def tile(lookup: Lookup, number: int) -> Lookup:
    """One tile of a picture of tiles."""
    return replace(lookup, file=lookup.file.replace(UDIM, str(number)), wrap_u="clamp", wrap_v="clamp")


def tiled(file: str, pattern: str) -> bool:
    """Whether a file is a picture, or a tile of a picture of tiles."""
    before, found, after = pattern.partition(UDIM)
    number = file[len(before) : len(before) + 4]
    return file == pattern or (bool(found) and file == f"{before}{number}{after}" and number.isdecimal())


def look_up_tiles(pixels: Pixels, u: Array, v: Array, how: Lookup) -> Array:
    """Values [n, 4] of a picture of tiles; where there is no tile there is the border."""
    column, row = np.floor(np.nan_to_num(u)), np.floor(np.nan_to_num(v))
    inside = (column >= 0) & (column < TILE_COLUMNS) & (row >= 0) & (row < TILE_ROWS)
    out = np.tile(np.array(how.border, dtype=np.float64), (*u.shape, 1))
    numbers = np.where(inside, 1001 + column + 10 * row, 0).astype(np.int64)
    for number in np.unique(numbers[inside]):
        one = tile(how, int(number))
        found = pixels(one)
        if found is not None:
            here = numbers == number
            out[here] = look_up(found, u[here] - column[here], v[here] - row[here], one)
    return out


def finite(value: float, otherwise: float = 0.0) -> float:
    """The number, or another one where it is none."""
    return value if math.isfinite(value) else otherwise
