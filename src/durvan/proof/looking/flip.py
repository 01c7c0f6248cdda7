"""The FLIP difference of two pictures as a display shows them (Andersson, Nilsson, Akenine-Möller, Oskarsson, Åström & Fairchild, FLIP: A
Difference Evaluator for Alternating Images, HPG 2020): what an eye sees that is led from one to the other in place.

Each picture is blurred as the eye blurs it at a distance, then compared in colour; edges and points are compared besides.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import entry, small
from durvan.proof.bands import over_bands
from durvan.proof.looking.pixels import root

Pixels = NDArray[np.float32]
Taps = NDArray[np.float32]
PER_DEGREE = 0.7 * 3840.0 / 0.7 * math.pi / 180.0  # pixels a degree: a display 0.7 m wide with 3840 pixels, 0.7 m away
_FEATURE = 0.082  # degrees, how wide edges and points are that the eye sees best
_COLOUR_POWER, _FEATURE_POWER = 0.7, 0.5
_KNEE, _KNEE_AT = 0.4, 0.95  # of the largest difference, and what it is mapped to
# Linear Rec.709 to XYZ and back, and white, as the paper's authors have them
_TO_XYZ = np.array(
    [
        [10135552 / 24577794, 8788810 / 24577794, 4435075 / 24577794],
        [2613072 / 12288897, 8788810 / 12288897, 887015 / 12288897],
        [1425312 / 73733382, 8788810 / 73733382, 70074185 / 73733382],
    ]
)
_OVER_WHITE = _TO_XYZ / _TO_XYZ.sum(axis=1, keepdims=True)
_XYZ = tuple(float(x) for x in _OVER_WHITE.reshape(-1))  # constants to the compiler
_RGB = tuple(float(x) for x in np.linalg.inv(_OVER_WHITE).reshape(-1))
# weights and widths of the eye's blur, of lightness, red to green, blue to yellow (the last one is the sum of two)
_BLUR = ((1.0, 0.0047, 0.0, 1e-5), (1.0, 0.0053, 0.0, 1e-5), (34.1, 0.04, 13.5, 0.025))


def _gauss(radius: int, width: float, degree: float) -> NDArray[np.float64]:
    x = np.arange(-radius, radius + 1) / degree
    return np.asarray(np.exp(-(math.pi**2) * x * x / width))


def blurs(degree: float) -> tuple[tuple[Taps, ...], NDArray[np.float64]]:
    """The blurs as four one-dimensional filters, each from its middle on, and how much the last two count for blue to yellow."""
    radius = math.ceil(3.0 * math.sqrt(0.04 / (2.0 * math.pi**2)) * degree)
    rows = [_gauss(radius, width, degree) for width in (0.0047, 0.0053, 0.04, 0.025)]
    parts = np.array(
        [
            weight * math.sqrt(math.pi / width) * row.sum() ** 2
            for weight, width, row in ((34.1, 0.04, rows[2]), (13.5, 0.025, rows[3]))
        ]
    )
    return tuple(_half(row / row.sum()) for row in rows), parts / parts.sum()


def _half(row: NDArray[np.float64]) -> Taps:
    """A filter from its middle on, as far as it does anything."""
    half = row[len(row) // 2 :]
    left = half[::-1].cumsum()[::-1]  # from each tap on
    return half[left > 1e-7].astype(np.float32)


def features(degree: float) -> tuple[Taps, ...]:
    """The filters of edges and points, each from its middle on: a Gaussian, its first and its second derivative."""
    deviation = 0.5 * _FEATURE * degree
    radius = math.ceil(3.0 * deviation)
    x = np.arange(-radius, radius + 1, dtype=np.float64)
    gauss = np.exp(-x * x / (2.0 * deviation**2))
    first, second = -x * gauss, (x * x / deviation**2 - 1.0) * gauss
    rows = [gauss / gauss.sum()]
    for row in (first, second):
        plus, minus = row[row > 0.0].sum(), -row[row < 0.0].sum()
        rows.append(np.where(row > 0.0, row / plus, row / minus))
    return tuple(row[radius:].astype(np.float32) for row in rows)


@entry
def _opponents(rgb: Pixels, k: float, first: int, end: int, out: Pixels) -> None:
    """Lightness, red to green, blue to yellow as planes [3, height, width] of a picture at an exposure; what is no number is black."""
    for v in range(first, end):
        for u in range(rgb.shape[1]):
            r, g, b = rgb[v, u, 0] * k, rgb[v, u, 1] * k, rgb[v, u, 2] * k
            r = min(max(r, 0.0), 1.0) if math.isfinite(r) else 0.0
            g = min(max(g, 0.0), 1.0) if math.isfinite(g) else 0.0
            b = min(max(b, 0.0), 1.0) if math.isfinite(b) else 0.0
            x = _XYZ[0] * r + _XYZ[1] * g + _XYZ[2] * b
            y = _XYZ[3] * r + _XYZ[4] * g + _XYZ[5] * b
            z = _XYZ[6] * r + _XYZ[7] * g + _XYZ[8] * b
            out[0, v, u] = 116.0 * y - 16.0
            out[1, v, u] = 500.0 * (x - y)
            out[2, v, u] = 200.0 * (y - z)


@small
def _down(plane: Pixels, v: int, taps: Taps, odd: bool, low: int, out: Pixels) -> None:
    """A row filtered along its columns, into `out` from `low` on, with its ends carried on for filters along it. `taps` are the right half
    of a filter, its middle first; the left half is the same, or of an `odd` one its negative. Two at a time: each number is stored less often.
    """
    last, wide = plane.shape[0] - 1, plane.shape[1]
    into, row, middle = out[low : low + wide], plane[v], taps[0]
    for u in range(wide):
        into[u] = middle * row[u]
    for k in range(1, len(taps), 2):
        a, b = plane[min(v + k, last)], plane[max(v - k, 0)]
        c, d = plane[min(v + k + 1, last)], plane[max(v - k - 1, 0)]
        s, t = taps[k], taps[k + 1] if k + 1 < len(taps) else np.float32(0.0)
        if odd:
            for u in range(wide):
                into[u] += s * (a[u] - b[u]) + t * (c[u] - d[u])
        else:
            for u in range(wide):
                into[u] += s * (a[u] + b[u]) + t * (c[u] + d[u])
    for u in range(low):
        out[u] = out[low]
        out[low + wide + u] = out[low + wide - 1]


@small
def _along(line: Pixels, taps: Taps, odd: bool, low: int, wide: int, out: Pixels) -> None:
    """A line with `low` numbers beside it, filtered along itself."""
    row, middle = line[low : low + wide], taps[0]
    for u in range(wide):
        out[u] = middle * row[u]
    for k in range(1, len(taps), 2):
        a, b = line[low + k : low + k + wide], line[low - k : low - k + wide]
        c, d = line[low + k + 1 : low + k + 1 + wide], line[low - k - 1 : low - k - 1 + wide]
        s, t = taps[k], taps[k + 1] if k + 1 < len(taps) else np.float32(0.0)
        if odd:
            for u in range(wide):
                out[u] += s * (a[u] - b[u]) + t * (c[u] - d[u])
        else:
            for u in range(wide):
                out[u] += s * (a[u] + b[u]) + t * (c[u] + d[u])


@small
def _hunted(y: float, cx: float, cz: float) -> tuple[float, float, float]:
    """L*, a*, b* of opponent values that were blurred, with a* and b* as an eye sees them at that lightness (Hunt)."""
    yn = (y + 16.0) / 116.0
    xn, zn = yn + cx / 500.0, yn - cz / 200.0  # over white
    r = min(max(_RGB[0] * xn + _RGB[1] * yn + _RGB[2] * zn, 0.0), 1.0)
    g = min(max(_RGB[3] * xn + _RGB[4] * yn + _RGB[5] * zn, 0.0), 1.0)
    b = min(max(_RGB[6] * xn + _RGB[7] * yn + _RGB[8] * zn, 0.0), 1.0)
    fx, fy = root(_XYZ[0] * r + _XYZ[1] * g + _XYZ[2] * b), root(_XYZ[3] * r + _XYZ[4] * g + _XYZ[5] * b)
    fz = root(_XYZ[6] * r + _XYZ[7] * g + _XYZ[8] * b)
    light = 116.0 * fy - 16.0
    return light, 5.0 * (fx - fy) * light, 2.0 * (fy - fz) * light


@small
def _seen(apart: float, mark: float, largest: float) -> float:
    """FLIP of how far blurred colours are apart, and of how far edges and points are."""
    colour = np.float32(apart) ** np.float32(_COLOUR_POWER) if apart > 0.0 else np.float32(0.0)
    knee = _KNEE * largest
    if colour < knee:
        colour *= _KNEE_AT / knee
    else:
        colour = _KNEE_AT + (colour - knee) / (largest - knee) * (1.0 - _KNEE_AT)
    seen = math.sqrt(min(mark * 0.7071067811865476, 1.0))
    if colour > 0.0:
        return float(np.float32(colour) ** np.float32(1.0 - seen))
    return 0.0 if seen < 1.0 else 1.0


@entry
def _compare(
    one: Pixels, two: Pixels, blur: tuple[Taps, ...], share: float, feature: tuple[Taps, ...], largest: float, first: int, end: int, out: Pixels
) -> None:  # fmt: skip
    """FLIP at rows `first` to `end`, of the opponent planes of both pictures."""
    wide = one.shape[2]
    low = max(max([len(taps) for taps in blur]), len(feature[0])) + 1
    line = np.empty(wide + 2 * low, np.float32)
    parts = np.empty((2, 4, wide), np.float32)  # lightness, red to green, blue to yellow twice
    edges = np.empty((2, 4, wide), np.float32)  # first derivatives across and down, second ones
    for v in range(first, end):
        for side in range(2):
            planes = one if side == 0 else two
            for n in range(4):
                _down(planes[min(n, 2)], v, blur[n], False, low, line)
                _along(line, blur[n], False, low, wide, parts[side, n])
            _down(planes[0], v, feature[0], False, low, line)
            _along(line, feature[1], True, low, wide, edges[side, 0])
            _along(line, feature[2], False, low, wide, edges[side, 2])
            _down(planes[0], v, feature[1], True, low, line)
            _along(line, feature[0], False, low, wide, edges[side, 1])
            _down(planes[0], v, feature[2], False, low, line)
            _along(line, feature[0], False, low, wide, edges[side, 3])
        for u in range(wide):
            y1, y2 = parts[0, 0, u], parts[1, 0, u]
            z1 = share * parts[0, 2, u] + (1.0 - share) * parts[0, 3, u]
            z2 = share * parts[1, 2, u] + (1.0 - share) * parts[1, 3, u]
            l1, a1, b1 = _hunted(y1, parts[0, 1, u], z1)
            l2, a2, b2 = _hunted(y2, parts[1, 1, u], z2)
            apart = abs(l1 - l2) + math.sqrt((a1 - a2) * (a1 - a2) + (b1 - b2) * (b1 - b2))
            e1 = math.sqrt(edges[0, 0, u] * edges[0, 0, u] + edges[0, 1, u] * edges[0, 1, u])
            e2 = math.sqrt(edges[1, 0, u] * edges[1, 0, u] + edges[1, 1, u] * edges[1, 1, u])
            p1 = math.sqrt(edges[0, 2, u] * edges[0, 2, u] + edges[0, 3, u] * edges[0, 3, u])
            p2 = math.sqrt(edges[1, 2, u] * edges[1, 2, u] + edges[1, 3, u] * edges[1, 3, u])
            out[v, u] = _seen(apart, max(abs(e1 - e2), abs(p1 - p2)) / 116.0, largest)


def _largest() -> float:
    """The difference of green and blue, the most that there is."""
    plain = _hunted.py_func  # type: ignore[attr-defined] # the function as it was before it was compiled
    found = []
    for rgb in ((0.0, 1.0, 0.0), (0.0, 0.0, 1.0)):
        x, y, z = _OVER_WHITE @ np.array(rgb)
        found.append(plain(116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)))
    (l1, a1, b1), (l2, a2, b2) = found
    return float((abs(l1 - l2) + math.hypot(a1 - a2, b1 - b2)) ** _COLOUR_POWER)


def flip(one: Pixels, two: Pixels, k1: float = 1.0, k2: float = 1.0, degree: float = PER_DEGREE) -> Pixels:
    """FLIP [height, width], 0 to 1, of two pictures [height, width, 3] at their exposures (factors), seen at `degree` pixels a degree.

    What is no number counts as black.
    """
    high, wide, _ = one.shape
    planes = [np.empty((3, high, wide), np.float32) for _ in range(2)]
    for rgb, k, into in ((one, k1, planes[0]), (two, k2, planes[1])):
        over_bands(high, lambda first, end, rgb=rgb, k=k, into=into: _opponents(rgb, k, first, end, into))  # type: ignore[misc]
    blur, shares = blurs(degree)
    feature, largest, share = features(degree), _largest(), float(shares[0])
    out = np.empty((high, wide), np.float32)
    over_bands(high, lambda first, end: _compare(planes[0], planes[1], blur, share, feature, largest, first, end, out))
    return out
