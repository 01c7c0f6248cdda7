"""What one thing becomes, and all that this depends on."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from durvan.crossing.translation.choices import Note, Redirect, Swap
from durvan.crossing.translation.lighting import AS_IT_IS, Handling
from durvan.crossing.translation.making import AS_USUAL, Making
from durvan.crossing.translation.rows import Counts, Fault, Row, tally_of
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.scene.baking import Bake
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Value
from durvan.scene.model import Thing


@dataclass(frozen=True, slots=True, eq=False)
class Inputs:
    """All that a translation depends on; two that are the `same` come to the same."""

    thing: Thing
    source: Pack | None
    target: Pack
    metres_per_unit: float
    values: tuple[tuple[str, str, float | str | bool], ...] = ()
    readings: tuple[tuple[str, str], ...] = ()
    turned: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()
    light: Handling = AS_IT_IS
    making: Making = AS_USUAL
    rewired: tuple[Redirect | Swap, ...] = ()
    left: str = ""  # why the target's file cannot hold it

    def same(self, other: Inputs) -> bool:
        """Whether nothing differs; things and packs are values that do not change, so the same one is known at once."""
        return (
            self.thing is other.thing and self.source is other.source and self.target is other.target
            and self.metres_per_unit == other.metres_per_unit and self.values == other.values
            and self.readings == other.readings and self.turned == other.turned and self.notes == other.notes
            and self.light == other.light and self.making == other.making and self.rewired == other.rewired
            and self.left == other.left
        )  # fmt: skip


@dataclass(slots=True, eq=False)
class Translation:
    """What one thing becomes: its graph in the target's words, and its rows of the ledger.

    `readings` are the cases that nodes with several were read by; `unsaid` the nodes of the common ground that the target
    has no word for, with their why; `faults` are conditions of packs that could not be asked; `inputs` what it was made from; `looks` names both networks, once
    it was asked for; `meant` is the source with a person's corrections in it, where there are any: what the target is measured
    against; `moved` where it stands in the target (a world matrix), if elsewhere; `bakes` are the pictures that are painted for it; `unmet` says what was chosen for it and cannot be done; `common` the values that a light, a camera or settings have on the common ground.
    """

    thing: str
    source_dialect: str
    target_dialect: str
    graph: Graph
    rows: list[Row] = field(default_factory=list)
    readings: dict[str, str] = field(default_factory=dict)
    unsaid: tuple[tuple[str, Why], ...] = ()
    faults: tuple[Fault, ...] = ()
    common: dict[str, Value] = field(default_factory=dict)
    inputs: Inputs | None = None
    meant: Thing | None = None
    looks: str = ""
    moved: tuple[float, ...] = ()
    bakes: tuple[Bake, ...] = ()
    unmet: tuple[Why, ...] = ()
    _counts: Counts | None = None

    def without_counterpart(self) -> set[str]:
        """The source's nodes of which nothing is in the target, though something was meant by them."""
        said: dict[str, bool] = {}
        for row in self.rows:
            gone = row.fate >= Fate.LOST and not row.targets and row.why.cause is not Cause.UNUSED
            said[row.node] = said.get(row.node, True) and gone
        return {name for name, gone in said.items() if gone and name}

    def waits(self, topic: str) -> bool:
        """Whether anything of it has a why of some topic."""
        return any(row.why.topic == topic for row in self.rows) or any(why.topic == topic for why in self.unmet)

    def to_travel(self) -> Translation:
        """Only what is needed to look at it, for another process."""
        return replace(self, rows=[], readings={}, unsaid=(), faults=(), unmet=(), inputs=None)

    @property
    def counts(self) -> Counts:
        """How many of its rows have which fate; counted once, when nothing is written into them any more."""
        if self._counts is None:
            self._counts = tally_of(self.rows)
        return self._counts


def as_meant(thing: Thing, translation: Translation) -> Thing:
    """The source that a target is measured against: with a person's corrections, where there are any."""
    return thing if translation.meant is None else translation.meant


def in_target(thing: Thing, translation: Translation) -> Thing:
    """A thing as it is in the target's words."""
    return replace(
        thing,
        graph=translation.graph,
        dialect=translation.target_dialect,
        turned=(),
        bakes=translation.bakes,
        words="",
        stands=translation.moved or thing.stands,
    )
