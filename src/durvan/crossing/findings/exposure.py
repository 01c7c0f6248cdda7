"""Findings about frames, exposure, and what bends pictures on their way to a display."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import cast

from durvan.crossing.document.changes import Choose, PutNote
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.result import as_meant
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.optics.colour import white_balance
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Value
from durvan.scene.model import Kind, Thing

CODES = (
    "exposure-moved", "burnt-in", "bent-twice", "white-balance", "frame-axis", "view-left", "no-bounces",
)  # fmt: skip


def exposure(view: View, thing: Thing) -> Iterator[Finding]:
    """Exposure that moves from the scene to its cameras, a white balance that the target lacks, a film that is bound by its height,
    and responses and views that bend pictures on one side, or twice.
    """
    if thing.kind is Kind.CAMERA:
        yield from _of_camera(view, thing)
    elif thing.kind is Kind.SETTINGS:
        yield from _of_settings(view, thing)


def _of_camera(view: View, thing: Thing) -> Iterator[Finding]:
    moved = axis = False
    for row in view.translation(thing).rows:
        if not moved and row.family == "exposure" and row.targets and view.kept_on(thing, row.parameter):
            moved = True
            yield _moved(view, thing, row)
        elif not axis and row.why.told_by == "frame-axis" and row.targets:
            axis = True
            yield _other_axis(view, thing, row)
        elif row.why.told_by == "white-balance" and row.fate is Fate.LOST:
            yield _unbalanced(view, thing, row)


def _of_settings(view: View, thing: Thing) -> Iterator[Finding]:
    dark = False
    for row in view.translation(thing).rows:
        if row.fate is Fate.LOST and row.why.told_by == "burnt-in":
            yield _burnt_in(view, thing, row)
        elif not dark and row.why.told_by == "no-bounces":
            dark = True
            yield Finding(
                "no-bounces", Level.NOTE, "Light that does not bounce", f"{thing.name} lets no light bounce off anything",
                f"the counts of paths are 0 in {view.target.title}, so shadows stay as black as they were", thing.id,
                row.parameter, "Light", (("in the source", f"{row.parameter.replace('_', ' ')} {row.value}"),),
            )  # fmt: skip
        elif row.fate is Fate.LOST and row.why.told_by == "view-left":
            yield _view_left(view, thing, row)
    yield from _bent_twice(view, thing)


def _other_axis(view: View, thing: Thing, row: Row) -> Finding:
    value, unit = row.target_values[0]
    aspect = thing.context.get("frame_aspect", 0.0)
    said = f"{value:.4g} {unit}" if isinstance(value, float) else str(value)
    return Finding(
        "frame-axis", Level.NOTE, "A film that is bound by its height",
        f"the picture's aspect of {aspect:.3g} is another one than the film's, and its height binds; {view.target.title} binds by the width",
        f"the width in the target is {said}, so that the frame stays", thing.id, row.parameter, "Light",
        (("aspect of the picture", f"{aspect:.4g}"), ("width in the target", said)),
    )  # fmt: skip


def _unbalanced(view: View, thing: Thing, row: Row) -> Finding:
    """A white balance that the target's camera does not have: what it did, and lights that do it instead."""
    kelvin = float(cast(float, row.value))
    factors = white_balance(kelvin)
    evidence = tuple(
        (name, f"{math.log2(part / factors[1]):+.2f} stops".replace("-", "−"))
        for name, part in (("red to green", factors[0]), ("blue to green", factors[2]))
    )
    onto = Remedy("Balance the light instead", "Balance the light instead", Choose(balanced=kelvin), bulk=False)
    return Finding(
        "white-balance", Level.LOOK, "A white balance that the target's camera lacks",
        f"{thing.name} takes {kelvin:g} K for white; {view.target.title} has no white balance",
        f"the picture will be {'warmer' if factors[0] < factors[2] else 'colder'}, unless its light is balanced, or the picture afterwards",
        thing.id, row.parameter, "Light", (("white", f"{kelvin:g} K"), *evidence), (onto,),
    )  # fmt: skip


def _view_left(view: View, thing: Thing, row: Row) -> Finding:
    return Finding(
        "view-left", Level.NOTE, "A view that stays behind",
        f"the source's pictures are looked at by '{row.value}'; {view.target.title} chooses none",
        "choose the same one where the pictures are looked at, and burn no response in besides", thing.id, row.parameter, "Light",
        (("view", str(row.value)),),
    )  # fmt: skip


def _bent_twice(view: View, thing: Thing) -> Iterator[Finding]:
    """A response that is burnt in, of pictures that are looked at by a view, too: in the target, or between the two sides."""
    translation = view.translation(thing)
    there = _bending(view.target, translation.graph)
    pack = view.source(thing)
    here = _bending(pack, as_meant(thing, translation).graph) if pack is not None else _Bending()
    response, looked_at = there.response or here.response, there.view or here.view
    if not response or not looked_at or not (there.response or there.view):
        return
    if there.response and there.view:
        cause = f"{view.target.title} burns '{response}' in, and its pictures are looked at by '{looked_at}'"
        what = "its highlights will be pressed twice, and its middle tones lifted twice"
    elif there.response:
        cause = f"{view.target.title} burns '{response}' in; the source's pictures are looked at by '{looked_at}'"
        what = "looked at in the same way, the target's pictures are bent twice"
    else:
        cause = f"the source burnt '{response}' in; the target's pictures are looked at by '{looked_at}'"
        what = (
            "looked at in the same way, a reference that the source rendered is bent twice: compare it without the view"
        )
    name = there.view_name or there.response_name
    remedies: tuple[Remedy, ...] = ()
    if root := translation.graph.root:
        pack_type = view.target.parameter(root.kind, name)
        plain: Value = "none" if pack_type is not None and "none" in pack_type.choices else ""
        take = PutNote(note=Note(thing=thing.id, node=root.id, parameter=name, value=plain))
        label = "Choose no view" if name == there.view_name else "Burn no response in"
        remedies = (Remedy(label, label, take, bulk=False),)
    yield Finding(
        "bent-twice", Level.LOOK, "A picture that is bent twice", cause, what, thing.id, name, "Light",
        (("response", response), ("view", looked_at)), remedies,
    )  # fmt: skip


@dataclass(frozen=True)
class _Bending:
    """What bends a side's pictures: the response that is burnt in and the view that they are looked at by, and the parameters'
    names; empty for none.
    """

    response: str = ""
    view: str = ""
    response_name: str = ""
    view_name: str = ""


def _bending(pack: Pack, graph: Graph) -> _Bending:
    root = graph.root
    if root is None:
        return _Bending()
    found = {}
    for role in ("response", "view"):
        name = pack.playing(root.kind, role)  # type: ignore[arg-type]
        said = pack.parameter(root.kind, name) if name is not None else None
        value = str(root.values.get(name, said.default)) if name is not None and said is not None else ""
        found[role] = (value if value != "none" else "", name or "")
    (response, response_name), (looked_at, view_name) = found["response"], found["view"]
    return _Bending(response, looked_at, response_name if response else "", view_name if looked_at else "")


def _moved(view: View, thing: Thing, row: Row) -> Finding:
    said = ", ".join(
        f"{name.replace('_', ' ')} {value:+.2f} {unit}"
        for (_, name), (value, unit) in zip(row.targets, row.target_values, strict=True)
        if isinstance(value, float)
    )
    return Finding(
        "exposure-moved", Level.NOTE, "Exposure moves from the scene to the camera",
        f"{row.parameter.replace('_', ' ')} is the scene's; in {view.target.title} it stands on {thing.name}",
        "the picture stays as bright", thing.id, row.parameter, "Light", (("in the target", said),),
    )  # fmt: skip


def _burnt_in(view: View, thing: Thing, row: Row) -> Finding:
    return Finding(
        "burnt-in", Level.LOOK, "A response that is burnt into the source's pictures",
        f"the source bends its pictures by '{row.value}'; {view.target.title} does not",
        "its highlights will be harder until a view bends them; compare pictures before the response",
        thing.id, row.parameter, "Light", (("response", str(row.value)),),
    )  # fmt: skip
