"""Findings that packs declare: of a reading that was taken for a node, of a value, of a word that has no counterpart."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import ReadAs
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.choices import Reading
from durvan.dialects.compiled import CompiledCase, Term
from durvan.dialects.said import Declared
from durvan.graph.formula import wrap
from durvan.optics.colour import luminance
from durvan.scene.graph import Node
from durvan.scene.model import Thing


def readings(view: View, thing: Thing) -> Iterator[Finding]:
    """Nodes that a pack reads as something other than what they say they are; not where a person chose the reading."""
    translation = view.translation(thing)
    chosen = {node for node, _ in translation.inputs.readings} if translation.inputs is not None else set()
    pack = view.source(thing)
    for name, read_as in translation.readings.items():
        node = thing.graph.nodes.get(name)
        case = pack.case(node.kind, read_as) if pack is not None and node is not None else None
        if case is None or case.finding is None or node is None or name in chosen:
            continue
        sure = _sureness(case, node)
        decided = [(t.name, _said(node, t)) for t in case.when.terms if t.source == "value"] if case.when else []
        evidence = (*dict(decided).items(), *((("how sure", sure),) if sure else ()))
        remedies = tuple(
            Remedy(
                f"Read as {other}", f"Read all {{count}} as {other}",
                ReadAs(entry=Reading(thing=thing.id, node=name, case=other)), bulk=False,
            )
            for other in case.finding.offers
        )  # fmt: skip
        yield _made(case.finding, thing, name, "Facing", evidence, remedies, sure)


def declared(view: View, thing: Thing) -> Iterator[Finding]:
    """What packs say of a value's fate, or of a word that the target lacks; once for each thing."""
    translation = view.translation(thing)
    whys = [*(row.why for row in translation.rows), *(why for _, why in translation.unsaid)]
    found = dict.fromkeys(why.finding for why in whys if why.finding is not None)
    for one in found:
        yield _made(one, thing, "", "Survey", ((thing.kind.value, thing.name),))


def faults(view: View, thing: Thing) -> Iterator[Finding]:
    """Conditions of packs that could not be asked: what was meant to hold may not have."""
    for one in view.translation(thing).faults:
        pack = view.registry.packs.get(one.dialect)
        yield Finding(
            "pack-fault", Level.LOOK, "A rule of a dialect that cannot be asked", one.what[:400],
            "the rule was passed over, so this may come out otherwise than the dialect means", thing.id, one.node, "Facing",
            (("dialect", pack.title if pack is not None else one.dialect),), topic=one.dialect,
        )  # fmt: skip


def _made(
    said: Declared, thing: Thing, path: str, station: str, evidence: tuple[tuple[str, str], ...],
    remedies: tuple[Remedy, ...] = (), sure: str = "",
) -> Finding:  # fmt: skip
    def filled(text: str) -> str:
        return text.replace("{thing}", thing.name).replace("{sure}", sure)

    return Finding(
        said.code, Level[said.level.upper()], said.title, filled(said.cause), filled(said.consequence), thing.id, path,
        station, evidence, remedies,
    )  # fmt: skip


def _sureness(case: CompiledCase, node: Node) -> str:
    """How sure a reading is, in percent; empty where the pack does not say."""
    if case.sure is None:
        return ""
    values = [
        t.name in node.links if t.source == "mapped" else wrap(node.values.get(t.name, t.default))
        for t in case.sure.terms
    ]
    return f"{100 * float(case.sure.formula(*values)):.0f} %"


def _said(node: Node, term: Term) -> str:
    """A parameter that a reading was decided by, as people read it."""
    if term.name in node.links:
        return "map"
    value = node.values.get(term.name, term.default)
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return f"{luminance(value):.2f} luminance" if len(value) == 3 else str(value)
    return f"{value:g}" if isinstance(value, int | float) else str(value)
