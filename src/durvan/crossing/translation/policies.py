"""What a person wants done in general: for everything, for a kind of material, for one; what says most about a thing counts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from durvan.crossing.translation.bakery import NEEDED, NEVER, TO_MAPS
from durvan.crossing.translation.choices import Choices
from durvan.scene.traits import MaterialKind, Traits


class Matter(StrEnum):
    """What a policy is about."""

    BAKE = "bake"
    SEE_THROUGH = "see-through"


# What there is to choose of each matter; the first is what is done where nobody says otherwise
WAYS: Mapping[Matter, tuple[str, ...]] = {
    Matter.BAKE: (NEEDED, NEVER, TO_MAPS),
    Matter.SEE_THROUGH: ("coverage", "stencil"),
}
EVERYTHING, KIND = "everything", "kind:"


class Kinds:
    """What each material is: what a person says, else what was recognised."""

    def __init__(self, choices: Choices, traits: Mapping[str, Traits]) -> None:
        self.said = {one.thing: one.kind for one in choices.kinds}
        self.traits = traits

    def of(self, thing: str) -> MaterialKind:
        """The kind of a material; unknown where nobody has looked yet."""
        if thing in self.said:
            return self.said[thing]
        found = self.traits.get(thing)
        return found.kind if found is not None else MaterialKind.UNKNOWN


class Policies:
    """The ways that are chosen, looked up by thing."""

    def __init__(self, choices: Choices, kinds: Kinds) -> None:
        self.kinds = kinds
        self.ways = {(one.what, one.subject): one.how for one in choices.policies}

    def of(self, thing: str, matter: Matter) -> str:
        """The way for one thing: its own, that of its kind, that of everything, or what is usual."""
        for subject in self._subjects(thing):
            if (matter.value, subject) in self.ways:
                return self.ways[matter.value, subject]
        return WAYS[matter][0]

    def _subjects(self, thing: str) -> Iterable[str]:
        yield thing
        kind = self.kinds.of(thing)
        if kind is not MaterialKind.UNKNOWN:
            yield f"{KIND}{kind.value}"
        yield EVERYTHING
