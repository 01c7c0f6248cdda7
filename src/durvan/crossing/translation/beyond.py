"""Values beyond the range of what they become: the target holds them to its end, which is told, of light with its stops."""

from __future__ import annotations

import math

from durvan.crossing.translation.forms import within
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Declared, Why
from durvan.scene.graph import Value
from durvan.scene.vocabulary import Parameter

_OF_LIGHT = ("lights", "exposure", "glow")  # families in which a factor is a matter of stops
_SEEN = 0.05  # stops that show


def beyond(pack: Pack, name: str, parameter: Parameter, value: Value) -> Why:
    """Why a value that lies outside a parameter's range is not met."""
    low, high = parameter.range or (0.0, 0.0)
    unit = f" {parameter.unit}" if parameter.unit else ""
    said = f"{pack.title} holds {name} between {low:g} and {high:g}{unit}; {_short(value)} was meant"
    stops = (
        _stops(value, within(value, parameter)) if parameter.family in _OF_LIGHT or parameter.unit == "stop" else None
    )
    topic = f"{pack.name}.{name}"
    if stops is None or stops < _SEEN:
        return Why(Cause.RULE, f"{said}.", topic)
    told = f"{said}, which is {stops:.1f} stops away." if math.isfinite(stops) else f"{said}."
    finding = Declared(
        "beyond-range", "look", "Light beyond what the target takes", told.rstrip("."),
        "the picture, or what this light gives to it, is brighter or darker by as much",
    )  # fmt: skip
    return Why(Cause.RULE, told, topic, finding=finding)


def _stops(meant: Value, held: Value) -> float | None:
    """How many stops two numbers are apart, the largest of their channels; None of what is no number."""
    pairs = zip(meant, held, strict=True) if isinstance(meant, tuple) and isinstance(held, tuple) else [(meant, held)]
    found = 0.0
    for one, other in pairs:
        if isinstance(one, bool | str | tuple) or isinstance(other, bool | str | tuple):
            return None
        if one != other:
            found = max(found, abs(math.log2(other / one)) if one > 0.0 and other > 0.0 else math.inf)
    return found


def _short(value: Value) -> str:
    return (
        " ".join(f"{part:.4g}" for part in value)
        if isinstance(value, tuple)
        else f"{value:.4g}"
        if isinstance(value, float)
        else str(value)
    )
