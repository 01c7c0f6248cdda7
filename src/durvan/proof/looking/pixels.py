"""What two pictures are apart by, pixel by pixel. Nothing is called from other files, so that the compiler's own cache knows what has changed.

Pictures are linear Rec.709 values [height, width, 3]; each kernel does rows `first` to `end`, and what is no number on either side is none in
what it gives.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import entry, inner, small

Pixels = NDArray[np.float32]
_CELLS = 16384  # of the table of cube roots
_POW25 = 25.0**7
_THIRD = (6.0 / 29.0) ** 3
# Linear Rec.709 to XYZ over its own white (IEC 61966-2-1), as in `optics.difference`
_X = (0.4124564 / 0.9504700, 0.3575761 / 0.9504700, 0.1804375 / 0.9504700)
_Y = (0.2126729, 0.7151522, 0.0721750)
_Z = (0.0193339 / 1.0888300, 0.1191920 / 1.0888300, 0.9503041 / 1.0888300)


def _roots() -> NDArray[np.float64]:
    """CIELAB's function of X, Y or Z over white, at `_CELLS` + 2 places from 0 to a little over 1 (CIE 15:2018, 8.2.1)."""
    t = np.arange(_CELLS + 2) / _CELLS
    return np.where(t > _THIRD, np.cbrt(t), t / (3.0 * (6.0 / 29.0) ** 2) + 4.0 / 29.0)


_ROOTS = _roots()  # a constant to the compiler: an argument would be counted by each thread at each pixel


@small
def root(t: float) -> float:
    """CIELAB's function of a number from 0 to 1."""
    at = min(max(t, 0.0), 1.0) * _CELLS
    cell = int(at)
    return _ROOTS[cell] + (at - cell) * (_ROOTS[cell + 1] - _ROOTS[cell])  # type: ignore[no-any-return]


@small
def lab(r: float, g: float, b: float) -> tuple[float, float, float]:
    """L*, a*, b* of a linear Rec.709 value, each channel from 0 to 1."""
    r, g, b = min(max(r, 0.0), 1.0), min(max(g, 0.0), 1.0), min(max(b, 0.0), 1.0)
    x = root(_X[0] * r + _X[1] * g + _X[2] * b)
    y = root(_Y[0] * r + _Y[1] * g + _Y[2] * b)
    z = root(_Z[0] * r + _Z[1] * g + _Z[2] * b)
    return 116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)


@inner
def difference(l1: float, a1: float, b1: float, l2: float, a2: float, b2: float) -> float:
    """CIEDE2000 of two colours (Sharma, Wu & Dalal 2005). Hues are kept as directions, so that one angle is worked out in place of six."""
    mean = 0.5 * (math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2))
    mean7 = mean * mean * mean
    mean7 = mean7 * mean7 * mean
    g = 1.5 - 0.5 * math.sqrt(mean7 / (mean7 + _POW25))
    a1, a2 = a1 * g, a2 * g
    c1, c2 = math.sqrt(a1 * a1 + b1 * b1), math.sqrt(a2 * a2 + b2 * b2)
    dl, light, c = l2 - l1, 0.5 * (l1 + l2), 0.5 * (c1 + c2)
    l50 = (light - 50.0) * (light - 50.0)
    dl /= 1.0 + 0.015 * l50 / math.sqrt(20.0 + l50)
    dc = (c2 - c1) / (1.0 + 0.045 * c)
    if c1 * c2 == 0.0:
        return math.sqrt(dl * dl + dc * dc)
    x1, y1, x2, y2 = a1 / c1, b1 / c1, a2 / c2, b2 / c2
    x, y = x1 + x2, y1 + y2  # towards the mean hue
    half = 0.5 * math.sqrt(x * x + y * y)  # the cosine of half the angle between the hues
    cross = x1 * (y2 - y1) - y1 * (x2 - x1)
    if half > 1e-3:
        x, y = 0.5 * x / half, 0.5 * y / half
        dh = math.sqrt(c1 * c2) * cross / half
    else:  # opposite hues: their angles' mean, as the formula has it
        h1, h2 = math.degrees(math.atan2(y1, x1)) % 360.0, math.degrees(math.atan2(y2, x2)) % 360.0
        turn = h2 - h1
        h = 0.5 * (h1 + h2)
        if abs(turn) > 180.0:
            turn += -360.0 if turn > 0.0 else 360.0
            h += 180.0 if h < 180.0 else -180.0
        x, y = math.cos(math.radians(h)), math.sin(math.radians(h))
        dh = 2.0 * math.sqrt(c1 * c2) * math.sin(0.5 * math.radians(turn))
    x2h, y2h = x * x - y * y, 2.0 * x * y
    x3h, y3h = x2h * x - y2h * y, y2h * x + x2h * y
    x4h, y4h = x2h * x2h - y2h * y2h, 2.0 * x2h * y2h
    t = (
        1.0 - 0.17 * (0.8660254037844387 * x + 0.5 * y) + 0.24 * x2h
        + 0.32 * (0.9945218953682733 * x3h - 0.10452846326765347 * y3h)
        - 0.20 * (0.45399049973954675 * x4h + 0.8910065241883679 * y4h)
    )  # fmt: skip
    dh /= 1.0 + 0.015 * c * t
    out = dl * dl + dc * dc + dh * dh
    near = 0.08715574274765817 * x - 0.9961946980917455 * y  # the cosine of how far the hue is from 275°
    if near > -0.2:
        far = math.degrees(math.acos(min(near, 1.0))) / 25.0
        c7 = c * c * c
        c7 = c7 * c7 * c
        twist = -2.0 * math.sqrt(c7 / (c7 + _POW25)) * math.sin(1.0471975511965976 * math.exp(-far * far))
        out += twist * dc * dh
    return math.sqrt(max(out, 0.0))


@entry
def colours(
    one: Pixels, two: Pixels, k1: float, k2: float, first: int, end: int, colour: Pixels, chroma: Pixels, hue: Pixels
) -> None:  # fmt: skip
    """As a display shows both, each at its exposure (a factor): CIEDE2000, how much more chroma the second has, and how far its hue is turned
    (degrees, towards yellow from red).

    A hue counts as far as there is one: it is that of the greyer side's chroma, none under 2 and whole from 10 on.
    """
    for v in range(first, end):
        for u in range(one.shape[1]):
            r, g, b = one[v, u, 0] * k1, one[v, u, 1] * k1, one[v, u, 2] * k1
            p, q, s = two[v, u, 0] * k2, two[v, u, 1] * k2, two[v, u, 2] * k2
            if not math.isfinite(r + g + b + p + q + s):
                colour[v, u] = chroma[v, u] = hue[v, u] = math.nan
                continue
            l1, a1, b1 = lab(r, g, b)
            l2, a2, b2 = lab(p, q, s)
            colour[v, u] = difference(l1, a1, b1, l2, a2, b2)
            c1, c2 = math.sqrt(a1 * a1 + b1 * b1), math.sqrt(a2 * a2 + b2 * b2)
            chroma[v, u] = c2 - c1
            there = min(max((min(c1, c2) - 2.0) / 8.0, 0.0), 1.0)
            turned = math.atan2(a1 * b2 - b1 * a2, a1 * a2 + b1 * b2) if there > 0.0 else 0.0
            hue[v, u] = there * math.degrees(turned)


@entry
def stops(
    one: Pixels, two: Pixels, k1: float, k2: float, channel: int, floor: float, first: int, end: int, out: Pixels
) -> None:
    """By how many stops the second is brighter, of a channel (0 to 2) or of luminance (3); `floor` is added to both."""
    for v in range(first, end):
        for u in range(one.shape[1]):
            if channel < 3:
                a, b = one[v, u, channel], two[v, u, channel]
            else:
                a = _Y[0] * one[v, u, 0] + _Y[1] * one[v, u, 1] + _Y[2] * one[v, u, 2]
                b = _Y[0] * two[v, u, 0] + _Y[1] * two[v, u, 1] + _Y[2] * two[v, u, 2]
            if math.isfinite(a) and math.isfinite(b):
                out[v, u] = math.log2((max(b * k2, 0.0) + floor) / (max(a * k1, 0.0) + floor))
            else:
                out[v, u] = math.nan


@entry
def luminances(one: Pixels, first: int, end: int, out: Pixels) -> None:
    """Luminance of each pixel, in picture values."""
    for v in range(first, end):
        for u in range(one.shape[1]):
            out[v, u] = _Y[0] * one[v, u, 0] + _Y[1] * one[v, u, 1] + _Y[2] * one[v, u, 2]


@entry
def halved(values: Pixels, first: int, end: int, out: Pixels) -> None:
    """Means of 2 × 2 numbers, of those that are finite; `out` has half as many rows and columns, rounded up. A channel goes by itself."""
    high, wide, channels = values.shape
    for v in range(first, end):
        for u in range(out.shape[1]):
            for c in range(channels):
                total, count = 0.0, 0
                for y in range(2 * v, min(2 * v + 2, high)):
                    for x in range(2 * u, min(2 * u + 2, wide)):
                        value = values[y, x, c]
                        if math.isfinite(value):
                            total += value
                            count += 1
                out[v, u, c] = total / count if count else math.nan
