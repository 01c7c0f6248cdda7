"""A pack's looks from its `looks.yaml`, compiled when they are loaded."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from keyword import iskeyword
from typing import Any

from durvan.dialects import layers
from durvan.dialects.described.contract import (
    LampSaid,
    LobeSaid,
    LooksSaid,
    NodeSaid,
    Said,
    SamplingSaid,
    SurfaceSaid,
    ViewSaid,
)
from durvan.dialects.described.language import FIELDS, NUMBERS, PLACES, read
from durvan.dialects.look import Inputs, Lamp, Lobe, Looks, Sampling, Surface, View, in_pixels
from durvan.dialects.shared.looks import relief_of, tinted
from durvan.errors import FormulaError, PackError
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.graph.formula import Formula, Language, wrap
from durvan.optics.lobes import layout
from durvan.scene.vocabulary import NodeType, Vocabulary

KINDS = {
    "matt": layout.DIFFUSE, "through": layout.THROUGH, "mirror": layout.REFLECT, "refract": layout.REFRACT, "straight": layout.STRAIGHT,
    "fuzz": layout.SHEEN, "deep": layout.DEEP_DIFFUSE, "fibre": layout.FIBRE,
}  # fmt: skip
LAWS = {
    "constant": layout.CONSTANT, "dielectric": layout.DIELECTRIC, "metal": layout.CONDUCTOR, "schlick": layout.SCHLICK, "wall": layout.WALL,
}  # fmt: skip
COVERS = {"none": layout.BARE, "scaled": layout.SCALED, "reciprocal": layout.RECIPROCAL}
FACETS = {"ggx": layout.GGX, "beckmann": layout.BECKMANN, "blinn": layout.BLINN, "burley": layout.BURLEY}
PLAIN = ("token", "bool", "string", "file", "paths")  # types of what does not vary from point to point
_LOBE = (
    "when",
    "weight",
    "alpha",
    "across",
    "turn",
    "facets",
    "first",
    "second",
    "amount",
    "absorb",
    "film",
    "film_index",
    "within",
)
_NUMBERS_ONLY = ("let", "shape", "profile", "picture", "size", "shift")


@dataclass
class Word:
    """One word's formulas, by their place in what was said of it; `let` in its order."""

    said: Said
    let: dict[str, Formula] = field(default_factory=dict)
    formulas: dict[str, Formula] = field(default_factory=dict)


class DescribedLooks:
    """Looks that are data. Words that it says nothing of have the looks of `before`, where there are such."""

    def __init__(self, said: LooksSaid, vocabulary: Vocabulary, file: str, before: Looks | None = None) -> None:
        self.file, self.vocabulary, self.before = file, vocabulary, before
        self.words: dict[str, Word] = {}
        for table, found in (
            ("surfaces", said.surfaces), ("nodes", said.nodes), ("lights", said.lights), ("cameras", said.cameras), ("settings", said.settings)
        ):  # fmt: skip
            for kind, one in found.items():
                self.words[kind] = self._compiled(table, kind, one)

    # compiling

    def _compiled(self, table: str, kind: str, said: Said) -> Word:
        node_type = self.vocabulary.types.get(kind)
        if node_type is None:
            raise PackError(f"'{kind}' is not in the vocabulary.", file=self.file, inside=f"{table}.{kind}")
        varies = table in ("surfaces", "nodes")
        language = FIELDS if varies else NUMBERS
        known = {
            name: (one.type if one.type in PLAIN or not varies else "") for name, one in node_type.parameters.items()
        }
        known.update({f"{name}_": one for name, one in known.items() if iskeyword(name)})
        known.update(dict.fromkeys(PLACES if varies else (), ""), metres_per_unit="float")
        word = Word(said)
        for name, text in said.let.items():
            word.let[name] = self._formula(text, language, known, f"{table}.{kind}.let.{name}")
            known[name] = ""
        for place, text in _texts(said):
            word.formulas[place] = self._formula(text, language, known, f"{table}.{kind}.{place}")
        self._check(said, node_type, f"{table}.{kind}")
        return word

    def _formula(self, text: str, language: Language, known: Mapping[str, str], inside: str) -> Formula:
        try:
            return read(text, language, known)
        except FormulaError as problem:
            raise PackError(problem.what, file=self.file, inside=inside) from problem

    def _check(self, said: Said, kind: NodeType, inside: str) -> None:
        """Names that are no formulas: of parameters, of lobes, of outputs."""
        wanted: list[tuple[str, str, tuple[str, ...]]] = []
        if isinstance(said, SurfaceSaid):
            wanted.append(("relief", said.relief, tuple(kind.parameters)))
            names: tuple[str, ...] = ()
            for number, lobe in enumerate(said.lobes):
                wanted.append((f"lobes.{number}.under", lobe.under, names))
                names += (lobe.name,)
            if said.layers is not None:
                wanted += [
                    (f"layers.{side}", getattr(said.layers, side), tuple(kind.parameters)) for side in ("below", "top")
                ]
        elif isinstance(said, LampSaid):
            wanted.append(("picture", said.picture, tuple(kind.parameters)))
        elif isinstance(said, NodeSaid):
            wanted += [(f"outputs.{name}", name, tuple(kind.outputs)) for name in said.outputs]
        for place, name, known in wanted:
            if name and name not in known:
                raise PackError(
                    f"'{name}' is none of {', '.join(known) or 'those before it'}.",
                    file=self.file,
                    inside=f"{inside}.{place}",
                )

    # what was said, worked out

    def _values(self, word: Word, get: Inputs) -> dict[str, Any]:
        """The values that formulas of surfaces and nodes read."""
        found: dict[str, Any] = {name: ex.point(name) for name in PLACES}
        found["metres_per_unit"] = get.facts.metres_per_unit
        for name, parameter in get.kind.parameters.items():
            if parameter.type == "bool":
                found[name] = get.flag(name)
            elif parameter.type == "file":
                found[name] = get.facts.find(get.word(name))
            elif parameter.type in PLAIN:
                found[name] = get.word(name)
            elif parameter.type != "surface":
                found[name] = get(name)
        return self._with_let(word, found)

    def _numbers(self, word: Word, get: Inputs) -> dict[str, Any]:
        """The values that formulas of lights, cameras and settings read."""
        found: dict[str, Any] = {"metres_per_unit": get.facts.metres_per_unit}
        for name, parameter in get.kind.parameters.items():
            if parameter.type == "bool":
                found[name] = get.flag(name)
            elif parameter.type in PLAIN:
                found[name] = get.word(name)
            else:
                found[name] = get.number(name) if parameter.type in ("float", "int") else wrap(get.numbers(name))
        return self._with_let(word, found)

    def _with_let(self, word: Word, found: dict[str, Any]) -> dict[str, Any]:
        found.update({f"{name}_": value for name, value in found.items() if iskeyword(name)})
        for name, formula in word.let.items():
            found[name] = _worked(formula, found)
        return found

    # the looks

    def surface(self, kind: str, get: Inputs) -> Surface:
        """A surface's lobes."""
        word = self.words.get(kind)
        if word is None or not isinstance(word.said, SurfaceSaid):
            if self.before is not None:
                return self.before.surface(kind, get)
            get.tell(f"{kind} has no look of its own; a plain grey is shown")
            return Surface([Lobe(layout.DIFFUSE, 0.18)])
        values = self._values(word, get)

        def of(place: str) -> Any:
            return _worked(word.formulas[place], values)

        if word.said.layers is not None:
            return _layered(word.said, get, ex.field(of("layers.amount")))
        made = Surface()
        lobes: dict[str, Lobe] = {}
        for number, said in enumerate(word.said.lobes):
            if said.when and not of(f"lobes.{number}.when"):
                continue
            lobe = _lobe(said, lambda name, n=number: of(f"lobes.{n}.{name}"), lobes)  # type: ignore[misc]
            lobes[said.name] = lobe
            made.lobes.append(lobe)
        made.opacity, made.glow, made.murk = ex.field(of("opacity")), ex.field(of("glow")), ex.field(of("murk"))
        made.reach, made.deep, made.moved = ex.field(of("reach")), ex.field(of("deep")), ex.field(of("moved"))
        made.glow_lights = bool(of("glow_lights"))
        made.relief = relief_of(get, word.said.relief) if word.said.relief else None
        return made

    def node(self, kind: str, get: Inputs) -> dict[str, Field] | None:
        """A node's outputs."""
        word = self.words.get(kind)
        if word is None or not isinstance(word.said, NodeSaid):
            return self.before.node(kind, get) if self.before is not None else None
        values = self._values(word, get)
        return {name: ex.field(_worked(word.formulas[f"outputs.{name}"], values)) for name in word.said.outputs}

    def light(self, kind: str, get: Inputs) -> Lamp | tuple[Lamp, ...] | None:
        """A lamp; none where it does not shine."""
        word = self.words.get(kind)
        if word is None or not isinstance(word.said, LampSaid):
            if self.before is not None:
                return self.before.light(kind, get)
            get.tell(f"{kind} has no look of its own; it gives no light")
            return None
        of = self._said(word, get)
        if not of["when"]:
            return None
        picture = None
        if word.said.picture and get.word(word.said.picture):
            picture = Lookup(get.facts.find(get.word(word.said.picture)), "auto")
        tint = tuple(of["tint"]) if isinstance(of["tint"], tuple) else (float(of["tint"]),) * 3
        return Lamp(
            word.said.shape, tinted(float(of["radiance"]), tint, None), (of["size.0"], of["size.1"]), inner=of["inner"], outer=of["outer"],
            profile=word.said.profile, focus=of["focus"], decay=int(of["decay"]), shadows=bool(of["shadows"]), picture=picture,
            turn=of["turn"], own_axes=word.said.shape != "dome", total=bool(of["total"]), start=of["start"], reach=of["reach"],
            seen=bool(of["seen"]),
        )  # fmt: skip

    def camera(self, kind: str, get: Inputs) -> View:
        """A camera's view."""
        word = self.words.get(kind)
        if word is None or not isinstance(word.said, ViewSaid):
            if self.before is not None:
                return self.before.camera(kind, get)
            return View(
                36.0, 35.0, notes=(f"{kind} has no look of its own; a film of 36 mm behind a lens of 35 mm is shown",)
            )
        of = self._said(word, get)
        return View(
            of["film_width"], of["focal"], (of["shift.0"], of["shift.1"]), of["f_number"], of["focus"], of["near"], of["far"], of["scale"],
            vignetting=of["vignetting"],
        )  # fmt: skip

    def settings(self, kind: str, get: Inputs) -> Sampling:
        """How a picture is computed."""
        word = self.words.get(kind)
        if word is None or not isinstance(word.said, SamplingSaid):
            return self.before.settings(kind, get) if self.before is not None else Sampling()
        of = self._said(word, get)
        return Sampling(
            int(of["samples"]),
            int(of["bounces"]),
            of["clamp"],
            bool(of["indirect"]),
            pixel_aspect=of["pixel_aspect"],
            size=in_pixels((of["width"], of["height"])),
        )

    def _said(self, word: Word, get: Inputs) -> dict[str, Any]:
        values = self._numbers(word, get)
        found = {place: _worked(formula, values) for place, formula in word.formulas.items()}
        return {
            place: float(one) if isinstance(one, int) and not isinstance(one, bool) else one
            for place, one in found.items()
        }


def _texts(said: Said) -> list[tuple[str, str]]:
    """Every formula of a word, by its place."""
    found: list[tuple[str, str]] = []
    if isinstance(said, SurfaceSaid):
        for number, lobe in enumerate(said.lobes):
            found += [(f"lobes.{number}.{name}", text) for name in _LOBE if (text := getattr(lobe, name))]
        if said.layers is not None:
            found.append(("layers.amount", said.layers.amount))
        return found + [
            (name, getattr(said, name)) for name in ("opacity", "glow", "glow_lights", "murk", "reach", "deep", "moved")
        ]
    if isinstance(said, NodeSaid):
        return [(f"outputs.{name}", text) for name, text in said.outputs.items()]
    for name in type(said).model_fields:
        value = getattr(said, name)
        if name in ("size", "shift"):
            found += [(f"{name}.{number}", text) for number, text in enumerate(value)]
        elif name not in _NUMBERS_ONLY:
            found.append((name, value))
    return found


def _worked(formula: Formula, values: Mapping[str, Any]) -> Any:
    return formula(*[values[name] for name in formula.names])


def _lobe(said: LobeSaid, of: Any, lobes: Mapping[str, Lobe]) -> Lobe:
    facets = str(of("facets"))
    return Lobe(
        KINDS[said.lobe], ex.field(of("weight")), ex.field(of("alpha")), ex.field(of("across")) if said.across else None,
        ex.field(of("turn")) * (math.pi / 180.0 if said.lobe != "fibre" else 1.0), FACETS.get(facets, layout.GGX), LAWS[said.fresnel],
        ex.field(of("first")), ex.field(of("second")), lobes.get(said.under), COVERS[said.covers], ex.field(of("amount")),
        ex.field(of("absorb")), ex.field(of("film")), ex.field(of("film_index")), said.full, ex.field(of("within")),
    )  # fmt: skip


def _layered(said: SurfaceSaid, get: Inputs, amount: Field) -> Surface:
    how = said.layers
    assert how is not None  # asked by who calls
    below, top = get.surface(how.below), get.surface(how.top)
    if how.how == "stack":
        return layers.stacked(below, top)
    together = layers.over if how.how == "over" else layers.added
    return together(below or Surface(), top or Surface(), amount)
