"""The ledger: all rows of a crossing, in the order of the scene, and their counts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import Counts, Row, Tally
from durvan.scene.fate import SHOWN, Fate

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
