"""The ledger: one row for every value that was carried, with its fate, rule, formula, values and units."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Value


@dataclass(slots=True, eq=False)
class Row:
    """What became of one value. Of a row that was `added`, the source's side is empty.

    `by` is "hand" or "fit" where the value is not what the rules gave; `drift` that of the whole look before and after.
    """

    thing: str
    node: str
    parameter: str
    family: str
    value: Value | None
    unit: str = ""
    linked: bool = False
    fate: Fate = Fate.KEPT
    rule: str = ""
    formula: str = ""
    reason: str = ""
    measure: float | None = None
    measured: str = ""
    targets: list[tuple[str, str]] = field(default_factory=list)
    target_values: list[tuple[Value | None, str]] = field(default_factory=list)
    scaled: bool = True
    by: str = ""
    drift: tuple[float, float] | None = None

    def meet(self, fate: Fate, reason: str = "") -> None:
        """Take a fate that weighs more than the present one, with its reason."""
        if fate > self.fate:
            self.fate = fate
            if reason:
                self.reason = reason
        elif reason and not self.reason:
            self.reason = reason


@dataclass(slots=True)
class Ledger:
    """All rows of a crossing, in the order of the scene."""

    rows: list[Row] = field(default_factory=list)
    _tallies: dict[str, dict[Fate, int]] = field(default_factory=dict)
    _grid: dict[str, dict[Fate, int]] = field(default_factory=dict)

    def count(self) -> None:
        """Count everything once; called where the rows are made, so that nobody who shows them has to."""
        self._tallies, self._grid = {}, {}
        for row in self.rows:
            for key, table in ((row.thing, self._tallies), (row.family, self._grid)):
                cells = table.get(key)
                if cells is None:
                    cells = table[key] = dict.fromkeys(SHOWN, 0)
                cells[row.fate] += 1

    def __len__(self) -> int:
        return len(self.rows)

    def __iter__(self) -> Iterator[Row]:
        return iter(self.rows)

    def counts(self) -> dict[Fate, int]:
        """How many rows have each fate, in the order that is shown."""
        return {fate: sum(cells[fate] for cells in self._grid.values()) for fate in SHOWN}

    def grid(self) -> dict[str, dict[Fate, int]]:
        """How many rows each feature family has of each fate."""
        return self._grid

    def tally(self, thing: str) -> dict[Fate, int]:
        """How many rows of one thing have each fate."""
        return self._tallies.get(thing) or dict.fromkeys(SHOWN, 0)


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
        "reason": row.reason,
        "measure": row.measure,
        "measured": row.measured,
        "by": row.by,
        "drift_before": row.drift[0] if row.drift else None,
        "drift_after": row.drift[1] if row.drift else None,
        "targets": [
            {"node": node, "parameter": name, "value": value, "unit": unit}
            for (node, name), (value, unit) in zip(row.targets, row.target_values, strict=True)
        ],
    }


def worst(tally: dict[Fate, int]) -> Fate | None:
    """The fate that a person most needs to know of among some that were counted."""
    return max((fate for fate, count in tally.items() if count and fate is not Fate.ADDED), default=None)
