"""Findings about materials: metals that were faked, reflections that never rise, ones bound to nothing, ones alike."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.plan import Plan
from durvan.dialects.pack import Pack
from durvan.optics.colour import luminance
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
    mirror, base = _colour(root.values.get("mirror_tint")), _colour(root.values.get("base_tint"))
    evidence = (
        ("mirror tint", "map" if "mirror_tint" in root.links else f"{mirror:.2f} luminance"),
        ("base tint", "map" if "base_tint" in root.links else f"{base:.2f} luminance"),
        ("edge rise", "on" if root.values.get("edge_rise", True) else "off"),
        ("index", f"{root.values.get('mirror_index', 1.6):g}"),
    )
    other = [c.name for c in compiled.cases if c.name not in (case.name, "glass")]
    remedies = tuple(
        Remedy(f"Read as {name}", f"Read all as {name}", ("reading", thing.id, root.id, name), bulk=False)
        for name in other
    )
    if case.name == "bare metal":
        sure = metal_sureness(mirror if "mirror_tint" not in root.links else _LIKELY, base)
        yield Finding(
            "faked-metal", Level.LOOK, "A metal faked by its reflection", f"read as bare metal, {100 * sure:.0f} % sure",
            "its edges will brighten a little more than before", thing.id, root.id, "Facing",
            (*evidence, ("how sure", f"{100 * sure:.0f} %")), remedies,
        )  # fmt: skip
    else:
        yield Finding(
            "fresnel-off", Level.LOOK, "Reflection without Fresnel on what is not a metal", case.because,
            "its edges will reflect more than before", thing.id, root.id, "Facing", evidence, remedies,
        )  # fmt: skip


_LIKELY = 0.5  # luminance that a mapped reflection is taken for, when only how sure one is depends on it


def metal_sureness(mirror: float, base: float) -> float:
    """How sure a faked metal is, in [0, 1]: a bright reflection over a dark base; from their luminances."""
    bright = min(max((mirror - 0.1) / 0.4, 0.0), 1.0)
    dark = min(max(1.0 - base / 0.15, 0.0), 1.0)
    return round(0.5 + 0.5 * bright * dark, 3)


def _colour(value: object) -> float:
    return luminance(value) if isinstance(value, tuple) and len(value) == 3 else 0.0


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
