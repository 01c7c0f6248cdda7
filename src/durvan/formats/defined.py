"""Nodes as a renderer defines them, whatever kind of file says so."""

from __future__ import annotations

from dataclasses import dataclass, field

from durvan.scene.graph import Value

# Units as definitions spell them, and as they are called here.
_UNITS = {
    "degree": "deg", "degrees": "deg", "radian": "rad", "radians": "rad", "meter": "m", "meters": "m", "metre": "m", "centimeter": "cm",
    "millimeter": "mm", "percent": "%", "kelvin": "K",
}  # fmt: skip


@dataclass(frozen=True)
class Input:
    """An input of a node, as it is defined. `range` is None where none is said, `group` the heading that it stands under."""

    name: str
    type: str
    default: Value | None = None
    range: tuple[float, float] | None = None
    unit: str = ""
    meaning: str = ""
    group: str = ""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Word:
    """A node: its id, what kind of node it is, its inputs, its outputs with their types, what it is for."""

    name: str
    category: str
    inputs: tuple[Input, ...]
    outputs: dict[str, str] = field(default_factory=dict)
    meaning: str = ""

    @property
    def is_surface(self) -> bool:
        """Whether it gives a surface."""
        return "surface" in self.outputs.values()


def unit_of(said: str) -> str:
    """A unit as it is called here."""
    return _UNITS.get(said.lower(), said)


def bounds_of(low: str | None, high: str | None) -> tuple[float, float] | None:
    """Two bounds, of colours their outermost; None where one is not said."""
    if low is None or high is None:
        return None
    try:
        parts = [[float(part) for part in text.split(",")] for text in (low, high)]
    except ValueError:
        return None
    return min(parts[0]), max(parts[1])
