"""What a window of some pixels shows of a picture that is larger or smaller: sampled, put through a table, as pixels for a screen.

It is done anew for what a window shows, so nothing is kept for a way of looking but its tables. Smaller pictures stand ready by halves; of them
the one is taken whose pixels are not more than twice as fine as the screen's.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import address, entry, small
from durvan.proof.bands import over_bands
from durvan.proof.looking import pixels
from durvan.proof.looking.tones import FIRST, PLACES, SHIFT, Bytes

Floats = NDArray[np.float32]
Corners = NDArray[np.int64]
Steps = NDArray[np.int16]
Screen = NDArray[np.uint32]  # 0xffRRGGBB [height, width]
_SMALLEST = 64
_FULL = 255 * 16  # what white is in a cube's corners
_HALVES = (2048 << 42) | (2048 << 21) | 2048  # half a display value in each channel, once corners are weighed by 256ths
_SHIFT, _FIRST, _PLACES = SHIFT, FIRST, PLACES


@dataclass(frozen=True)
class Levels:
    """A picture or a map [height, width, channels] with its halves; each is half as large as the one before, rounded up."""

    levels: tuple[Floats, ...]

    @classmethod
    def of(cls, values: Floats) -> Levels:
        """Of a picture [height, width, channels] or a map [height, width]."""
        whole = values if values.ndim == 3 else values[..., None]
        made = [np.ascontiguousarray(whole, dtype=np.float32)]
        while max(made[-1].shape[:2]) > _SMALLEST:
            last = made[-1]
            shape = ((last.shape[0] + 1) // 2, (last.shape[1] + 1) // 2, last.shape[2])
            out = np.empty(shape, dtype=np.float32)
            over_bands(shape[0], lambda first, end, last=last, out=out: pixels.halved(last, first, end, out))  # type: ignore[misc]
            made.append(out)
        return cls(tuple(made))

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the picture itself."""
        return self.levels[0].shape[1], self.levels[0].shape[0]

    def for_zoom(self, zoom: float) -> tuple[Floats, float]:
        """The level for so many screen pixels a picture pixel, and how many of its pixels a picture pixel is."""
        wanted = max(0, math.floor(math.log2(1.0 / max(zoom, 1e-9)) + 1e-6)) if zoom < 1.0 else 0
        number = min(wanted, len(self.levels) - 1)
        return self.levels[number], 0.5**number


@dataclass(frozen=True)
class Frame:
    """Which part of a picture a window shows: the picture's place at the window's upper left corner, in its pixels, and screen pixels a picture
    pixel.
    """

    left: float
    top: float
    zoom: float

    @classmethod
    def fitting(cls, picture: tuple[int, int], window: tuple[int, int]) -> Frame:
        """All of a picture, in the middle of a window."""
        zoom = min(window[0] / picture[0], window[1] / picture[1])
        return cls((picture[0] - window[0] / zoom) / 2.0, (picture[1] - window[1] / zoom) / 2.0, zoom)

    def at(self, x: float, y: float) -> tuple[float, float]:
        """The picture's place under a place of the window."""
        return self.left + x / self.zoom, self.top + y / self.zoom

    def about(self, x: float, y: float, zoom: float) -> Frame:
        """Nearer or farther, with what is under a place of the window staying there."""
        across, down = self.at(x, y)
        return Frame(across - x / zoom, down - y / zoom, zoom)

    def moved(self, x: float, y: float) -> Frame:
        """With the picture moved on the screen by some of its pixels."""
        return Frame(self.left - x / self.zoom, self.top - y / self.zoom, self.zoom)


@small
def _sample(level: Any, high: int, wide: int, channels: int, x: float, y: float, smooth: bool, out: Any) -> bool:
    """A level's values about a place in its pixels, into `out`: the pixel's own, or between pixels (the nearest one's where a neighbour is
    none); whether they are finite. `level` and `out` are bare numbers: arrays would be counted by each thread at each pixel.
    """
    good = True
    if not smooth:
        at = (min(max(int(y), 0), high - 1) * wide + min(max(int(x), 0), wide - 1)) * channels
        for c in range(channels):
            out[c] = level[at + c]
            good = good and math.isfinite(out[c])
        return good
    x, y = max(x - 0.5, 0.0), max(y - 0.5, 0.0)
    u, v = int(x), int(y)
    a, b = np.float32(x - u), np.float32(y - v)
    u, v = min(u, wide - 1), min(v, high - 1)
    right = channels if u + 1 < wide else 0
    down = wide * channels if v + 1 < high else 0
    first = (v * wide + u) * channels
    for c in range(channels):
        at = first + c
        upper = level[at] + a * (level[at + right] - level[at])
        lower = level[at + down] + a * (level[at + down + right] - level[at + down])
        found = upper + b * (lower - upper)
        if not math.isfinite(found):
            found = level[at]
        out[c] = found
        good = good and math.isfinite(found)
    return good


@small
def _inside(left: float, step: float, width: float, count: int) -> tuple[int, int]:
    """The first of a window's columns that shows a picture of a width, and the first behind them."""
    begin = min(max(math.ceil(-left / step - 0.5), 0), count)
    end = min(max(math.ceil((width - left) / step - 0.5), begin), count)
    return begin, end


@small
def _place(value: float) -> int:
    """Where a table has a value; the bits of one below nothing are below all places."""
    bits = np.float32(value).view(np.int32) >> _SHIFT
    return max(0, min(int(bits) - _FIRST, _PLACES - 1))


@small
def _cubed(cube: Any, n: int, axis: Any, rgb: Any) -> int:
    """A cube's colour for some values, as 0xRRGGBB: between the four of its corners that are about them (a cube cut into six by its diagonal).

    All three channels are added up at once, each in bits of its own (see `Cube`). How far along each axis and the step along it stand in one
    number, so that their order, which says which corners they are, takes no branches.
    """
    x, y, z = int(axis[_place(rgb[0])]), int(axis[_place(rgb[1])]), int(axis[_place(rgb[2])])
    i, j, m = min(x >> 8, n - 2), min(y >> 8, n - 2), min(z >> 8, n - 2)
    red, green, blue = ((x - (i << 8)) << 13) | (n * n), ((y - (j << 8)) << 13) | n, ((z - (m << 8)) << 13) | 1
    more, less = max(red, green), min(red, green)
    last = max(less, blue)
    most, middle, least = max(more, last), min(more, last), min(less, blue)
    first, second, third = most >> 13, middle >> 13, least >> 13
    corner = (i * n + j) * n + m
    one = corner + (most & 8191)
    two = one + (middle & 8191)
    found = (
        (256 - first) * int(cube[corner])
        + (first - second) * int(cube[one])
        + (second - third) * int(cube[two])
        + third * int(cube[two + (least & 8191)])
        + _HALVES
    )
    return ((found >> 54) & 255) << 16 | ((found >> 33) & 255) << 8 | ((found >> 12) & 255)


@entry
def _picture(
    level: Floats, scale: float, left: float, top: float, zoom: float, table: Bytes, cube: Corners, axis: Steps, gain: float, outside: int,
    marks: bool, first: int, end: int, out: Screen,
) -> None:  # fmt: skip
    """Rows `first` to `end` of a window onto a picture."""
    smooth = zoom * scale < 1.0 or (zoom < 2.0 and zoom != 1.0)
    by_cube, side = cube.shape[0] > 1, cube.shape[0]
    one_pixel = np.empty(3, np.float32)
    rgb, there, corners, places, codes = (
        address(one_pixel),
        address(level),
        address(cube),
        address(axis),
        address(table),
    )
    tall, broad = level.shape[:2]
    step = 1.0 / zoom
    for i in range(first, end):
        y = top + (i + 0.5) * step
        begin, stop = _inside(left, step, broad / scale, out.shape[1])
        if y < 0.0 or y * scale >= tall:
            begin = stop = out.shape[1]
        for j in range(begin):
            out[i, j] = np.uint32(outside)
        for j in range(stop, out.shape[1]):
            out[i, j] = np.uint32(outside)
        for j in range(begin, stop):
            x = left + (j + 0.5) * step
            if not _sample(there, tall, broad, 3, x * scale, y * scale, smooth, rgb):
                out[i, j] = np.uint32(_hatch(i, j))
                continue
            if marks and (i + j) % 6 < 3:
                most = max(rgb[0], rgb[1], rgb[2]) * gain
                if most >= 1.0 or most <= 0.0:
                    out[i, j] = np.uint32(0xFF000000) if most >= 1.0 else np.uint32(0xFFFFFFFF)
                    continue
            if by_cube:
                out[i, j] = np.uint32(0xFF000000 | _cubed(corners, side, places, rgb))
            else:
                red, green, blue = int(codes[_place(rgb[0])]), int(codes[_place(rgb[1])]), int(codes[_place(rgb[2])])
                out[i, j] = np.uint32(0xFF000000 | (red << 16) | (green << 8) | blue)


@small
def _hatch(i: int, j: int) -> int:
    """What stands for no number: fine lines that go the other way than those of what is clipped."""
    return 0xFF3C3C3C if (i - j) % 8 < 2 else 0xFF8C8C8C


@entry
def _map(
    level: Floats, scale: float, left: float, top: float, zoom: float, colours: Bytes, low: float, high: float, stops: bool, outside: int,
    first: int, end: int, out: Screen,
) -> None:  # fmt: skip
    """The same of measured numbers, shown by colours from `low` to `high`; with `stops` their logarithms over mid grey."""
    smooth = zoom * scale < 1.0 or (zoom < 2.0 and zoom != 1.0)
    last = colours.shape[0] - 1
    one_value = np.empty(1, np.float32)
    value_, there = address(one_value), address(level)
    tall, broad, channels = level.shape
    step = 1.0 / zoom
    for i in range(first, end):
        y = top + (i + 0.5) * step
        begin, stop = _inside(left, step, broad / scale, out.shape[1])
        if y < 0.0 or y * scale >= tall:
            begin = stop = out.shape[1]
        for j in range(begin):
            out[i, j] = np.uint32(outside)
        for j in range(stop, out.shape[1]):
            out[i, j] = np.uint32(outside)
        for j in range(begin, stop):
            x = left + (j + 0.5) * step
            if not _sample(there, tall, broad, channels, x * scale, y * scale, smooth, value_):
                out[i, j] = np.uint32(_hatch(i, j))
                continue
            value = value_[0]
            if stops:
                value = math.log2(max(value, 1e-9) / 0.18)
            at = int(min(max((value - low) / (high - low), 0.0), 1.0) * last + 0.5)
            out[i, j] = np.uint32(
                0xFF000000 | (int(colours[at, 0]) << 16) | (int(colours[at, 1]) << 8) | int(colours[at, 2])
            )


@dataclass(frozen=True, eq=False)
class Cube:
    """A colour view for the screen: `corners` [n, n, n] hold red, green and blue of a display's 255 as sixteenths, in bits from 42, 21 and 0 on;
    `places` says for each place of a table where along the cube its value stands with the exposure on it, in 256ths.
    """

    corners: Corners
    places: Steps

    @classmethod
    def of(cls, cube: Floats, axis: Floats) -> Cube:
        """Of display values [n, n, n, 3] from 0 to 1, and where along them each place of a table stands, from 0 to n − 1."""
        lanes = np.rint(np.clip(np.nan_to_num(cube, nan=0.0), 0.0, 1.0) * _FULL).astype(np.int64)
        corners = (lanes[..., 0] << 42) | (lanes[..., 1] << 21) | lanes[..., 2]
        return cls(np.ascontiguousarray(corners), _steps(axis))

    def exposed(self, axis: Floats) -> Cube:
        """With another exposure: where along it each place of a table stands then."""
        return Cube(self.corners, _steps(axis))


def _steps(axis: Floats) -> Steps:
    found: Steps = np.rint(np.asarray(axis) * 256.0).astype(np.int16)
    return found


_NO_CUBE = Cube(np.zeros((1, 1, 1), np.int64), np.zeros(1, np.int16))


@dataclass(frozen=True)
class Toned:
    """How a side's values become a display's: a `table` [PLACES] with the exposure in it, or a `cube`; `gain` is the exposure as a factor."""

    table: Bytes
    gain: float = 1.0
    cube: Cube | None = None


def picture(
    side: Levels, frame: Frame, size: tuple[int, int], toned: Toned, outside: int, clipped: bool = False
) -> Screen:
    """A window [height, width] of a `size` (width, height) onto a picture, as pixels for a screen (0xffRRGGBB).

    `outside` is what stands where there is no picture; with `clipped` what is at white or beyond is hatched black, what is at nothing white.
    What is no number is hatched grey.
    """
    level, scale = side.for_zoom(frame.zoom)
    out = np.empty((size[1], size[0]), np.uint32)
    cube = toned.cube if toned.cube is not None else _NO_CUBE
    over_bands(
        size[1],
        lambda first, end: _picture(
            level, scale, frame.left, frame.top, frame.zoom, toned.table, cube.corners, cube.places, toned.gain, outside, clipped, first, end, out
        ),
    )  # fmt: skip
    return out


def measured(
    side: Levels, frame: Frame, size: tuple[int, int], colours: Bytes, reach: tuple[float, float], outside: int, stops: bool = False
) -> Screen:  # fmt: skip
    """The same of a map, by colours [n, 3] from the lower to the upper end of a reach; with `stops` it holds luminances."""
    level, scale = side.for_zoom(frame.zoom)
    out = np.empty((size[1], size[0]), np.uint32)
    over_bands(
        size[1],
        lambda first, end: _map(level, scale, frame.left, frame.top, frame.zoom, colours, reach[0], reach[1], stops, outside, first, end, out),
    )  # fmt: skip
    return out
