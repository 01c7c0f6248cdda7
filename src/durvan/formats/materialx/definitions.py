"""The node definitions of MaterialX's standard libraries, as data: names, categories, typed inputs and outputs.

`definitions.json` is made from the installed library by `tools/node_definitions.py`; a test sees to it that it is current.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import resources

from durvan.scene.graph import Value
from durvan.scene.vocabulary import ParameterType

# How the types of MaterialX are called here, and how many numbers each has.
KINDS: dict[str, ParameterType] = {
    "float": "float", "integer": "int", "boolean": "bool", "color3": "color", "color4": "vector4", "vector2": "vector2",
    "vector3": "vector3", "vector4": "vector4", "filename": "file", "string": "string", "surfaceshader": "surface",
}  # fmt: skip
SIZES = {"color3": 3, "vector3": 3, "color4": 4, "vector4": 4, "vector2": 2, "matrix33": 9, "matrix44": 16}
SIDES = "ND_two_sided_surfaceshader"  # a surface with another one on its back: no node of a library, for a material says it itself
GENERIC = ("color3", "vector3", "float", "vector2", "color4", "vector4")  # what a word of any type is written as


@dataclass(frozen=True)
class Definition:
    """A node definition: inputs and outputs by name, with their types; defaults as MaterialX writes them ("@UV0" for what the
    geometry gives).
    """

    name: str
    category: str
    version: str
    outputs: Mapping[str, str]
    inputs: Mapping[str, str]
    defaults: Mapping[str, str]

    @property
    def type(self) -> str:
        """The type of its first output."""
        return next(iter(self.outputs.values()), "")


@cache
def definitions() -> dict[str, Definition]:
    """Every definition by its name."""
    text = (resources.files("durvan.formats.materialx") / "definitions.json").read_text(encoding="utf-8")
    return {
        name: Definition(
            name, category, version, dict(outputs), {i[0]: i[1] for i in inputs}, {i[0]: i[2] for i in inputs if i[2]}
        )
        for name, category, version, outputs, inputs in json.loads(text)
    }


@cache
def by_category() -> dict[str, list[Definition]]:
    """The definitions of each category, those that no version number sets apart first."""
    table: dict[str, list[Definition]] = {}
    for one in definitions().values():
        table.setdefault(one.category, []).append(one)
    for rows in table.values():
        rows.sort(key=lambda one: (one.name[-1].isdigit() and one.version != "", len(one.name), one.name))
    return table


def found_for(category: str, type_: str, inputs: Mapping[str, str]) -> Definition | None:
    """The definition that a node of a category, giving a type, has by the types of its inputs; None where there is none.

    The one that agrees in the most inputs is taken, of those the one with the shortest name.
    """
    return _found_for(category, type_, tuple(inputs.items()))


@lru_cache(maxsize=4096)
def _found_for(category: str, type_: str, inputs: tuple[tuple[str, str], ...]) -> Definition | None:
    """The same; nodes of a document are of few forms."""
    rows = by_category().get(category, ())
    fitting = [one for one in rows if type_ in ("", "multioutput") or one.type == type_ or len(one.outputs) > 1]
    best, most = None, -1
    for one in fitting or ():
        agree = sum(1 if one.inputs.get(name) == given else -1 for name, given in inputs)
        if best is None or agree > most:
            best, most = one, agree
    return best


def value_of(type_: str, text: str) -> Value | None:
    """A value as MaterialX writes it. Raises ValueError, saying what was expected, where the text is no value of the type."""
    if type_ in ("string", "filename", "geomname"):
        return text
    if type_ == "boolean":
        if text.strip() not in ("true", "false"):
            raise ValueError(f"expected true or false, found '{text[:60]}'")
        return text.strip() == "true"
    if type_ == "integer":
        try:
            return int(text)
        except ValueError:
            raise ValueError(f"expected a whole number, found '{text[:60]}'") from None
    size = SIZES.get(type_, 1)
    try:
        parts = tuple(float(part) for part in text.split(","))
    except ValueError:
        raise ValueError(f"expected {_numbers(size)}, found '{text[:60]}'") from None
    if type_ == "float" and len(parts) == 1:
        return parts[0]
    if type_ not in SIZES or len(parts) != size:
        raise ValueError(f"expected {_numbers(size)}, found '{text[:60]}'")
    return parts


def _numbers(size: int) -> str:
    return "a number" if size == 1 else f"{size} numbers"
