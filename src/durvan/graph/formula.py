"""Formulas of dialect packs: small arithmetic expressions, read safely and compiled once.

A formula works on numbers, on colours (channel by channel) and on `Wire`s, which stand for maps. It knows
names, numbers, `+ - * / ^`, comparisons, `and or not`, `a if b else c`, `x[0]` and the functions listed here.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import CodeType
from typing import Any

from durvan.errors import FormulaError
from durvan.optics import colour, fresnel, metals, photometry, pigments, profile, sun
from durvan.optics.frame import frame_width


class Vec(tuple[float, ...]):
    """A colour or vector whose arithmetic goes channel by channel; a single number counts for every channel."""

    __slots__ = ()

    def _each(self, other: Any, apply: Callable[[float, float], float]) -> Any:
        if isinstance(other, tuple):
            return Vec(map(apply, self, other))
        if isinstance(other, int | float):
            return Vec(apply(part, other) for part in self)
        return NotImplemented

    def _from(self, other: Any, apply: Callable[[float, float], float]) -> Any:
        if isinstance(other, int | float):
            return Vec(apply(other, part) for part in self)
        return NotImplemented

    def __add__(self, other: Any) -> Any:
        return self._each(other, operator.add)

    def __radd__(self, other: Any) -> Any:
        return self._from(other, operator.add)

    def __sub__(self, other: Any) -> Any:
        return self._each(other, operator.sub)

    def __rsub__(self, other: Any) -> Any:
        return self._from(other, operator.sub)

    def __mul__(self, other: Any) -> Any:
        return self._each(other, operator.mul)

    def __rmul__(self, other: Any) -> Any:
        return self._from(other, operator.mul)

    def __truediv__(self, other: Any) -> Any:
        return self._each(other, operator.truediv)

    def __rtruediv__(self, other: Any) -> Any:
        return self._from(other, operator.truediv)

    def __pow__(self, other: Any) -> Any:
        return self._each(other, operator.pow)

    def __neg__(self) -> Any:
        return Vec(-part for part in self)


def _vec(*parts: float) -> Vec:
    return Vec(float(part) for part in parts)


def _sqrt(x: Any) -> Any:
    return math.sqrt(x) if isinstance(x, int | float) else x**0.5


def _luminance(c: Any) -> float:
    return colour.luminance(c) if isinstance(c, tuple) else float(c)


def _mean(c: Any) -> float:
    return sum(c) / len(c) if isinstance(c, tuple) else float(c)


def flip_green(c: Any) -> Any:
    """1 − green; red and blue as they are. Undoes itself."""
    if isinstance(c, tuple):
        return Vec((c[0], 1.0 - c[1], c[2]))
    return c * Vec((1.0, -1.0, 1.0)) + Vec((0.0, 1.0, 0.0))


def _through(c: Any, matrix: colour.Matrix3) -> Any:
    """A colour in another working space; a map is decoded into that by itself."""
    return Vec(colour.transformed(c[:3], matrix)) if isinstance(c, tuple) else c


def _with_alpha(c: Any, alpha: float) -> Vec:
    red, green, blue = c if isinstance(c, tuple) else (c, c, c)
    return Vec((red, green, blue, float(alpha)))


def _stretched(anisotropy: float) -> float:
    """What an OpenPBR roughness is of one whose lobe, as much drawn out, keeps the product of its widths (OpenPBR 1.1, microfacet
    model: alpha along is alpha·√(2/(1 + r²)), across r times that, r = 1 − anisotropy).
    """
    ratio = max(1.0 - anisotropy, 0.01)
    return float(((1.0 + ratio * ratio) / (2.0 * ratio)) ** 0.25)


def _two_alphas(roughness: float, strength: float) -> tuple[float, float]:
    """Alpha along and across where the strength draws the first one out towards 1 (glTF, KHR_materials_anisotropy)."""
    across = roughness * roughness
    return across + (1.0 - across) * strength * strength, across


def _stretched_roughness(roughness: float, strength: float) -> float:
    along, across = _two_alphas(roughness, strength)
    return float((along * ((1.0 + (across / max(along, 1e-12)) ** 2) / 2.0) ** 0.5) ** 0.5)


def _stretched_part(roughness: float, strength: float) -> float:
    along, across = _two_alphas(roughness, strength)
    return 1.0 - across / along if along > 0.0 else 0.0


def _openpbr_alphas(roughness: float, anisotropy: float) -> tuple[float, float]:
    ratio = 1.0 - anisotropy
    along = roughness * roughness * (2.0 / (1.0 + ratio * ratio)) ** 0.5
    return along, ratio * along


def _roughness_across(roughness: float, anisotropy: float) -> float:
    return float(max(_openpbr_alphas(roughness, anisotropy)[1], 0.0) ** 0.5)


def _strength_along(roughness: float, anisotropy: float) -> float:
    along, across = _openpbr_alphas(roughness, anisotropy)
    return float((max(min(along, 1.0) - across, 0.0) / max(1.0 - across, 1e-9)) ** 0.5)


def _fits_alphas(roughness: float, anisotropy: float) -> bool:
    """Whether what is drawn out stays within 1, and is no mirror."""
    along, across = _openpbr_alphas(roughness, anisotropy)
    return along <= 1.0 and across < 1.0 and along > 0.0


def _is_picture_of_light(file: str) -> bool:
    return file.lower().rsplit(".", 1)[-1] in ("exr", "hdr", "pfm")


_NUMBERS = frozenset((int, float, bool))
FUNCTIONS: dict[str, Callable[..., Any]] = {
    "sqrt": _sqrt,
    "stretched": _stretched,
    "stretched_roughness": _stretched_roughness,
    "stretched_part": _stretched_part,
    "roughness_across": _roughness_across,
    "strength_along": _strength_along,
    "fits_alphas": _fits_alphas,
    "within_a_turn": lambda degrees: (degrees + 180.0) % 360.0 - 180.0,
    "uv_set": lambda index: "st" if index < 0.5 else f"st{int(index)}",
    "colour_set": lambda index: "displayColor" if index < 0.5 else f"displayColor{int(index)}",
    "as_colour": lambda c: Vec(c[:3]) if isinstance(c, tuple) else Vec((c, c, c)),
    "absorption_of_tint": lambda tint, around: Vec(pigments.absorption_of_tint(tint, around)),
    "tint_of_absorption": lambda absorption, around: Vec(pigments.tint_of_absorption(absorption, around)),
    "absorption_of_pigments": lambda melanin, redness: Vec(pigments.absorption_of_pigments(melanin, redness)),
    "melanin_of": pigments.melanin_of,
    "redness_of": pigments.redness_of,
    "off_pigments": pigments.off_pigments,
    "log10": math.log10,
    "log2": math.log2,
    "abs": abs,
    "min": min,
    "max": max,
    "hypot": math.hypot,
    "round": lambda x: float(round(x)),
    "sine": lambda d: math.sin(math.radians(d)),
    "cosine": lambda d: math.cos(math.radians(d)),
    "arc_cosine": lambda x: math.degrees(math.acos(min(max(x, -1.0), 1.0))),
    "sun_azimuth": lambda *place: sun.where(*place)[0],
    "sun_elevation": lambda *place: sun.where(*place)[1],
    "angle_of": lambda y, x: math.degrees(math.atan2(y, x)),
    "vec": _vec,
    "grey": lambda x: Vec((x, x, x)) if isinstance(x, int | float) else x,
    "luminance": _luminance,
    "mean": _mean,
    "largest": lambda c: max(c) if isinstance(c, tuple) else c,
    "spread": lambda c: colour.spread(c) if isinstance(c, tuple) else 0.0,
    "black_body": lambda k: Vec(colour.black_body(k)),
    "usd_black_body": lambda k: Vec(colour.usd_black_body(k)),
    "smallest": lambda c: min(c) if isinstance(c, tuple) else c,
    "hue_fraction": colour.hue_fraction,
    "f0": fresnel.f0_from_index,
    "index_from_f0": fresnel.index_from_f0,
    "mean_dielectric": fresnel.mean_dielectric,
    "mean_schlick": fresnel.mean_schlick,
    "metal_faced": lambda n, k: Vec(metals.metal_faced(n, k)),
    "metal_edge": lambda n, k: Vec(metals.metal_edge(n, k)),
    "metal_eta": lambda faced, edge: Vec(metals.metal_eta(faced, edge)),
    "metal_k": lambda faced, edge: Vec(metals.metal_k(faced, edge)),
    "absorbed": lambda c: Vec(metals.absorbed(c)),
    "left_over": lambda c: Vec(metals.left_over(c)),
    "from_acescg": lambda c: _through(c, colour.ACESCG_TO_REC709),
    "to_acescg": lambda c: _through(c, colour.REC709_TO_ACESCG),
    "frame_width": frame_width,
    "scaled_profile": profile.name_of,
    "cone_flux_factor": photometry.cone_flux_factor,
    "flip_green": flip_green,
    "with_alpha": _with_alpha,
    # On maps only: a picture between −1 and 1 as a normal, and back.
    "as_normal": lambda map_: map_.as_normal(),
    "from_normal": lambda map_: map_.from_normal(),
    "holds_light": _is_picture_of_light,
}
CONSTANTS: dict[str, Any] = {"pi": math.pi, "white": Vec((1.0, 1.0, 1.0)), "black": Vec((0.0, 0.0, 0.0))}
# These ask about the parameter, not its value; the compiler turns `mapped(x)` into the name `mapped:x`.
QUESTIONS = ("mapped", "given")

_ALLOWED = (
    ast.Expression, ast.BinOp, ast.UnaryOp, ast.BoolOp, ast.Compare, ast.IfExp, ast.Call, ast.Name, ast.Load,
    ast.Constant, ast.Subscript, ast.Tuple, ast.List, ast.Add, ast.Sub, ast.Mult, ast.Div, ast.Pow, ast.USub, ast.UAdd,
    ast.And, ast.Or, ast.Not, ast.Eq, ast.NotEq, ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.In, ast.NotIn,
)  # fmt: skip


_SMALL_POWER = 16
_WRONG = (ArithmeticError, TypeError, ValueError, IndexError, AttributeError)


@dataclass(frozen=True, slots=True)
class Formula:
    """A compiled formula: its text, the names it needs in order, and what works it out."""

    text: str
    names: tuple[str, ...]
    call: Callable[..., Any]

    def __call__(self, *arguments: Any) -> Any:
        try:
            result = self.call(*arguments)
            if result.__class__ is Vec and not _NUMBERS.issuperset(map(type, result)):
                raise TypeError("maps cannot be channels of one value")
            return result
        except _WRONG as problem:
            given = ", ".join(f"{n} = {a!r}"[:80] for n, a in zip(self.names, arguments, strict=False))
            raise FormulaError(f"'{self.text}' cannot be worked out for {given} ({problem}).") from problem

    @property
    def pretty(self) -> str:
        """The formula as a person would set it: × and ÷ for the signs of typing, no dotted role names."""
        text = re.sub(r"\b[a-z_]+\.", "", self.text)
        return text.replace(" * ", " × ").replace(" / ", " ÷ ").replace("*", "·")


@dataclass(frozen=True, slots=True)
class Source:
    """Where a name of a formula gets its value: in which of several mappings, under which key, and its default.

    `asks` is "mapped" or "given" where only that is asked; what is mapped stands in no mapping.
    """

    mapping: int
    key: str
    default: Any = None
    asks: str = ""

    def line(self, place: int) -> str:
        """What fetches it, as a statement."""
        if self.asks:
            return f"a{place} = " + (f"_g{self.mapping}({self.key!r}) is not None" if self.asks == "given" else "False")
        fetched = f"a{place} = _g{self.mapping}({self.key!r}, _d{place})"
        return f"{fetched}\n        if a{place}.__class__ is _tuple: a{place} = _Vec(a{place})"

    def fetch(self, get: Callable[..., Any]) -> Any:
        """What it is."""
        if self.asks:
            return self.asks == "given" and get(self.key) is not None
        return wrap(get(self.key, self.default))


_STRAIGHT = """
def straight({getters}):
    try:
        {fetch}
        found = {expression}
        if found.__class__ is not _Vec or _numbers(_map(_type, found)):
            return found
    except _wrong:
        pass
    return _again({getters})
"""


def _is_small(node: ast.expr) -> bool:
    """Whether it is a written number by which a whole number may be raised."""
    if isinstance(node, ast.UnaryOp):
        node = node.operand
    return isinstance(node, ast.Constant) and isinstance(node.value, int | float) and abs(node.value) <= _SMALL_POWER


class _Reader(ast.NodeTransformer):
    """Checks every part of an expression, and turns dotted names and questions into plain arguments."""

    def __init__(self, text: str, functions: Mapping[str, Callable[..., Any]]) -> None:
        self.text = text
        self.functions = functions
        self.names: dict[str, str] = {}

    def argument(self, name: str) -> ast.Name:
        if name not in self.names:
            self.names[name] = f"a{len(self.names)}"
        return ast.Name(self.names[name], ast.Load())

    def visit(self, node: ast.AST) -> Any:
        if isinstance(node, ast.Attribute):
            return self.argument(ast.unparse(node))
        if not isinstance(node, _ALLOWED):
            raise FormulaError(f"'{self.text}': {type(node).__name__} is not part of a formula.")
        return super().visit(node)

    def visit_Name(self, node: ast.Name) -> ast.AST:
        if node.id in CONSTANTS:
            return node
        return self.argument(node.id)

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        """A power of whole numbers may have millions of digits: what is not plainly a small one is worked out of broken numbers, which end."""
        deep = any(isinstance(one, ast.BinOp) and isinstance(one.op, ast.Pow) for one in ast.walk(node.left))
        self.generic_visit(node)
        if isinstance(node.op, ast.Pow) and (deep or not _is_small(node.right)):
            node.left = ast.BinOp(node.left, ast.Mult(), ast.Constant(1.0))
        return node

    def visit_Call(self, node: ast.Call) -> ast.AST:
        if not isinstance(node.func, ast.Name) or node.keywords:
            raise FormulaError(f"'{self.text}': only the listed functions can be called.")
        name = node.func.id
        if name in QUESTIONS:
            return self.argument(f"{name}:{ast.unparse(node.args[0])}")
        if name not in self.functions:
            raise FormulaError(f"'{self.text}' calls '{name}', which is none of {', '.join(sorted(self.functions))}.")
        return ast.Call(node.func, [self.visit(argument) for argument in node.args], [])


def _read(text: str, functions: Mapping[str, Callable[..., Any]]) -> tuple[ast.expr, dict[str, str]]:
    """A formula as an expression, checked part by part, and what its names are called in it."""
    try:
        tree = ast.parse(text.replace("^", "**").strip(), mode="eval")
    except (SyntaxError, RecursionError, MemoryError) as problem:
        raise FormulaError(f"'{text[:200]}' is not a formula ({problem}).") from problem
    reader = _Reader(text, functions)
    return reader.visit(tree).body, reader.names


def _compiled(text: str, functions: Mapping[str, Callable[..., Any]]) -> tuple[CodeType, tuple[str, ...]]:
    body, names = _read(text, functions)
    arguments = ast.arguments([], [ast.arg(a) for a in names.values()], None, [], [], None, [])
    expression = ast.fix_missing_locations(ast.Expression(ast.Lambda(arguments, body)))
    return compile(expression, f"<formula {text}>", "eval"), tuple(names)


class Language:
    """The functions that formulas may call: those of every pack, and some `own` beside them, or (`others` False) those alone."""

    def __init__(self, own: Mapping[str, Callable[..., Any]] | None = None, others: bool = True) -> None:
        self.functions = {**(FUNCTIONS if others else {}), **(own or {})}
        self._known: dict[str, Formula] = {}

    def formula(self, text: str) -> Formula:
        """Read and compile a formula. Raises FormulaError with the text and what is wrong in it."""
        found = self._known.get(text)
        if found is None:
            code, names = _compiled(text, self.functions)
            # The tree was checked part by part above, and no builtin is in reach: nothing but arithmetic can run.
            call = eval(code, {"__builtins__": {}, **self.functions, **CONSTANTS})
            found = self._known[text] = Formula(text, names, call)
        return found

    def straight(self, formula: Formula, sources: tuple[Source, ...], mappings: int) -> Callable[..., Any]:
        """A formula that fetches its values itself, given the `get` of each of some `mappings`; several times as quick as
        one that is handed them. Raises FormulaError when it is called, as the formula does."""

        def again(*getters: Callable[..., Any]) -> Any:  # the long way says what is wrong with what
            return formula(*[source.fetch(getters[source.mapping]) for source in sources])

        body = _read(formula.text, self.functions)[0]
        scope: dict[str, Any] = {"__builtins__": {}, **self.functions, **CONSTANTS}
        scope.update(
            _tuple=tuple, _Vec=Vec, _map=map, _type=type, _numbers=_NUMBERS.issuperset, _wrong=_WRONG, _again=again
        )
        scope.update({f"_d{place}": source.default for place, source in enumerate(sources)})
        text = _STRAIGHT.format(
            getters=", ".join(f"_g{n}" for n in range(mappings)),
            fetch="\n        ".join(source.line(place) for place, source in enumerate(sources)) or "pass",
            expression=ast.unparse(body),
        )
        # As above, every part of the expression was checked, and no builtin is in reach.
        exec(compile(text, f"<formula {formula.text}>", "exec"), scope)
        call: Callable[..., Any] = scope["straight"]
        return call


_COMMON = Language()


def formula(text: str) -> Formula:
    """A formula of the functions that every pack has. Raises FormulaError."""
    return _COMMON.formula(text)


def plain(value: Any) -> Any:
    """A result as the scene holds it: vectors as plain tuples."""
    return tuple(value) if isinstance(value, Vec) else value


def wrap(value: Any) -> Any:
    """A scene's value ready for arithmetic."""
    return Vec(value) if type(value) is tuple else value
