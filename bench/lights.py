"""`python bench/lights.py [COUNT]`: lights of every kind, made up at random, carried and held against what they were.

For each direction it prints how far the illuminance at a probe and its chroma are off after carrying, as rendered by both
stand-ins, and how far the budget's own numbers are from the renderer's. Scenes of which the ledger says that something is not the
same any more are counted apart.
"""

from __future__ import annotations

import math
import sys
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from durvan.dialects.registry import registry
from durvan.optics.colour import chromaticity, luminance
from made_lights import Lights, budgeted, rendered, told

SOURCES = ("orvik", "pellune", "preview")
TARGETS = ("orvik", "pellune", "openpbr")
DARK = 1e-3  # lux
WITHIN, CHROMA, BUDGET = 0.02, 0.002, 0.01


@dataclass
class Line:
    """One direction: how many were held against each other, were dark, or are told of by the ledger; the worst of each."""

    held: int = 0
    dark: int = 0
    told: int = 0
    worst: float = 0.0
    chroma: float = 0.0
    over: list[str] = field(default_factory=list)


@dataclass
class Table:
    """All directions, and the budget against the renderer."""

    lines: dict[tuple[str, str], Line] = field(default_factory=dict)
    budgets: int = 0
    budget: float = 0.0
    over: list[str] = field(default_factory=list)


def table(count: int, folder: Path, first: int = 0, samples: int = 4096) -> Table:
    """Hold `count` scenes of each source against what they become."""
    out = Table()
    lights = Lights(registry(), folder)
    for source in SOURCES:
        for number in range(first, first + count):
            scene = lights.scene(source, number)
            built = lights.world(scene, scene.thing)
            seen, said = rendered(built, samples), budgeted(built)
            if luminance(seen) > DARK:
                out.budgets += 1
                off = abs(luminance(said) / luminance(seen) - 1.0)
                out.budget = max(out.budget, off)
                if off > BUDGET:
                    out.over.append(f"{source} {number} {scene.thing.root.kind}: {off:.3%}")
            for target in TARGETS:
                if target == source or {source, target} == {"preview", "openpbr"}:
                    continue
                _hold(out.lines.setdefault((source, target), Line()), lights, scene, target, seen, samples)
    return out


def _hold(line: Line, lights: Lights, scene, target: str, seen, samples: int) -> None:
    thing, done = lights.carried(scene, target)
    if told(done):
        line.told += 1
        return
    carried = rendered(lights.world(scene, thing), samples)
    if luminance(seen) < DARK and luminance(carried) < DARK:
        line.dark += 1
        return
    line.held += 1
    off = abs(luminance(carried) / max(luminance(seen), 1e-12) - 1.0)
    one, two = chromaticity(seen.tolist()), chromaticity(carried.tolist())
    apart = math.dist(one, two)
    line.worst, line.chroma = max(line.worst, off), max(line.chroma, apart)
    if off > WITHIN or apart > CHROMA:
        line.over.append(f"{scene.number} {scene.thing.root.kind}: {off:.3%}, {apart:.5f} in u′v′")


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 67
    with tempfile.TemporaryDirectory() as folder:
        found = table(count, Path(folder))
    print(f"lights: {count} scenes of each source, all kinds in turn; illuminance at a probe after carrying")
    print(f"{'from':8} {'to':8} {'held':>5} {'dark':>5} {'told':>5} {'worst':>8} {'chroma':>8}")
    for (source, target), line in found.lines.items():
        print(f"{source:8} {target:8} {line.held:5} {line.dark:5} {line.told:5} {line.worst:8.2%} {line.chroma:8.5f}")
        for said in line.over:
            print(f"    over: {said}")
    print(f"budget against renderer: {found.budgets} lights, at most {found.budget:.2%}")
    for said in found.over:
        print(f"    over: {said}")


if __name__ == "__main__":
    main()
