"""Values in the forms that parameters take, and multiplied."""

from __future__ import annotations

from typing import Any

from durvan.scene.graph import Value
from durvan.scene.vocabulary import COMPONENTS, LARGEST, Parameter


def times(value: Value, factor: float) -> Value:
    """A value multiplied, channel by channel; what is no number stays as it is."""
    if factor == 1.0 or isinstance(value, bool | str):
        return value
    return tuple(part * factor for part in value) if isinstance(value, tuple) else value * factor


def _stands(value: Any) -> bool:
    return bool(-LARGEST < value < LARGEST)  # false for what is not a number, too


def fitting(value: Any, parameter: Parameter) -> Value | None:
    """A value in the form that a parameter takes: a number spread over channels, or channels meant to one number.

    None when it cannot be brought into that form, or is not finite in single precision.
    """
    if value.__class__ is float and parameter.type == "float":
        return value if _stands(value) else None
    size = COMPONENTS.get(parameter.type)
    if size is not None:
        if isinstance(value, int | float):
            value = (float(value),) * size
        return tuple(value) if isinstance(value, tuple) and len(value) == size and all(map(_stands, value)) else None
    if parameter.type in ("float", "int"):
        if isinstance(value, tuple):
            value = sum(value) / len(value)
        if not isinstance(value, int | float) or not _stands(value):
            return None
        if parameter.type == "float":
            return float(value)
        whole: int = round(value)
        return whole if abs(whole) < 2**31 else None
    if parameter.type == "bool":
        return bool(value)
    parts = value if isinstance(value, tuple) else (value,)
    out: Value = value
    return out if all(not isinstance(part, int | float) or _stands(part) for part in parts) else None


def within(value: Value, parameter: Parameter) -> Value:
    """A value in a parameter's range: what lies outside is held at its end, as the renderer would, or would refuse it."""
    if parameter.range is None or isinstance(value, str | bool) or not parameter.outside(value):
        return value
    low, high = parameter.range
    if isinstance(value, tuple):
        return tuple(min(max(part, low), high) for part in value)
    held = min(max(value, low), high)
    return int(held) if isinstance(value, int) else float(held)
