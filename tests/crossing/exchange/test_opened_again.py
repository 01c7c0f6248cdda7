"""What is written, opened again, looks as it was planned: of every pair, in another folder, beside the source or alone."""

from __future__ import annotations

import hashlib
import itertools
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from durvan.crossing.exchange.compose import compose
from durvan.crossing.job.session import start
from durvan.crossing.translation import bakery
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.result import in_target
from durvan.dialects.look import Record
from durvan.dialects.registry import Registry
from durvan.engine import drift, staging, swatches
from durvan.formats import pictures
from durvan.formats.usd import port as usd
from durvan.graph.expression import Lookup
from durvan.graph.program import compile_lanes
from durvan.scene.fate import Fate
from durvan.scene.model import Scene
from made_up import Maker
from making import beside

pytestmark = pytest.mark.usefixtures("kernels")
PAIRS = list(itertools.permutations(("orvik", "pellune", "openpbr", "preview"), 2))
COUNT = 24
NEAR = 0.2  # of a guess, between looks that are reached by other nodes; a made-up map is shifted by millions and back there


def _pictures(folder: Path) -> dict[str, list[str]]:
    """Three pictures beside the scene, by paths as the scene writes them."""
    rng = np.random.default_rng(5)
    (folder / "maps").mkdir(parents=True)
    for name in ("red", "grey", "rough"):
        pictures.save(folder / "maps" / f"{name}.png", rng.uniform(0.1, 0.9, (16, 16, 3)).astype(np.float32))
    return {"colour": ["./maps/red.png"], "data": ["./maps/grey.png", "./maps/rough.png"]}


@pytest.fixture(scope="module")
def sources(packs: Registry, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """A scene of made-up materials in each dialect, as files, with pictures beside them."""
    folder = tmp_path_factory.mktemp("sources")
    files = _pictures(folder / "scene")
    empty = "\n".join(f'def Material "M{number}" {{}}' for number in range(COUNT))
    (folder / "scene" / "empty.usda").write_text(
        f'#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\ndef Scope "Made"\n{{\n{empty}\n}}\n',
        encoding="utf-8",
    )
    made = {}
    for pack in packs.packs.values():
        things = [Maker(pack, 40_000 + n, networks=0.25, pictures=files).material(n) for n in range(COUNT)]
        scene = Scene(
            str(folder / "scene" / "empty.usda"), pack.name, things={t.id: t for t in things}, metres_per_unit=0.01
        )
        planned = plan(scene, packs, Choices(target=pack.name))
        for name, done in planned.translations.items():  # as if it came from elsewhere, so that all of it is written
            planned.translations[name] = replace(done, source_dialect="")
        made[pack.name] = folder / "scene" / f"{pack.name}.usda"
        composed = compose(planned, packs, beside(made[pack.name]))
        composed.over = "./empty.usda"
        usd.write(composed, made[pack.name])
    return made


def apart(one: Record, two: Record) -> float:
    """How far two looks are from each other: 0 where they are the same programs of nearly the same numbers."""
    (said, near), (said_too, near_too) = numbers(one), numbers(two)
    if said == said_too and np.allclose(near, near_too, rtol=1e-5, atol=1e-7 * max(1.0, np.abs(near).max())):
        return 0.0
    return drift.guess(swatches.Maker(one), swatches.Maker(two)).mean


def numbers(look: Record) -> tuple[list[object], NDArray[np.float64]]:
    """A look as its programs and what is in the pictures they read, which have to be equal, and its numbers, which have to be near."""
    files: list[str] = []

    def number(lookup: Lookup) -> int:
        found = staging.pixels(lookup)  # not the file: an EXR also says when it was made
        inside = found.tobytes() if found is not None else lookup.file.encode()
        files.append(str(replace(lookup, file=hashlib.sha256(inside).hexdigest())))
        return len(files)

    places = sorted(look.lanes)
    moved = [look.moved] if look.moved is not None else []
    program = compile_lanes([*(look.lanes[place] for place in places), *moved], number)
    said = [places, program.code.tolist(), program.results, files, look.glow_lights]
    return said, np.concatenate((look.base, program.start))


@pytest.fixture(autouse=True)
def _small_pictures(monkeypatch: pytest.MonkeyPatch) -> None:
    """Baked pictures are small here: that they lie in their places is the matter, not how fine they are."""
    for name in ("MOST", "USUAL"):
        monkeypatch.setattr(bakery, name, 64)


@pytest.mark.parametrize("placement", ["beside", "alone"])
@pytest.mark.parametrize(("source", "target"), PAIRS)
def test_opened_again_it_looks_as_planned(
    packs: Registry, sources: dict[str, Path], tmp_path: Path, source: str, target: str, placement: str
) -> None:
    session = start(sources[source], packs, target, source, placement=placement)
    out = tmp_path / "far" / "away" / "target.usda"
    out.parent.mkdir(parents=True)
    session.carry(out)
    again = start(out, packs, source, target)
    before, after = staging.facts_of(session.scene, packs), staging.facts_of(again.scene, packs)
    pack = packs.get(target)
    read = 0
    for name, done in session.plan.translations.items():
        if (
            "surface" not in done.graph.outputs
        ):  # the target has no such surface, and says so; nothing of it stands there
            assert any(row.parameter == "surface" and row.fate is Fate.HELD for row in done.rows), name
            continue
        meant = staging.look_of(in_target(session.scene.things[name], done), pack, before)
        found = staging.look_of(again.scene.things[name], pack, after)
        assert found.notes == meant.notes and apart(meant, found) <= NEAR, name
        read += sum(1 for lookup in staging.lookups(found) if staging.pixels(lookup) is not None)
    assert len(session.plan.translations) == COUNT and read > 0
