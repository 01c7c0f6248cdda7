"""Pairs of looks: a material and what it becomes, ready to be looked at in another process."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from durvan.crossing.looks.keys import LookKey, look_key
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import Plan, plan_one
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import By
from durvan.dialects.registry import Registry
from durvan.scene.model import OutsideFile, Thing

FilesOf = Mapping[str, Sequence[OutsideFile]]


@dataclass(frozen=True)
class Pair:
    """A material and what it becomes, with the key of both looks and the files that they read."""

    key: LookKey
    thing: Thing
    translation: Translation
    files: tuple[OutsideFile, ...] = ()


def pair(thing: Thing, translation: Translation, files: FilesOf) -> Pair:
    """A pair; `files` are those that things use, by thing."""
    read = tuple(files.get(thing.id, ()))
    return Pair(look_key(thing, translation, read), thing, translation.to_travel(), read)


def without_fits(choices: Choices) -> Choices:
    """A person's choices without former fits."""
    hands = tuple(note for note in choices.notes if note.by is not By.FIT)
    return choices.model_copy(update={"notes": hands})


def unfitted(plan: Plan, registry: Registry, names: Iterable[str], files: FilesOf) -> list[Pair]:
    """Things with what all of a person's choices come to without former fits: what a fit starts from."""
    choices = without_fits(plan.choices)
    things = [plan.scene.things[name] for name in names]
    return [
        pair(thing, plan_one(plan.scene, registry, choices, thing, plan.bodies, plan.traits), files) for thing in things
    ]
