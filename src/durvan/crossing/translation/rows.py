"""Rows: what became of each value, with its fate, why it has it, the steps, values and units; and how many there are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from durvan.dialects.said import NO_CAUSE, Step, Why
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Value

Tally = dict[Fate, int]


class By(StrEnum):
    """Who put a value into the target where it is not what the rules gave."""

    RULES = ""
    HAND = "hand"
    FIT = "fit"


@dataclass(slots=True, frozen=True)
class Fault:
    """A condition of a pack that could not be asked: whose, of which node, and why. It counts as one that does not hold."""

    dialect: str
    node: str
    what: str


@dataclass(slots=True, eq=False)
class Row:
    """What became of one value. Of a row that was `added`, the source's side is empty.

    `steps` are the rules that acted on it, in order; `why` says how it came to its fate, as a cause to decide by and a
    sentence to read; `measure` is what remains, in the words of `measured`, and a `share` is of 1. `drift` is that of the
    whole look before and after, of a value that was fitted.
    """

    thing: str
    node: str
    parameter: str
    family: str
    value: Value | None
    unit: str = ""
    linked: bool = False
    fate: Fate = Fate.KEPT
    why: Why = NO_CAUSE
    steps: tuple[Step, ...] = ()
    measure: float | None = None
    measured: str = ""
    share: bool = False
    targets: tuple[tuple[str, str], ...] = ()
    target_values: tuple[tuple[Value | None, str], ...] = ()
    scaled: bool = True
    by: By = By.RULES
    drift: tuple[float, float] | None = None

    def meet(self, fate: Fate, why: Why = NO_CAUSE) -> None:
        """Take a fate that weighs more than the present one, with its why."""
        if fate > self.fate:
            self.fate = fate
            if why.said or not self.why.said:
                self.why = why
        elif why.said and not self.why.said:
            self.why = why

    @property
    def reason(self) -> str:
        """Why it has its fate, in a sentence; only to be read."""
        return self.why.said

    @property
    def rule(self) -> str:
        """The rules that acted, as people read them."""
        return joined(self.steps, [step.rule for step in self.steps]) or "no rule"

    @property
    def formula(self) -> str:
        """The formulas that acted, as people read them; empty of a value that is kept, or that a person or a fit set."""
        if self.by or self.fate is Fate.KEPT:
            return ""
        return joined(self.steps, [step.formula for step in self.steps])


def joined(steps: tuple[Step, ...], texts: list[str]) -> str:
    """Texts of steps in a line: inward ones side by side, outward ones after arrows; each once."""
    out = ""
    seen = set()
    for step, text in zip(steps, texts, strict=True):
        if text and text not in seen:
            seen.add(text)
            out += (" → " if step.outward else "; ") + text if out else text
    return out


@dataclass(frozen=True)
class Counts:
    """How many rows of one thing have each fate, in all and by feature family."""

    fates: Mapping[Fate, int]
    families: Mapping[str, Mapping[Fate, int]]
    rows: int


def tally_of(rows: list[Row]) -> Counts:
    """Count the rows of one thing."""
    fates: Tally = dict.fromkeys(SHOWN, 0)
    families: dict[str, Tally] = {}
    for row in rows:
        fates[row.fate] += 1
        cells = families.get(row.family)
        if cells is None:
            cells = families[row.family] = dict.fromkeys(SHOWN, 0)
        cells[row.fate] += 1
    return Counts(fates, families, len(rows))
