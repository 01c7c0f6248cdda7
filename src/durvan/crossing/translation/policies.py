"""What a person wants done in general: for everything, for a kind of material, for one; what says most about a thing counts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from durvan.crossing.translation.bakery import PROCEDURALS
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.making import NEEDED, NEVER, TO_MAPS
from durvan.crossing.translation.result import Translation
from durvan.dialects.pack import Pack
from durvan.scene.model import Thing
from durvan.scene.traits import MaterialKind, Traits


class Matter(StrEnum):
    """What a policy is about."""

    BAKE = "bake"
    SEE_THROUGH = "see-through"
    PANES = "panes"
    PROCEDURALS = "procedurals"
    LAYERS = "layers"
    REMNANTS = "remnants"


# What there is to choose of each matter; the first is what is done where nobody says otherwise
WAYS: Mapping[Matter, tuple[str, ...]] = {
    Matter.BAKE: (NEEDED, NEVER, TO_MAPS),
    Matter.SEE_THROUGH: ("coverage", "stencil"),
    Matter.PANES: ("as they are", "simplified"),
    Matter.PROCEDURALS: ("as themselves", "baked"),
    Matter.LAYERS: ("as many as it takes", "two", "one"),
    Matter.REMNANTS: ("removed", "kept"),
}
EVERYTHING, KIND = "everything", "kind:"


_SEEN_THROUGH = 0.02  # part of light that passes, from where on there is something to be seen through


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


def matters(
    thing: Thing, done: Translation | None, traits: Traits | None, source: Pack | None, target: Pack
) -> Iterable[Matter]:
    """What there is to choose of a material, by what it is and what became of it."""
    yield Matter.BAKE
    if traits is not None and traits.masked and target.identity.abilities.get("stencil", False):
        yield Matter.SEE_THROUGH
    if traits is not None and traits.clear > _SEEN_THROUGH:
        yield Matter.PANES
    kinds = _on_common_ground(thing, source)
    if kinds & set(PROCEDURALS):
        yield Matter.PROCEDURALS
    if "layer" in kinds:
        yield Matter.LAYERS
    if done is not None and done.without_counterpart():
        yield Matter.REMNANTS


def _on_common_ground(thing: Thing, source: Pack | None) -> set[str]:
    """Every category that a network's nodes have on the common ground."""
    known = [source.compiled.get(node.kind) for node in thing.graph.nodes.values()] if source is not None else []
    return {category for kind in known if kind is not None for category in kind.roles.values()}
