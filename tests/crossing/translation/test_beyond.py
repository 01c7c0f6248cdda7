"""Values beyond the range of what they become are spread over what can take them, or told; of every parameter of every pack."""

from __future__ import annotations

import math
from pathlib import Path

import pytest

from durvan.crossing.job.session import start
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing
from making import single

PACKS = ("orvik", "pellune", "skarn", "openpbr", "standard", "gltf", "preview", "mitsuba")
CAMERA = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Camera "Eye"
{
    float exposure = %s
    float exposure:iso = %s
}
"""


def scale(session, things) -> float:
    eye = next(session.scene.of(Kind.CAMERA))
    return staging.exposure_of(session.scene, things, session.registry, eye.id, (64, 36)).view.scale


@pytest.mark.parametrize("target", PACKS)
@pytest.mark.parametrize(("stops", "iso"), [(-14.0, 100.0), (14.0, 100.0), (-20.0, 3.0), (24.0, 1e6), (0.0, 100.0)])
def test_exposure_comes_through_or_is_told_with_its_stops(
    tmp_path: Path, packs: Registry, target: str, stops: float, iso: float
) -> None:
    """USD's exposure of −14 stops into a camera whose film is no slower than ISO 1, and others."""
    (tmp_path / "c.usda").write_text(CAMERA % (stops, iso))
    session = start(tmp_path / "c.usda", packs, target)
    off = abs(math.log2(scale(session, session.plan.target_things) / scale(session, session.scene.own)))
    told = [one for one in session.findings if one.code == "beyond-range"]
    ledger = {row.fate for row in session.plan.ledger if row.parameter in ("exposure", "exposure_iso", "iso")}
    lost = ledger & {Fate.LOST, Fate.HELD} or any("expos" in one.code for one in session.findings)
    assert off < 0.05 or told or lost, (off, [one.code for one in session.findings])
    if target == "orvik" and abs(stops) < 20:
        assert off < 1e-6


NUMBERS = (1e-12, 0.0, 179.9, 1e15)


def made_up(dialect: str, kind: str, packs: Registry, number: float) -> Thing:
    """A light or a camera of which every number is the same one: at an end of what a target takes, or far past it."""
    said = packs.packs[dialect].vocabulary.types[kind]
    values = {name: number for name, one in said.parameters.items() if one.type == "float"}
    thing = single(dialect, kind, values, Kind.CAMERA if said.role == "camera" else Kind.LIGHT)
    thing.context["frame_aspect"] = 16 / 9
    return thing


def unsaid(packs: Registry, target: str, dialect: str) -> set[tuple[str, str, str]]:
    """Values outside the range of their parameter of which no row says so."""
    pack, source = packs.packs[target], packs.packs[dialect]
    kinds = [
        kind
        for kind, one in source.vocabulary.types.items()
        if one.role in ("light", "camera") and kind in source.compiled
    ]
    found = set()
    for kind in kinds:
        for number in NUMBERS:
            done = translate(made_up(dialect, kind, packs, number), source, pack, 0.01)
            for node in done.graph.nodes.values():
                for name, value in node.values.items():
                    parameter = pack.parameter(node.kind, name)
                    if parameter is None or isinstance(value, str) or not parameter.outside(value):
                        continue
                    rows = [row for row in done.rows if (node.id, name) in row.targets]
                    if not any(row.fate >= Fate.LOST or " holds " in row.why.said for row in rows):
                        found.add((kind, f"{node.kind}.{name}", f"{number:g}"))
    return found


@pytest.mark.parametrize("target", PACKS)
def test_nothing_of_a_target_lies_outside_its_range_unsaid(packs: Registry, target: str) -> None:
    found = {
        one
        for dialect in ("openpbr", "orvik", "pellune", "skarn")
        if dialect != target
        for one in unsaid(packs, target, dialect)
    }
    assert found == set()
