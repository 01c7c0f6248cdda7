"""What a language's node types and parameters are: type, unit, range, default and meaning of each.

The common ground's own vocabulary stands beside this module as `common_ground.yaml` and `common_nodes.yaml`; every dialect pack has one
of the same form.
"""

from __future__ import annotations

import math
from functools import cache, cached_property
from importlib import resources
from typing import Any, Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from durvan.scene.graph import Value

ParameterType = Literal[
    "float",
    "int",
    "bool",
    "color",
    "vector2",
    "vector3",
    "vector4",
    "file",
    "paths",
    "token",
    "string",
    "normal",
    "surface",
    "any",
]
# What a parameter is for, where others than its own mapping have to know: a switch says whether something counts at all,
# a picture and a profile are files, a space names the colour space of the node's picture, which a file may keep with its path.
Role = Literal["", "switch", "picture", "profile", "space", "response", "view"]
# What a port of the common ground makes of a picture that feeds it.
Takes = Literal["", "colour", "data", "mask", "normal", "height"]
LARGEST = 3.4e38  # of single precision, in which USD keeps most numbers
LARGEST_WHOLE = 2**31
COMPONENTS = {"color": 3, "vector3": 3, "normal": 3, "vector2": 2, "vector4": 4}
FAMILIES = (
    "base", "reflection", "transparency", "depth", "layers", "fibres", "relief", "glow", "textures", "procedurals",
    "lights", "camera", "exposure", "sampling", "geometry",
)  # fmt: skip

# Factors to the unit that stands first: metre, degree, nit and so on. "scene" is the stage's own unit of length,
# "scene/10" a tenth of it, in which UsdGeomCamera measures film and lens.
UNITS: dict[str, tuple[str, float]] = {
    "m": ("length", 1.0), "cm": ("length", 0.01), "mm": ("length", 0.001),
    "deg": ("angle", 1.0), "turn": ("angle", 360.0), "rad": ("angle", math.degrees(1.0)),
    "s": ("time", 1.0), "ms": ("time", 0.001),
}  # fmt: skip


class Strict(BaseModel):
    """A document written by people: a word that is not known is an error, not a silence."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Parameter(Strict):
    """One parameter of a node type."""

    type: ParameterType
    default: Any = None
    unit: str = ""
    range: tuple[float, float] | None = None
    choices: tuple[str, ...] = ()
    family: str = ""
    meaning: str
    attribute: str = ""
    stored: Literal["", "int2"] = Field(
        default="", description="the type that a file has for it, where that is another"
    )
    fixed: bool = Field(default=False, description="whether a file says that it never varies over time")
    kept_on: Literal["", "settings"] = Field(
        default="", description="where it stands in a file, when the scene has one for all its cameras"
    )
    role: Role = ""
    takes: Takes = ""
    steady: bool = Field(
        default=False, description="whether it is one number for all of a surface, which no map can feed"
    )
    reads_as: dict[Literal["colour", "data"], Any] = Field(
        default_factory=dict, description="of a picture's decoding: the values that read it as colour and as data"
    )

    @field_validator("default")
    @classmethod
    def _lists_are_tuples(cls, value: Any) -> Any:
        return tuple(float(part) for part in value) if isinstance(value, list) else value

    @model_validator(mode="after")
    def _fits(self) -> Parameter:
        if self.family and self.family not in FAMILIES:
            raise ValueError(f"family '{self.family}' is none of {', '.join(FAMILIES)}")
        if self.type == "token" and self.default not in self.choices:
            raise ValueError(f"default '{self.default}' is none of the choices {', '.join(self.choices)}")
        if self.default is not None and self.wrong(self.default):
            raise ValueError(f"default {self.default!r}: {self.wrong(self.default)}")
        return self

    def wrong(self, value: Value) -> str:
        """Why a value cannot stand here, or an empty string. Out of range is not wrong: see `outside`."""
        if self.type in COMPONENTS:
            if not isinstance(value, tuple) or len(value) != COMPONENTS[self.type]:
                return f"expected {COMPONENTS[self.type]} numbers, found {_short(value)}"
            return "" if all(map(math.isfinite, value)) else f"not a finite number: {_short(value)}"
        if self.type in ("float", "int"):
            if isinstance(value, bool) or not isinstance(value, int | float):
                return f"expected a number, found {_short(value)}"
            if not math.isfinite(value):
                return f"not a finite number: {value}"
            if self.type == "int" and abs(value) >= LARGEST_WHOLE:
                return f"too large for a whole number: {_short(value)}"
            return "" if abs(value) <= LARGEST else f"too large for single precision: {_short(value)}"
        if self.type == "bool":
            return "" if isinstance(value, bool) else f"expected true or false, found {_short(value)}"
        if self.type in ("file", "token", "string", "paths"):
            if not isinstance(value, str):
                return f"expected a text, found {_short(value)}"
            if self.type == "token" and value not in self.choices:
                return f"'{_short(value)}' is none of {', '.join(self.choices)}"
        return ""

    def outside(self, value: Value) -> bool:
        """Whether a number lies outside the stated range."""
        if self.range is None or isinstance(value, str):
            return False
        low, high = self.range
        if value.__class__ is float:
            return value < low or value > high
        parts = value if isinstance(value, tuple) else (value,)
        return any(part < low or part > high for part in parts)


def _short(value: object) -> str:
    text = str(value)
    return text if len(text) <= 60 else f"{text[:57]}… ({len(text)} characters)"


class NodeType(Strict):
    """A node type: what it is for, its outputs and its parameters."""

    role: Literal["surface", "part", "node", "light", "camera", "settings", "environment"] = "node"
    meaning: str
    family: str = ""
    outputs: dict[str, str] = Field(default_factory=lambda: {"out": "color"})
    parameters: dict[str, Parameter]
    prims: tuple[str, ...] = ()
    marker: str = ""
    id: str = ""
    stands_in: str = ""
    like: str = Field(default="", description="another type whose parameters it has, too")
    abstract: bool = Field(default=False, description="no word itself, only what others are like")

    @model_validator(mode="after")
    def _families(self) -> NodeType:
        if not self.family and any(not parameter.family for parameter in self.parameters.values()):
            raise ValueError("a type without a family needs one on each parameter")
        return self

    @cached_property
    def families(self) -> dict[str, str]:
        """The feature family of each parameter."""
        return {name: said.family or self.family or "geometry" for name, said in self.parameters.items()}

    @cached_property
    def bounds(self) -> dict[str, tuple[float, float]]:
        """Of each parameter that is one number: between which bounds there is nothing to say of it."""
        numbers = {name: said.range for name, said in self.parameters.items() if said.type == "float"}
        return {n: (max(r[0], -LARGEST), min(r[1], LARGEST)) if r else (-LARGEST, LARGEST) for n, r in numbers.items()}

    @cached_property
    def roles(self) -> dict[str, str]:
        """The parameter that plays each role; the first that does."""
        return {said.role: name for name, said in reversed(self.parameters.items()) if said.role}

    def playing(self, role: Role) -> str | None:
        """The parameter that plays a role, or None."""
        return self.roles.get(role)

    def family_of(self, parameter: str) -> str:
        """The feature family a parameter is counted in; of one that is not known, the type's."""
        return self.families.get(parameter) or self.family or "geometry"


class Vocabulary(Strict):
    """Every node type of one language."""

    types: dict[str, NodeType]

    def settled(self) -> Vocabulary:
        """The same, where every type has what it says that it has like another one. Raises ValueError, naming a type that is like none."""
        types = {
            name: one if not one.like else one.model_copy(update={"parameters": self._inherited(name, ())})
            for name, one in self.types.items()
            if not one.abstract
        }
        return Vocabulary(types=types)

    def _inherited(self, name: str, seen: tuple[str, ...]) -> dict[str, Parameter]:
        """The parameters of a type, those of what it is like first."""
        one = self.types[name]
        if not one.like:
            return one.parameters
        if one.like not in self.types or name in seen:
            raise ValueError(f"{name} is like '{one.like}', which is none of {', '.join(self.types)}")
        return {**self._inherited(one.like, (*seen, name)), **one.parameters}


def unit_factor(here: str, there: str, metres_per_unit: float) -> float | None:
    """What a number in one unit is multiplied by to be in another; None when they measure different things."""
    if here == there:
        return 1.0

    def known(unit: str) -> tuple[str, float] | None:
        if unit in ("scene", "scene/10"):
            return "length", metres_per_unit * (0.1 if unit == "scene/10" else 1.0)
        return UNITS.get(unit)

    a, b = known(here), known(there)
    if a is None or b is None or a[0] != b[0]:
        return None
    return a[1] / b[1]


@cache
def common_ground() -> Vocabulary:
    """The common ground's vocabulary: OpenPBR, MaterialX, UsdLux, UsdGeomCamera and UsdRender terms."""
    types: dict[str, Any] = {}
    for name in ("common_ground.yaml", "common_nodes.yaml"):
        text = (resources.files("durvan.scene") / name).read_text(encoding="utf-8")
        types |= yaml.load(text, Loader=yaml.CSafeLoader)["types"]
    return Vocabulary.model_validate({"types": types})
