"""Files that nobody chose: made up over all that a format has, they are carried everywhere and come back; spoilt, they are refused or told."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from durvan.crossing.exchange.intake import open_scene
from durvan.dialects.registry import Registry
from durvan.errors import DurvanError
from durvan.scene.fate import Fate
from wild.crossing import ENDINGS, FORMATS, carried, differences, is_told, made, without_row

TARGETS = ("openpbr", "standard", "gltfpbr", "previewmtlx", "preview", "orvik", "pellune", "skarn", "gltf", "mitsuba")


@pytest.mark.parametrize("kind", FORMATS)
@pytest.mark.parametrize("target", TARGETS)
def test_whatever_a_format_can_hold_is_carried_and_accounted_for(
    packs: Registry, tmp_path: Path, kind: str, target: str
) -> None:
    """Everything has a row; what is written says what was meant, and opens again."""
    for turn in range(2):
        seed = FORMATS.index(kind) * 1000 + TARGETS.index(target) * 10 + turn
        endings = ENDINGS.get(target, (".usda", ".usdc"))
        out = tmp_path / f"out{turn}{endings[turn % len(endings)]}"
        session, again = carried(made(kind, seed, tmp_path), packs, target, out)
        assert without_row(session) == []
        for name, done in session.plan.translations.items():
            told = any(row.fate in (Fate.LOST, Fate.HELD) for row in done.rows)
            assert told or name in again.things or not name.startswith("/Materials"), name
        (tmp_path / "made.usda").unlink(missing_ok=True)


@pytest.mark.parametrize("kind", ["mtlx", "gltf", "xml"])
def test_a_file_carried_to_its_own_dialect_is_the_same(packs: Registry, tmp_path: Path, kind: str) -> None:
    """Unknown nodes, values and extensions included."""
    compared = 0
    for seed in range(14):
        file = made(kind, 9000 + seed, tmp_path)
        scene = open_scene(file, packs)
        if scene.dialect:
            _, again = carried(file, packs, scene.dialect, tmp_path / f"same{file.suffix}")
            assert differences(scene, again) == [], seed
            compared += sum(len(thing.graph.nodes) for thing in scene.things.values())
    assert compared > 30


@pytest.mark.parametrize("kind", FORMATS)
def test_a_spoilt_file_is_refused_in_a_sentence_or_carried(packs: Registry, tmp_path: Path, kind: str) -> None:
    """Nothing else comes of it, and both do happen."""
    refused = whole = 0
    for seed in range(25):
        r = random.Random(seed)
        target = r.choice(TARGETS)
        file = made(kind, 5000 + seed, tmp_path, r.randint(1, 5))
        out = tmp_path / f"spoilt{r.choice(ENDINGS.get(target, ('.usda', '.usdc')))}"
        try:
            carried(file, packs, target, out)
            whole += 1
        except DurvanError as problem:
            assert is_told(problem), seed
            refused += 1
        finally:
            file.unlink()
            out.unlink(missing_ok=True)
    assert refused and whole
