"""How long it takes to measure very many materials, and whether the numbers are those of the slow way.

Materials are made up in every dialect and carried to every other. The slow way looks at every pixel of the swatch,
with many times the samples, and takes no noise out. `python bench/drifts.py [how many] [how many the slow way] [seed]`.
"""

from __future__ import annotations

import itertools
import os
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))
os.environ["DURVAN_SWATCHES"] = tempfile.mkdtemp()

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.result import Translation
from durvan.dialects.registry import registry
from durvan.engine import compiling
from durvan.engine.swatches import Maker as Swatches
from durvan.scene.drift import Drift
from durvan.scene.model import Scene, Thing
from made_up import Maker, maps
from slow_way import slow_way

Case = tuple[Appearance, Thing, Translation]


def cases(count: int, seed: int, folder: Path) -> Iterator[Case]:
    """Materials of all pairs by turns, each with what it becomes."""
    packs = registry()
    files = maps(folder)
    pairs = itertools.cycle(itertools.permutations(packs.packs.values(), 2))
    for number, (source, target) in zip(range(count), pairs, strict=False):
        thing = Maker(source, seed * 10_000 + number, networks=0.12, pictures=files).material(number)
        scene = Scene("made.usda", source.name, things={thing.id: thing}, metres_per_unit=0.01)
        yield Appearance(scene, packs), thing, plan(scene, packs, Choices(target=target.name)).translations[thing.id]


def measured(case: Case) -> Drift:
    """Its drift, measured afresh."""
    seen, thing, done = case
    found = seen.drift(thing, done)
    assert found is not None
    return found


def compare(some: list[tuple[Case, Drift]]) -> None:
    """A table of the fast way against the slow one."""
    print(f"\n{'drift':>8} {'± ':>6} {'the slow way':>13} {'apart':>7} {'in noises':>10}")
    apart = []
    for (seen, thing, done), found in some:
        slow = slow_way(Swatches(seen.source(thing, done)), Swatches(seen.target(thing, done)))
        apart.append(abs(found.mean - slow.mean) / max(np.hypot(found.noise, slow.noise), 1e-6))
        print(
            f"{found.mean:8.2f} {found.noise:6.2f} {slow.mean:13.2f} {found.mean - slow.mean:+7.2f} {apart[-1]:10.2f}",
            flush=True,
        )
    within = sum(1 for one in apart if one <= 1.0) / len(apart)
    print(
        f"{within:.0%} within the stated noise, {sum(1 for one in apart if one <= 2.0) / len(apart):.0%} within twice that"
    )


def main() -> None:
    """Measure and print."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    slow = int(sys.argv[2]) if len(sys.argv) > 2 else 24
    seed = int(sys.argv[3]) if len(sys.argv) > 3 else 1
    compiling.ensure()
    with tempfile.TemporaryDirectory() as folder:
        made = list(cases(count, seed, Path(folder)))
        measured(made[0])  # the scene of the swatch is set up once
        begun, cpu = time.perf_counter(), time.process_time()
        with ThreadPoolExecutor(2) as pool:
            found = list(pool.map(measured, made))
        seconds, worked = time.perf_counter() - begun, time.process_time() - cpu
        unsure = sum(1 for one in found if not one.settled)
        print(
            f"drifts of {count} materials: {seconds:.0f} s, {worked / count:.2f} s of processor time each; {unsure} not settled"
            f" (wanted: 1,000 within 300 s on two cores)"
        )
        if slow:
            told = [one for one in zip(made, found, strict=True) if one[1].mean > 0.0]
            compare(told[:: max(1, len(told) // slow)][:slow])


if __name__ == "__main__":
    main()
