"""Lights of every kind after carrying: as bright and of the same colour, unless the ledger says otherwise."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "bench"))

import lights

pytestmark = pytest.mark.usefixtures("kernels")


def test_light_is_carried_within_two_percent(tmp_path: Path) -> None:
    """Two of each kind from every source to every target; `make bench` prints the table of two hundred."""
    found = lights.table(22, tmp_path, samples=1024)
    assert {pair: line.over for pair, line in found.lines.items() if line.over} == {}
    assert found.over == [] and found.budgets > 55
    assert all(line.held >= 8 for line in found.lines.values())
    assert (
        found.lines["orvik", "openpbr"].told == 0
        or found.lines["orvik", "openpbr"].held > found.lines["orvik", "openpbr"].told
    )
