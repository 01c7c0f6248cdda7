"""Findings about decisions: those about nothing, and those about what is another thing now than when it was decided."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import Drop, GiveAll, KeepAll
from durvan.crossing.document.decided import Decided, decisions, is_path
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.identity import leaf
from durvan.scene.model import Thing

CODES = ("about-nothing", "other-basis")
_SAID = 6  # decisions that are told one by one


def of_decisions(view: View) -> Iterator[Finding]:
    """All of them, by the thing that they are about."""
    about: dict[str, list[Decided]] = {}
    for one in decisions(view.plan.choices):
        if is_path(one.about):
            about.setdefault(one.about, []).append(one)
    solids = {solid.path for solid in view.scene.solids}
    for path, some in about.items():
        thing = view.scene.things.get(path)
        if thing is not None:
            yield from _of_nodes(view, thing, some)
            if path in view.other_bases:
                yield _other(thing, some)
        elif path not in solids and not all(one.of in ("unseen", "added") and not solids for one in some):
            yield _nothing(view, path, some)


def _said(some: list[Decided]) -> tuple[tuple[str, str], ...]:
    told = tuple((f"decided {number}", one.words) for number, one in enumerate(some[:_SAID], 1))
    return told + ((("and", f"{len(some) - _SAID} more"),) if len(some) > _SAID else ())


def _nothing(view: View, path: str, some: list[Decided]) -> Finding:
    same = [thing for thing in view.scene.things.values() if thing.name == leaf(path)]
    drop = Remedy("Drop it", "Drop all {count}", Drop(thing=path))
    give = [
        Remedy(f"Give it to {thing.id}", "Give each to the one that is called so now", GiveAll(thing=path, to=thing.id), bulk=len(same) == 1)
        for thing in same[:3]
    ]  # fmt: skip
    return Finding(
        "about-nothing", Level.LOOK, "A decision about nothing", f"{len(some)} decided about {path}, which is not in the scene",
        "it has no effect; what it was about may have another name now", "", path, "Survey", _said(some), (*give, drop),
    )  # fmt: skip


def _of_nodes(view: View, thing: Thing, some: list[Decided]) -> Iterator[Finding]:
    """What was decided about nodes that the thing does not have, on the side that it is about."""
    done = view.plan.translations.get(thing.id)
    gone: dict[tuple[str, bool], list[Decided]] = {}
    for one in some:
        graph = thing.graph if not one.in_target else done.graph if done is not None else None
        if one.node and graph is not None and one.node not in graph.nodes:
            gone.setdefault((one.node, one.in_target), []).append(one)
    for (node, in_target), those in gone.items():
        if in_target and done is not None and any(swap.thing == thing.id for swap in view.plan.choices.swaps):
            continue  # a node that was swapped may have gone with what it fed
        side = view.target.title if in_target else "the source"
        yield Finding(
            "about-nothing", Level.LOOK, "A decision about nothing", f"{len(those)} decided about {node} of {thing.name}, which {side} has not",
            "it has no effect", thing.id, node, "Facing", _said(those),
            (Remedy("Drop it", "Drop all {count}", Drop(thing=thing.id, node=node, in_target=in_target)),),
        )  # fmt: skip


def _other(thing: Thing, some: list[Decided]) -> Finding:
    return Finding(
        "other-basis", Level.LOOK, "Decided about what was another thing", f"{thing.name} is not what it was when it was decided about",
        "what was decided holds all the same; it may not be meant for this any more", thing.id, "", "Facing", _said(some),
        (Remedy("Keep it", "Keep all {count}", KeepAll(thing=thing.id)), Remedy("Drop it", "Drop all {count}", Drop(thing=thing.id))),
    )  # fmt: skip
