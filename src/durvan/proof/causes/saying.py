"""Causes in plain sentences with numbers, as of the target: what it is, against the source."""

from __future__ import annotations

import numpy as np

from durvan.proof.causes.analysis import CAMERA, NOISE, VIEW, Analysis, Cause
from durvan.proof.causes.cells import Floats
from durvan.proof.causes.model import EXPOSURE, LIGHT, RESPONSE, WHITE
from durvan.proof.standing import Stance

_TINTED = 0.06  # stops between channels, from which a colour is told
_GONE = 6.0  # stops, from which a light is not there
_ROLLED, _LARGER, _SKEWED = 0.05, 0.002, 0.5  # degrees, part of its size, and pixels, from which they are told
_HUES = (
    ((1, -1, -1), "redder"), ((1, 1, -1), "yellower"), ((-1, 1, -1), "greener"), ((-1, 1, 1), "more cyan"),
    ((-1, -1, 1), "bluer"), ((1, -1, 1), "more magenta"),
)  # fmt: skip


def told(cause: Cause) -> str:
    """One cause: "window light is 0.8 stops weaker, 61 % of the difference"."""
    return f"{_what(cause)}: {_percent(cause.share)} of the difference"


def lines(analysis: Analysis) -> list[str]:
    """All of it, the largest cause first, then noise and what nothing explains."""
    out = [told(one) for one in analysis.causes]
    if not out:
        out.append("Nothing is otherwise than by noise.")
    return [*out, f"noise: {_percent(analysis.noise)}", f"unexplained: {_percent(analysis.unexplained)}"]


def _percent(share: float) -> str:
    return f"{100.0 * share:.0f} %" if share >= 0.095 or share < 0.0005 else f"{100.0 * share:.1f} %"


def _what(cause: Cause) -> str:
    if cause.kind == CAMERA and cause.stance is not None:
        return _stands(cause.stance)
    if cause.kind == VIEW and cause.instead is not None:
        one = cause.instead
        where = f"in {_percent(one.share)} of the picture"
        return f"the target shows {one.target or 'nothing'} and the like where the source shows {one.source or 'nothing'}, {where}"
    if cause.kind == NOISE:
        noisier, times = ("the target", cause.ratio) if cause.ratio > 1.0 else ("the source", 1.0 / cause.ratio)
        return f"{noisier} is noisier, {times:.1f} times the variance"
    if cause.kind == RESPONSE:
        return f"the target's response is bent by an exponent of {1.0 / cause.exponent:.2f}"
    assert cause.stops is not None
    if cause.kind == WHITE:
        return f"the target is {_hue(-cause.stops)}, by {np.ptp(cause.stops):.2f} stops between channels"
    if cause.kind == EXPOSURE:
        return f"the target is {_level(cause.stops, 'brighter', 'darker')}"
    if cause.kind == LIGHT:
        if cause.stops.mean() > _GONE:
            return f"the light {cause.name} is missing in the target"
        if cause.stops.mean() < -_GONE:
            return f"the light {cause.name} is missing in the source"
        return f"the light {cause.name} is {_level(cause.stops, 'stronger', 'weaker')}"
    return _material(cause)


def _stands(stance: Stance) -> str:
    """How the target's camera stands, against the source's."""
    if stance.elsewhere:
        far, near = stance.reach()
        return (
            f"the camera stands elsewhere: what is near lies {near:.1f} pixels from where it did, what is far {far:.1f}"
        )
    said = []
    if abs(stance.roll) >= _ROLLED:
        said.append(f"turned {'clockwise' if stance.roll > 0.0 else 'anticlockwise'} by {abs(stance.roll):.2f}°")
    if abs(stance.larger - 1.0) >= _LARGER:
        said.append(f"{100.0 * abs(stance.larger - 1.0):.1f} % {'larger' if stance.larger > 1.0 else 'smaller'}")
    if stance.shift.length >= 0.1 or not said:
        said.append(f"shifted by {stance.shift.right:+.1f} pixels across and {stance.shift.down:+.1f} down")
    if stance.skew >= _SKEWED:
        said.append(f"skewed by {stance.skew:.1f} pixels in its corners, as by a camera that is turned aside")
    return f"the picture is {' and '.join(said)}"


def _material(cause: Cause) -> str:
    assert cause.stops is not None
    if cause.flat:
        other = "source" if cause.flat == "target" else "target"
        return (
            f"{cause.name} has no detail in the {cause.flat} that it has in the {other}, as if a picture were missing"
        )
    if float(np.abs(cause.stops).max()) < 1e-9:
        return f"{cause.name} is otherwise in its pattern, by {cause.apart:.2f} stops"
    after = f" (and with it what it throws light on: {', '.join(cause.follows)})" if cause.follows else ""
    return f"{cause.name} is {_level(cause.stops, 'brighter', 'darker')}{after}"


def _level(stops: Floats, more: str, less: str) -> str:
    """How the target is by how many stops it must be changed."""
    mean = -float(stops.mean())
    hue = _hue(-stops) if float(np.ptp(stops)) >= _TINTED else ""
    if abs(mean) < 0.005 and hue:
        return hue
    level = f"{abs(mean):.2f} stops {more if mean > 0.0 else less}"
    return f"{level} and {hue}" if hue else level


def _hue(stops: Floats) -> str:
    """Towards which colour channels are off."""
    tint = stops - stops.mean()
    return max(
        _HUES,
        key=lambda row: float(np.array(row[0]) @ tint) / float(np.linalg.norm(np.array(row[0]) - np.mean(row[0]))),
    )[1]
