"""What metals reflect by their complex index, the index of one that reflects so, and what is absorbed on a way."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from durvan.optics.fresnel import conductor, edge_tinted

Three = tuple[float, float, float]
_AT = 1.0 / 7.0  # the cosine of 82 degrees, at which an edge is told


def _three(value: Sequence[float] | float) -> Three:
    return (value[0], value[1], value[2]) if isinstance(value, Sequence) else (float(value),) * 3


def _of_three(parts: Iterable[float]) -> Three:
    r, g, b = parts
    return r, g, b


def metal_faced(eta: Sequence[float] | float, k: Sequence[float] | float) -> Three:
    """What a metal reflects when faced."""
    return _of_three(conductor(1.0, n, x) for n, x in zip(_three(eta), _three(k), strict=True))


def metal_edge(eta: Sequence[float] | float, k: Sequence[float] | float) -> Three:
    """What its reflection at 82 degrees is of Schlick's there."""
    out = []
    for n, x in zip(_three(eta), _three(k), strict=True):
        faced = conductor(1.0, n, x)
        plain = float(edge_tinted(_AT, faced, 1.0))
        out.append(min(conductor(_AT, n, x) / plain, 1.0) if plain > 0.0 else 1.0)
    return _of_three(out)


def metal_eta(faced: Sequence[float] | float, edge: Sequence[float] | float) -> Three:
    """The real part of the index of a metal that reflects so when faced, and so at 82 degrees as a part of Schlick's."""
    return _of_three(_index(f, e)[0] for f, e in zip(_three(faced), _three(edge), strict=True))


def metal_k(faced: Sequence[float] | float, edge: Sequence[float] | float) -> Three:
    """The imaginary part of that index."""
    return _of_three(_index(f, e)[1] for f, e in zip(_three(faced), _three(edge), strict=True))


def _index(faced: float, edge: float) -> tuple[float, float]:
    """An index by bisection: all that reflect as much when faced lie on a curve between two ends (Gulbrandsen 2014), along which the
    reflection at 82 degrees falls.
    """
    r = min(max(faced, 0.0), 0.9999)
    root = math.sqrt(r)
    low, high = (1.0 - r) / (1.0 + r), (1.0 + root) / (1.0 - root)

    def absorbed(n: float) -> float:
        return math.sqrt(max(((n + 1.0) ** 2 * r - (n - 1.0) ** 2) / (1.0 - r), 0.0))

    wanted = edge * float(edge_tinted(_AT, r, 1.0))
    at_low, at_high = (conductor(_AT, n, absorbed(n)) for n in (low, high))
    if not min(at_low, at_high) < wanted < max(at_low, at_high):
        n = low if abs(at_low - wanted) < abs(at_high - wanted) else high
        return n, absorbed(n)
    for _ in range(60):
        middle = 0.5 * (low + high)
        if (conductor(_AT, middle, absorbed(middle)) > wanted) == (at_low > at_high):
            low = middle
        else:
            high = middle
    return low, absorbed(low)


def absorbed(colour: Sequence[float] | float) -> Three:
    """What is absorbed over a length at which white has become a colour (Beer and Lambert)."""
    return _of_three(-math.log(max(part, 1e-6)) for part in _three(colour))


def left_over(absorption: Sequence[float] | float) -> Three:
    """What is left of white after that is absorbed."""
    return _of_three(math.exp(-part) for part in _three(absorption))
