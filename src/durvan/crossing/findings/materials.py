"""Findings about materials as wholes: ones bound to nothing, ones alike."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View
from durvan.crossing.looks.keys import of_thing
from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES
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
    """Materials that are the same in everything but their name."""
    groups: dict[str, list[Thing]] = {}
    for thing in view.carried:
        if thing.kind is Kind.MATERIAL and thing.graph.nodes:
            groups.setdefault(of_thing(thing), []).append(thing)
    for same in groups.values():
        for thing in same[1:]:
            yield Finding(
                "alike", Level.NOTE, "Materials that are the same", f"{thing.name} is {same[0].name} over again",
                "one would do for both", thing.id, "", "Survey", (("the same as", same[0].id),),
            )  # fmt: skip
