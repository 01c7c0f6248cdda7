"""A response that is burnt into one of two pictures: found by which curve brings it to the other one best, and taken out where that fits.

Known curves are tried on either side, each with an exposure of its own; beside them stands the best curve that only rises, of whatever
form (isotonic regression), which says how much any curve could explain. What lights and materials do differently is left either way, so only
a curve that leaves much less than none does is a response.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.tone import KNEE, linear
from durvan.proof.picture import Picture, Pixels

Floats = NDArray[np.float64]
Curve = Callable[[Pixels], Pixels]
OWN = "a curve of its own"
_Y = np.array(REC709_LUMINANCE)
_MOST = 60_000  # pixels that are looked at
_ENOUGH = 500
_LEAST = 2.0**-9  # of the brightest: what is darker is mostly noise
_FEWER = 0.5  # of what is left without a curve, that may be left with one
_AS_GOOD = 1.25  # times what is left by the best rising curve, that a known one may leave
_OWN = 0.4  # of what is left without a curve, that one of its own may leave
_STEEP = 0.18  # by how much more than one the curve's slope has to be, in stops a stop
_KNOTS = 48


@dataclass(frozen=True)
class Response:
    """What was found: on which side ("source" or "target"), by which name, the curve that takes it out, and what is left of the spread in stops,
    with it and without.
    """

    side: str
    name: str
    straighten: Curve
    left: float
    before: float

    @property
    def told(self) -> str:
        """What is to be said of the picture that has it."""
        return f"has {self.name} burnt in, which the other one has not; it is taken out"


def _gamma(exponent: float) -> Curve:
    return lambda x: np.asarray(np.maximum(x, 0.0) ** np.float32(exponent), dtype=np.float32)


def _shoulder(x: Pixels) -> Pixels:
    """The soft shoulder, straight again; what lies at its end has no value any more and stays there."""
    room = np.float32(1.0 - KNEE)
    over = np.clip((x - np.float32(KNEE)) / room, 0.0, 0.9995)
    return np.where(x > KNEE, np.float32(KNEE) + room * np.arctanh(over), x).astype(np.float32)


KNOWN: tuple[tuple[str, Curve], ...] = (
    ("the display's own curve (sRGB)", linear),
    ("a gamma of 2.2", _gamma(2.2)),
    ("a gamma of 2.4", _gamma(2.4)),
    ("a soft shoulder", _shoulder),
    ("a soft shoulder under the display's curve", lambda x: _shoulder(linear(x))),
)


def response_between(source: Picture, target: Picture) -> Response | None:
    """The response that one of two pictures of one size has and the other one has not; None where none is found."""
    one, two = _levels(source, target)
    if len(one) < _ENOUGH:
        return None
    before = _spread(one, two)
    best: Response | None = None
    for side, mine, other in (("target", two, one), ("source", one, two)):
        for name, curve in KNOWN:
            left = _spread(other, curve(mine.astype(np.float32)).astype(np.float64))
            if best is None or left < best.left:
                best = Response(side, name, curve, left, before)
    rising = {side: _rising(mine, other) for side, mine, other in (("target", two, one), ("source", one, two))}
    assert best is not None
    if best.left < _FEWER * before and best.left < _AS_GOOD * max(rising[best.side][1], 1e-3):
        return best
    side = max(rising, key=lambda which: rising[which][2])  # the one whose stops are pressed together
    curve, least, slope = rising[side]
    if least < _OWN * before and slope > 1.0 + _STEEP and best.left > _AS_GOOD * least:
        return Response(side, OWN, curve, least, before)
    return None


def straightened(source: Picture, target: Picture) -> tuple[Picture, Picture, Response | None]:
    """Both pictures, the one without its response where one is found."""
    found = response_between(source, target)
    if found is None:
        return source, target, None
    bent = target if found.side == "target" else source
    rgb = found.straighten(bent.rgb)
    grey, straight = np.maximum(bent.rgb @ _Y, 1e-6), np.maximum(rgb @ _Y, 0.0)
    variance = bent.variance
    if variance is not None:
        variance = np.asarray(variance * (straight / grey) ** 2, dtype=np.float32)
    fresh = replace(bent, rgb=np.asarray(rgb, dtype=np.float32), variance=variance)
    return (source, fresh, found) if found.side == "target" else (fresh, target, found)


def _levels(source: Picture, target: Picture) -> tuple[Floats, Floats]:
    """Luminances of some pixels of both, of those that are lit on both sides and not at their ends."""
    height, width = source.rgb.shape[:2]
    step = max(1, int(np.sqrt(width * height / _MOST)))
    one, two = (np.asarray(side.rgb[::step, ::step] @ _Y, dtype=np.float64).reshape(-1) for side in (source, target))
    with np.errstate(invalid="ignore"):
        good = np.isfinite(one) & np.isfinite(two)
        for side in (one, two):
            top = np.quantile(side[good], 0.995) if good.any() else 1.0
            good &= (side > _LEAST * top) & (side < top)
    return one[good], two[good]


def _spread(one: Floats, two: Floats) -> float:
    """How far both are apart but for an exposure, in stops: the middle of what is off the middle."""
    apart = np.log2(np.maximum(two, 1e-12) / np.maximum(one, 1e-12))
    return float(np.median(np.abs(apart - np.median(apart))))


def _rising(mine: Floats, other: Floats) -> tuple[Curve, float, float]:
    """The best curve from one side to the other that only rises: the curve, what is left, and its slope in the middle, in stops a stop."""
    order = np.argsort(mine)
    x, y = np.log2(mine[order]), np.log2(other[order])
    from scipy.optimize import isotonic_regression  # a third of a second, which opening a scene need not wait for

    fitted = isotonic_regression(y).x
    left = float(np.median(np.abs(y - fitted)))
    at = np.quantile(np.arange(len(x)), np.linspace(0.02, 0.98, _KNOTS)).astype(int)
    knots_x, first = np.unique(x[at], return_index=True)
    knots_y = fitted[at][first]
    if len(knots_x) < 4:
        return (lambda values: values), left, 1.0
    slopes = np.diff(knots_y) / np.maximum(np.diff(knots_x), 1e-6)
    slope = float(np.median(slopes))

    def curve(values: Pixels) -> Pixels:
        stops = np.log2(np.maximum(values, 1e-12))
        inside = np.interp(stops, knots_x, knots_y)
        low, high = stops < knots_x[0], stops > knots_x[-1]
        inside = np.where(
            low, knots_y[0] + stops - knots_x[0], np.where(high, knots_y[-1] + stops - knots_x[-1], inside)
        )
        return np.asarray(np.where(values > 0.0, np.exp2(inside), values), dtype=np.float32)

    return curve, left, slope
