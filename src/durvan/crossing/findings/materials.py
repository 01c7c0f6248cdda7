"""Findings about materials: metals that were faked, reflections that never rise, ones bound to nothing, ones alike."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.translation.plan import Plan
from durvan.dialects.pack import Pack, Term
from durvan.graph.formula import wrap
from durvan.optics.colour import luminance
from durvan.scene.graph import Node
from durvan.scene.model import Kind, Thing


def faked(thing: Thing, source: Pack | None, plan: Plan) -> Iterator[Finding]:
    """Surfaces that a pack reads as something other than what they say they are, with how sure that is."""
    root = thing.root
    if root is None or source is None or source.name == plan.choices.target:
        return
    compiled = source.compiled.get(root.kind)
    if compiled is None or len(compiled.cases) < 2:
        return
    chosen = {node: case for t, node, case in plan.choices.readings if t == thing.id}
    if root.id in chosen:
        return
    rules = [row.rule for row in plan.translations[thing.id].rows if row.node == root.id]
    case = next((c for c in compiled.cases if c.because and any(f"({c.name})" in rule for rule in rules)), None)
    if case is None:
        return
    decided = [(t.name, _said(root, t)) for t in case.when.terms if t.source == "value"] if case.when else []
    evidence = tuple(dict(decided).items())
    other = [c.name for c in compiled.cases if c.name not in (case.name, "glass")]
    remedies = tuple(
        Remedy(f"Read as {name}", f"Read all as {name}", ("reading", thing.id, root.id, name), bulk=False)
        for name in other
    )
    if case.sure is not None:
        values = [
            t.name in root.links if t.source == "mapped" else wrap(root.values.get(t.name, t.default))
            for t in case.sure.terms
        ]
        sure = f"{100 * float(case.sure.formula(*values)):.0f} %"
        yield Finding(
            "faked-metal", Level.LOOK, "A metal faked by its reflection", f"read as {case.name}, {sure} sure",
            "its edges will brighten a little more than before", thing.id, root.id, "Facing",
            (*evidence, ("how sure", sure)), remedies,
        )  # fmt: skip
    else:
        yield Finding(
            "fresnel-off", Level.LOOK, "Reflection without Fresnel on what is not a metal", case.because,
            "its edges will reflect more than before", thing.id, root.id, "Facing", evidence, remedies,
        )  # fmt: skip


def _said(root: Node, term: Term) -> str:
    """A parameter that a reading was decided by, as people read it."""
    if term.name in root.links:
        return "map"
    value = root.values.get(term.name, term.default)
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return f"{luminance(value):.2f} luminance" if len(value) == 3 else str(value)
    return f"{value:g}" if isinstance(value, int | float) else str(value)


def binding(thing: Thing) -> Iterator[Finding]:
    """A material that no object wears."""
    if thing.used_by == 0:
        yield Finding(
            "unbound", Level.NOTE, "A material bound to nothing", f"{thing.name} is worn by no object",
            "it does not show", thing.id, "", "Survey", (("objects", "0"),),
        )  # fmt: skip


def alike(things: Iterable[Thing]) -> Iterator[Finding]:
    """Materials that are the same in everything but their name."""
    groups: dict[str, list[Thing]] = {}
    for thing in things:
        if thing.kind is Kind.MATERIAL and thing.graph.nodes:
            groups.setdefault(_fingerprint(thing), []).append(thing)
    for same in groups.values():
        for thing in same[1:]:
            yield Finding(
                "alike", Level.NOTE, "Materials that are the same", f"{thing.name} is {same[0].name} over again",
                "one would do for both", thing.id, "", "Survey", (("the same as", same[0].id),),
            )  # fmt: skip


def _fingerprint(thing: Thing) -> str:
    parts = [
        f"{node.id}:{node.kind}:{sorted(node.values.items())}:{sorted((p, v.node, v.output) for p, v in node.links.items())}"
        for node in thing.graph.nodes.values()
    ]
    return hashlib.sha256("\n".join(sorted(parts)).encode()).hexdigest()
