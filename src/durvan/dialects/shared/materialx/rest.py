"""Words for what MaterialX's standard libraries have and the common ground does not: their values have types, and stay as they are."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache

from durvan.dialects.contract import Unsaid
from durvan.formats.materialx.definitions import GENERIC, KINDS, Definition, by_category, definitions
from durvan.scene.vocabulary import NodeType, Parameter, ParameterType

CARRIED = (
    "float",
    "integer",
    "color3",
    "color4",
    "vector2",
    "vector3",
    "vector4",
)  # types that a word of any type stands for
COLOURED = ("color3", "color4", "vector3", "vector4")  # types of what the common ground's words for colours stand for
_OF_SOME_TYPES = (
    "noise2d",
    "noise3d",
    "fractal2d",
    "fractal3d",
    "geompropvalue",
    "UsdPrimvarReader",
)  # categories with words for some types alone
NO_WORD = Unsaid(
    because="The common ground has no word for this node of MaterialX. It stays in the source; what it feeds has its own value.",
    topic="MaterialX nodes",
)


@cache
def unmapped(prefix: str, known: frozenset[str]) -> dict[str, NodeType]:
    """Words for every category that is not `known`, and for every definition of a type that is not `CARRIED`, by its own name."""
    out = {
        prefix + category: _word(category, rows) for category, rows in by_category().items() if category not in known
    }
    for name, one in definitions().items():
        if by_itself(one):
            out[prefix + name] = _word(one.category, [one])
    return out


def by_itself(one: Definition) -> bool:
    """Whether a definition is a word of its own name, and not one of its category's."""
    if one.category not in _OF_SOME_TYPES:
        return one.type not in CARRIED
    also = "vector2" if one.category in ("geompropvalue", "UsdPrimvarReader") else "float"
    return one.type not in (*COLOURED, also)


def _word(category: str, rows: Iterable[Definition]) -> NodeType:
    rows = list(rows)
    generic = len({one.type for one in rows}) > 1
    parameters: dict[str, Parameter] = {}
    for one in rows:
        for name, type_ in one.inputs.items():
            if name not in parameters:
                parameters[name] = _parameter(
                    name, "any" if generic and type_ in GENERIC else KINDS.get(type_, "any"), type_
                )
    role = "surface" if rows[0].type == "surfaceshader" else "node"
    return NodeType.model_construct(
        role=role, meaning=f"MaterialX's {category}.", family="procedurals", prims=(), marker="", id="", stands_in="",
        outputs={name: KINDS.get(type_, "any") for name, type_ in rows[0].outputs.items()}, parameters=parameters,
    )  # fmt: skip


def _parameter(name: str, kind: ParameterType, type_: str) -> Parameter:
    """One without a default or a range; what stands in a standard library is right, and checking two thousand takes time."""
    return Parameter.model_construct(
        type=kind, default=None, unit="", range=None, choices=(), family="", attribute="", stored="", fixed=False, kept_on="",
        role="picture" if type_ == "filename" else "", takes="", steady=False, reads_as={},
        meaning=f"{name.replace('_', ' ').capitalize()}, as MaterialX defines it.",
    )  # fmt: skip
