"""The ledger: one row for every value that was carried, with its fate, rule, formula, values and units."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Value


@dataclass(slots=True, eq=False)
class Row:
    """What became of one value. Of a row that was `added`, the source's side is empty."""

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

    def __len__(self) -> int:
        return len(self.rows)

    def __iter__(self) -> Iterator[Row]:
        return iter(self.rows)

    def counts(self) -> dict[Fate, int]:
        """How many rows have each fate, in the order that is shown."""
        found = Counter(row.fate for row in self.rows)
        return {fate: found.get(fate, 0) for fate in SHOWN}

    def grid(self) -> dict[str, dict[Fate, int]]:
        """How many rows each feature family has of each fate."""
        table: dict[str, dict[Fate, int]] = {}
        for row in self.rows:
            cells = table.setdefault(row.family, dict.fromkeys(SHOWN, 0))
            cells[row.fate] += 1
        return table

    def of(self, thing: str) -> list[Row]:
        """The rows of one material, light, camera or set of settings."""
        return [row for row in self.rows if row.thing == thing]


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
        "targets": [
            {"node": node, "parameter": name, "value": value, "unit": unit}
            for (node, name), (value, unit) in zip(row.targets, row.target_values, strict=True)
        ],
    }


def worst(rows: Iterable[Row]) -> Fate | None:
    """The fate among some rows that a person most needs to know of."""
    return max((row.fate for row in rows if row.fate is not Fate.ADDED), default=None)
