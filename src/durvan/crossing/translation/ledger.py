"""The ledger: one row for every value that was carried, with its fate, why it has it, the steps, values and units."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from durvan.dialects.said import NO_CAUSE, Step, Why
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Value

if TYPE_CHECKING:
    from durvan.crossing.translation.translate import Translation

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
    targets: list[tuple[str, str]] = field(default_factory=list)
    target_values: list[tuple[Value | None, str]] = field(default_factory=list)
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


_NONE: Mapping[Fate, int] = dict.fromkeys(SHOWN, 0)


class Ledger:
    """All rows of a crossing, in the order of the scene, and their counts.

    The counts of a former ledger are taken over where its translations are the same.
    """

    def __init__(self, translations: Mapping[str, Translation], before: Ledger | None = None) -> None:
        self.translations = translations
        self._families: dict[str, Tally] = {}
        self._count = 0
        if before is None:
            for one in translations.values():
                self._add(one.counts, 1)
            return
        self._families = {family: dict(cells) for family, cells in before._families.items()}
        self._count = before._count
        old = before.translations
        for name, one in translations.items():
            was = old.get(name)
            if was is not one:
                self._add(one.counts, 1)
                if was is not None:
                    self._add(was.counts, -1)
        if len(old) != len(translations) or old.keys() != translations.keys():
            for name, was in old.items():
                if name not in translations:
                    self._add(was.counts, -1)

    def _add(self, counts: Counts, sign: int) -> None:
        self._count += sign * counts.rows
        for family, cells in counts.families.items():
            mine = self._families.get(family)
            if mine is None:
                mine = self._families[family] = dict.fromkeys(SHOWN, 0)
            for fate, number in cells.items():
                if number:
                    mine[fate] += sign * number

    def __len__(self) -> int:
        return self._count

    def __iter__(self) -> Iterator[Row]:
        for translation in self.translations.values():
            yield from translation.rows

    def counts(self) -> Tally:
        """How many rows have each fate, in the order that is shown."""
        return {fate: sum(cells[fate] for cells in self._families.values()) for fate in SHOWN}

    def grid(self) -> dict[str, Tally]:
        """How many rows each feature family has of each fate."""
        return {family: cells for family, cells in self._families.items() if any(cells.values())}

    def tally(self, thing: str) -> Mapping[Fate, int]:
        """How many rows of one thing have each fate."""
        found = self.translations.get(thing)
        return found.counts.fates if found is not None else _NONE


def row_document(row: Row) -> dict[str, Any]:
    """A row as plain data, for JSON and for the record; numbers stay numbers."""
    return {
        "thing": row.thing,
        "node": row.node,
        "parameter": row.parameter,
        "family": row.family,
        "fate": row.fate.word,
        "value": "map" if row.linked else row.value,
        "unit": row.unit,
        "rule": row.rule,
        "formula": row.formula,
        "cause": row.why.cause.value,
        "reason": row.reason,
        "measure": row.measure,
        "measured": row.measured,
        "by": row.by.value,
        "drift_before": row.drift[0] if row.drift else None,
        "drift_after": row.drift[1] if row.drift else None,
        "targets": [
            {"node": node, "parameter": name, "value": value, "unit": unit}
            for (node, name), (value, unit) in zip(row.targets, row.target_values, strict=True)
        ],
    }


def worst(tally: Mapping[Fate, int]) -> Fate | None:
    """The fate that a person most needs to know of among some that were counted."""
    return max((fate for fate, count in tally.items() if count and fate is not Fate.ADDED), default=None)
