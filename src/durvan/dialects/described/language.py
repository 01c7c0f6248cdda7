"""The formulas of `looks.yaml`: those of surfaces and nodes work on what may vary from point to point, those of lights on numbers."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Mapping
from typing import Any

from durvan.dialects.shared import looks as shared
from durvan.errors import FormulaError
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.graph.formula import FUNCTIONS, Formula, Language
from durvan.optics.colour import ACESCG_TO_REC709, transformed

_FACING, _EDGES = "facing", ("periodic", "mirror", "clamp", "constant")
PLACES = (
    "u",
    "v",
    "x",
    "y",
    "z",
    _FACING,
    "along",
)  # of the point: UVs, metres, how it faces the eye, where along a fibre
Number = Field | float


def _colour(*parts: Number) -> Field:
    return ex.join(*parts) if len(parts) > 1 else ex.colour(parts[0])


def _picture(file: str, decode: str | Number, u: Number, v: Number, edges: str = "periodic") -> Field:
    """A picture at a place: four parts, the last how solid it is."""
    if edges not in _EDGES:
        raise ValueError(f"edges are {', '.join(_EDGES)}, not '{edges}'")
    how = decode if isinstance(decode, str) else float((ex.field(decode).constant or (1.0,))[0])
    return ex.picture(Lookup(file, how, edges, edges), ex.join(u, v))


def _noise(x: Number, y: Number, z: Number, octaves: Number = 3) -> Field:
    found = ex.field(octaves).constant
    return ex.noise(ex.join(x, y, z), int(found[0]) if found else 3)


def _normal(colour: Number, amount: Number = 1.0) -> Field:
    """A tangent-space picture, green up, as relief."""
    three = ex.colour(colour) * 2.0 - 1.0
    return ex.join(three[0] * amount, three[1] * amount, three[2])


def _degrees(op: str) -> Callable[[Number], Field]:
    return lambda a: ex.each(op, ex.field(a) * (math.pi / 180.0))


def _from_acescg(colour: Number) -> Field:
    three = ex.colour(colour)
    if three.constant is not None:
        return ex.field(transformed(three.constant, ACESCG_TO_REC709))
    return ex.join(*(row[0] * three[0] + row[1] * three[1] + row[2] * three[2] for row in ACESCG_TO_REC709))


OF_FIELDS: dict[str, Callable[..., Any]] = {
    "sqrt": lambda a: ex.each("root", a), "exp": lambda a: ex.each("exp", a), "log": lambda a: ex.each("log", a),
    "abs": lambda a: ex.each("absolute", a), "floor": lambda a: ex.each("floor", a), "sine": _degrees("sine"), "cosine": _degrees("cosine"),
    "min": ex.least, "max": ex.most, "clamp": ex.clamp, "mix": ex.mix, "below": ex.below, "choose": lambda c, a, b: ex.choose(ex.field(c), a, b),
    "colour": _colour, "grey": lambda c: ex.grey(ex.field(c)), "luminance": lambda c: ex.luminance(ex.field(c)),
    "largest": lambda c: ex.largest(ex.field(c)), "picture": _picture, "noise": _noise, "normal": _normal,
    "height": lambda metres: shared.height(ex.field(metres)), "corner": lambda name: ex.more(name, 3, (1.0, 1.0, 1.0)),
    "turned": lambda u, v, degrees: shared.turned(ex.join(u, v), float((ex.field(degrees).constant or (0.0,))[0])),
    "hsv": lambda c, hue, saturation, value: shared.hsv_adjusted(ex.colour(c), hue, saturation, value),
    "from_acescg": _from_acescg, "black_body": lambda k: ex.field(FUNCTIONS["black_body"](float((ex.field(k).constant or (6500.0,))[0]))),
}  # fmt: skip
FIELDS = Language(OF_FIELDS, others=False)
NUMBERS = Language()


def read(text: str, language: Language, known: Mapping[str, str]) -> Formula:
    """A formula whose names are all known (name → type; what may vary is of no type). Raises FormulaError."""
    compiled = language.formula(text)
    for name in compiled.names:
        if name not in known:
            raise FormulaError(f"'{text}' reads '{name}', which is none of {', '.join(sorted(known))}.")
    if language is FIELDS:
        _compares_no_fields(text, known)
    return compiled


def _compares_no_fields(text: str, known: Mapping[str, str]) -> None:
    """What may vary from point to point is neither larger nor smaller as a whole, so it is not compared or asked."""
    for node in ast.walk(ast.parse(text.replace("^", "**").strip(), mode="eval")):
        asked: list[ast.AST] = []
        if isinstance(node, ast.Compare):
            asked = [node.left, *node.comparators]
        elif isinstance(node, ast.IfExp):
            asked = [node.test]
        for one in asked:
            for name in (inner.id for inner in ast.walk(one) if isinstance(inner, ast.Name)):
                if known.get(name, "") == "":
                    raise FormulaError(
                        f"'{text}' compares '{name}', which may vary from point to point; write below(a, b) and choose(c, a, b)."
                    )
