"""Definitions of a renderer's nodes, from MaterialX node definitions or USD shader definitions: what a new pack may begin with."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.materialx.definitions import KINDS, value_of
from durvan.scene.graph import Value

_USD = (".usda", ".usdc", ".usd", ".usdz")
_FROM_USD = {
    "float": "float", "double": "float", "int": "int", "bool": "bool", "string": "string", "token": "token", "asset": "file",
    "color3f": "color", "color4f": "vector4", "float2": "vector2", "float3": "vector3", "vector3f": "vector3", "normal3f": "normal",
    "point3f": "vector3", "terminal": "surface",
}  # fmt: skip


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


def read_words(file: Path) -> list[Word]:
    """All nodes that a file defines, in its order. Raises SceneFileError, also where it defines none."""
    if file.suffix.lower() == ".mtlx":
        found = _of_materialx(file)
    elif file.suffix.lower() in _USD:
        found = _of_usd(file)
    else:
        raise SceneFileError(
            "holds no definitions: MaterialX (.mtlx) and USD (.usda, .usdc, .usd) files do.", file=file
        )
    if not found:
        raise SceneFileError("defines no node: there is no <nodedef>, and no shader with an identifier.", file=file)
    return found


def _of_materialx(file: Path) -> list[Word]:
    """Node definitions; one that inherits has the inputs of what it inherits from first."""
    defined = {one.get("name", ""): one for one in xml.parse(file) if xml.is_element(one) and one.tag == "nodedef"}
    out = []
    for name, one in defined.items():
        inputs: dict[str, Input] = {}
        for inherited in _line(one, defined):
            inputs |= {child.get("name", ""): _input(child) for child in _children(inherited, "input")}
        outputs: dict[str, str] = {}
        for inherited in _line(one, defined):
            outputs |= {
                c.get("name", "out"): KINDS.get(c.get("type", ""), "any") for c in _children(inherited, "output")
            }
        outputs = outputs or {"out": KINDS.get(one.get("type", ""), "any")}
        out.append(Word(name, one.get("node", ""), tuple(inputs.values()), dict(outputs), one.get("doc", "")))
    return out


def unit_of(said: str) -> str:
    """A unit as it is called here."""
    return _UNITS.get(said.lower(), said)


def _line(one: Any, defined: dict[str, Any]) -> list[Any]:
    """A definition with those that it inherits from, the farthest first."""
    line = [one]
    while (above := defined.get(line[0].get("inherit", ""))) is not None and above not in line:
        line.insert(0, above)
    return line


def _children(one: Any, tag: str) -> list[Any]:
    return [child for child in one if xml.is_element(child) and child.tag == tag]


def _input(child: Any) -> Input:
    said = child.get("type", "")
    type_ = KINDS.get(said, "any")
    text = child.get("value")
    choices = tuple(part.strip() for part in child.get("enum", "").split(",") if part.strip())
    return Input(
        child.get("name", ""), "token" if choices and type_ == "string" else type_,
        _default(said, text), _range(child.get("uimin") or child.get("uisoftmin"), child.get("uimax") or child.get("uisoftmax")),
        unit_of(child.get("unit", "")), child.get("doc", ""), child.get("uifolder", ""), choices,
    )  # fmt: skip


def _default(type_: str, text: str | None) -> Value | None:
    """A default as a value; none where it is not one."""
    try:
        return value_of(type_, text) if text is not None else None
    except ValueError:
        return None


def _range(low: str | None, high: str | None) -> tuple[float, float] | None:
    """Two bounds, of colours their outermost; None where one is not said."""
    if low is None or high is None:
        return None
    try:
        parts = [[float(part) for part in text.split(",")] for text in (low, high)]
    except ValueError:
        return None
    return min(parts[0]), max(parts[1])


def _of_usd(file: Path) -> list[Word]:
    from durvan.formats.usd.definitions import shaders

    out = []
    for shader in shaders(file):
        inputs = tuple(
            Input(
                one.name,
                _FROM_USD.get(one.type, "any"),
                one.default,
                one.range,
                unit_of(one.unit),
                one.meaning,
                one.group,
                one.choices,
            )
            for one in shader.inputs
        )
        outputs = {
            name: "surface" if name == "surface" else _FROM_USD.get(type_, "any")
            for name, type_ in shader.outputs.items()
        }
        out.append(Word(shader.name, shader.category, inputs, outputs, shader.meaning))
    return out
