"""Whether rows tell the truth: materials made up in every dialect, carried to every other, and measured.

Two tables: materials whose rows are all exact, which have to look the same; and materials that the plan alone flags,
against those that drift. `python bench/truth.py [how many for each pair] [seed]`; with a file as third argument every
material is written there as a line of JSON.
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))
os.environ["DURVAN_SWATCHES"] = tempfile.mkdtemp()

from durvan.crossing.findings import Level, View
from durvan.crossing.findings.rules import look_over
from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.outside.uses import uses_of
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import Plan, plan
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry, registry
from durvan.dialects.said import Cause
from durvan.engine import compiling
from durvan.scene.drift import Drift
from durvan.scene.fate import Fate
from durvan.scene.model import Scene, Thing
from made_up import Maker, maps

SEEN, SURE, SAME = (
    3.0,
    1.0,
    0.3,
)  # a drift that has to be flagged; one that makes a flag right; one of exact rows at most


@dataclass(frozen=True)
class Case:
    """One material carried to one dialect: what flags it, and its drift."""

    source: str
    target: str
    thing: Thing
    flags: tuple[str, ...]
    drift: Drift


def flags_of(planned: Plan, packs: Registry, seen: Appearance) -> dict[str, tuple[str, ...]]:
    """What a plan says will look different before anything is measured, by thing."""
    found: dict[str, dict[str, None]] = {}
    view = View(planned, packs, uses_of(planned.scene, packs))
    guesses = {view.key(thing): seen.guess(thing, view.translation(thing)) for thing in view.carried}
    for finding in look_over(replace(view, drifts=guesses)):
        if finding.level <= Level.LOOK and finding.thing:
            found.setdefault(finding.thing, {})[f"{finding.code} {finding.topic}".strip()] = None
    return {thing: tuple(names) for thing, names in found.items()}


def cases(count: int, seed: int, folder: Path) -> Iterator[Case]:
    """Every ordered pair of packs, `count` materials each."""
    packs = registry()
    files = maps(folder)
    for source in packs.packs.values():
        for target in packs.packs.values():
            if source is target:
                continue
            things = {}
            for number in range(count):
                maker = Maker(source, seed * 1000 + number, networks=0.12, pictures=files)
                thing = maker.material(number)
                things[thing.id] = thing
            scene = Scene("made.usda", source.name, things=things, metres_per_unit=0.01)
            planned = plan(scene, packs, Choices(target=target.name))
            seen = Appearance(scene, packs, Path(os.environ["DURVAN_SWATCHES"]))
            flags = flags_of(planned, packs, seen)
            for thing in things.values():
                done = planned.translations[thing.id]
                found = seen.drift(thing, done)
                assert found is not None
                yield Case(source.name, target.name, thing, flags.get(thing.id, ()), found)


def told(case: Case) -> str:
    """A material as a line of JSON."""
    nodes = {
        node.id: {
            "kind": node.kind, "values": node.values, "links": {p: [k.node, k.output] for p, k in node.links.items()}
        }
        for node in case.thing.graph.nodes.values()
    }  # fmt: skip
    row = {
        "source": case.source, "target": case.target, "flags": case.flags,
        "drift": case.drift.mean, "noise": case.drift.noise, "caveats": case.drift.caveats, "nodes": nodes,
    }  # fmt: skip
    return json.dumps(row)


def exact_table(count: int, seed: int) -> None:
    """Materials of which two values at most were set, and whose rows are all exact, by pair."""
    packs = registry()
    print(f"\nrows that are all exact (wanted: no drift over {SAME:g})")
    print(f"{'from':10} {'to':10} {'materials':>10} {'exact':>6} {'drifting':>9} {'largest':>8}")
    for source in packs.packs.values():
        for target in packs.packs.values():
            if source is target:
                continue
            drifts = [one for one in _of_exact(source, target, count, seed) if not one.caveats]
            over = sum(1 for one in drifts if one.mean - one.noise > SAME)
            largest = max((one.mean for one in drifts), default=0.0)
            print(f"{source.name:10} {target.name:10} {count:10} {len(drifts):6} {over:9} {largest:8.2f}", flush=True)


def _of_exact(source: Pack, target: Pack, count: int, seed: int) -> Iterator[Drift]:
    """The drifts of what is exact among some materials."""
    for number in range(count):
        maker = Maker(source, seed * 100_000 + number)
        thing = maker.material(number)
        values = thing.graph.nodes["surface"].values
        for name in maker.rng.sample(list(values), max(0, len(values) - 2)):
            del values[name]
        scene = Scene("made.usda", source.name, things={thing.id: thing}, metres_per_unit=0.01)
        done = plan(scene, registry(), Choices(target=target.name)).translations[thing.id]
        if all(row.fate <= Fate.ADDED or row.why.cause is Cause.IDLE for row in done.rows):
            found = Appearance(scene, registry(), Path(os.environ["DURVAN_SWATCHES"])).drift(thing, done)
            assert found is not None
            yield found


def flag_table(found: list[Case]) -> None:
    """Recall and precision of what the plan flags, by pair and by kind of flag."""
    measured = [one for one in found if not one.drift.caveats]

    def line(name: str, some: list[Case]) -> None:
        must = [one for one in some if one.drift.mean > SEEN]
        flagged = [one for one in some if one.flags]
        right = [one for one in flagged if one.drift.mean > SURE]
        recall = sum(1 for one in must if one.flags) / len(must) if must else 1.0
        precision = len(right) / len(flagged) if flagged else 1.0
        print(f"{name:34} {len(some):9} {len(must):7} {len(flagged):8} {recall:7.2f} {precision:10.2f}")

    print(f"\nwhat the plan flags (wanted: 95 % of those over {SEEN:g}, and 80 % of the flagged over {SURE:g})")
    print(f"{'pair':34} {'materials':>9} {'over 3':>7} {'flagged':>8} {'recall':>7} {'precision':>10}")
    for source, target in sorted({(one.source, one.target) for one in measured}):
        line(f"{source} to {target}", [one for one in measured if (one.source, one.target) == (source, target)])
    line("all", measured)
    print(f"\n{'kind of flag':60} {'flagged':>8} {'over 1':>7}")
    kinds = sorted({flag for one in measured for flag in one.flags})
    for kind in kinds:
        some = [one for one in measured if kind in one.flags]
        print(f"{kind[:60]:60} {len(some):8} {sum(1 for one in some if one.drift.mean > SURE):7}")


def main() -> None:
    """Measure and print."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 34
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    compiling.ensure()
    begun, cpu = time.perf_counter(), time.process_time()
    with tempfile.TemporaryDirectory() as folder:
        found = list(cases(count, seed, Path(folder)))
    if len(sys.argv) > 3:
        Path(sys.argv[3]).write_text("".join(told(case) + "\n" for case in found), encoding="utf-8")
    seconds, worked = time.perf_counter() - begun, time.process_time() - cpu
    print(f"{len(found)} materials measured in {seconds:.0f} s, {worked / len(found):.2f} s of processor time each")
    exact_table(10 * count, seed)
    flag_table(found)


if __name__ == "__main__":
    main()
