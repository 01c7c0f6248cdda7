"""The demo sets' materials: their drifts as they are carried with defaults, and after Settle. `python bench/demos.py [TARGET]`."""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
os.environ.setdefault("DURVAN_SWATCHES", tempfile.mkdtemp())

from durvan.cli.settle import settle
from durvan.crossing.job.session import Session, start
from durvan.crossing.looks.trials import THE_LIGHT
from durvan.dialects.registry import registry
from durvan.progress import silent
from durvan.scene.model import Kind

TARGET = sys.argv[1] if len(sys.argv) > 1 else "pellune"


def drifts(session: Session) -> dict[str, float]:
    """Drifts by name, as they stand and as far as they are known."""
    found = {thing.name: session.drift(thing.id) for thing in session.scene.of(Kind.MATERIAL)}
    return {name: drift.mean for name, drift in found.items() if drift is not None}


def told(name: str, found: dict[str, float], limit: float) -> None:
    """One line of the table."""
    values = list(found.values())
    over = {name: round(value, 2) for name, value in sorted(found.items(), key=lambda one: -one[1]) if value > limit}
    share = 100.0 * sum(value <= limit for value in values) / len(values)
    print(
        f"{name:34} {len(values):3} materials, median {statistics.median(values):.2f}, {share:.1f} % at most {limit:g}; over it: {over}",
        flush=True,
    )


def main() -> None:
    """Measure and print."""
    before: dict[str, float] = {}
    after: dict[str, float] = {}
    for name in ("lamproom", "oilstore"):
        session = start(ROOT / "demo" / name / f"{name}.usda", registry(), TARGET)
        begun = time.perf_counter()
        tried = settle(session, False, silent)
        took = time.perf_counter() - begun
        plain = drifts(session)
        told(f"{name}, with defaults", plain, 3.0)
        explained = {one.thing.rsplit("/", 1)[-1] for one in session.findings if one.level < 2}
        print(f"  each over 3 has a finding: {all(one in explained for one, value in plain.items() if value > 3.0)}")
        better = {
            one.about.rsplit("/", 1)[-1]: one.proposal.effect.after
            for one in tried
            if one.proposal and one.about != THE_LIGHT
        }
        told(f"{name}, settled in {took:.0f} s", {**plain, **better}, 2.0)
        before |= {f"{name}/{key}": value for key, value in plain.items()}
        after |= {f"{name}/{key}": value for key, value in {**plain, **better}.items()}
    told("both, with defaults (wanted: 90 %)", before, 3.0)
    told("both, settled (wanted: 90 %)", after, 2.0)


if __name__ == "__main__":
    main()
