"""Findings about materials as wholes: ones bound to nothing, ones alike."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import Merge
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES
from durvan.scene.fingerprint import fingerprint
from durvan.scene.model import Kind, Thing


def binding(view: View, thing: Thing) -> Iterator[Finding]:
    """A material that no object wears."""
    if thing.kind is Kind.MATERIAL and thing.used_by == 0:
        yield Finding(
            "unbound", Level.NOTE, "A material bound to nothing", f"{thing.name} is worn by no object",
            "it does not show", thing.id, "", "Survey", (("objects", "0"),),
        )  # fmt: skip


def not_as_chosen(view: View, thing: Thing) -> Iterator[Finding]:
    """A way that was chosen for a material, or for all of its kind, and that it cannot go."""
    translation = view.plan.translations.get(thing.id)
    for why in translation.unmet if translation is not None else ():
        if why.topic == WAITS_FOR_SHAPES:  # it may be followed yet
            continue
        way, _, cause = why.said.partition(": ")
        yield Finding(
            "not-as-chosen", Level.NOTE, "A choice that cannot be followed", cause.rstrip("."),
            f"{thing.name} is {way[:1].lower()}{way[1:]}, and goes as it would without the choice",
            thing.id, why.topic, "Facing", (("why", why.said),), topic=why.topic,
        )  # fmt: skip


def alike(view: View) -> Iterator[Finding]:
    """Materials that are the same in everything but their names, and those of what is in them: pictures by what they hold."""
    files = {one.written: one.same_as or one.first or one.written for one in view.scene.files.values()}
    groups: dict[str, list[Thing]] = {}
    for thing in view.carried:
        if thing.kind is Kind.MATERIAL and thing.graph.nodes:
            said = fingerprint(thing.graph, lambda text: files.get(text, text))
            groups.setdefault(f"{said}{sorted(thing.turned)}", []).append(thing)
    for same in groups.values():
        for thing in same[1:]:
            free = all(wearer.free for wearer in thing.worn)
            remedy = Remedy("Wear one for both", "Wear one for all {count}", Merge(thing=thing.id, into=same[0].id))
            yield Finding(
                "alike", Level.NOTE, "Materials that are the same", f"{thing.name} is {same[0].name} over again",
                "one would do for both" if free else "one would do for both; some of what wears it stands in an instance, and stays",
                thing.id, "", "Survey", (("the same as", same[0].id), ("worn by", f"{thing.used_by}")),
                (remedy,) if free else (),
            )  # fmt: skip
