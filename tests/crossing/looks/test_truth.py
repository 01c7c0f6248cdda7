"""Rows tell the truth: what is all exact looks the same, what is not says so, and a first guess knows which drifts."""

from __future__ import annotations

import itertools

import pytest

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import Registry
from durvan.dialects.said import Cause
from durvan.scene.fate import Fate
from durvan.scene.model import Scene, Thing
from made_up import Maker
from making import material

pytestmark = pytest.mark.usefixtures("kernels")
PAIRS = list(itertools.permutations(("orvik", "pellune", "openpbr", "preview"), 2))


def carried(packs: Registry, thing: Thing, target: str):
    scene = Scene("made.usda", thing.dialect, things={thing.id: thing}, metres_per_unit=0.01)
    return Appearance(scene, packs), plan(scene, packs, Choices(target=target)).translations[thing.id]


def is_exact(translation) -> bool:
    return all(row.fate <= Fate.ADDED or row.why.cause is Cause.IDLE for row in translation.rows)


@pytest.mark.slow
def test_what_is_all_exact_looks_the_same(packs: Registry) -> None:
    exact = 0
    for source, target in PAIRS:
        for seed in range(160):
            maker = Maker(packs.get(source), 7000 + seed)
            thing = maker.material()
            values = thing.graph.nodes["surface"].values
            for name in maker.rng.sample(list(values), max(0, len(values) - 2)):
                del values[name]
            seen, done = carried(packs, thing, target)
            if not is_exact(done):
                continue
            exact += 1
            if seen.guess(thing, done).mean > 0.2:
                found = seen.drift(thing, done)
                assert found.mean - found.noise <= 0.3, (source, target, values, found)
    assert exact >= 15  # what is exact is there to be looked at


@pytest.mark.parametrize("dialect", ["pellune", "openpbr"])
@pytest.mark.parametrize("share", [1.0, 0.6])
def test_tinted_glass_keeps_its_base_covered(packs: Registry, dialect: str, share: float) -> None:
    """Orvik's base is what the colour of the passage leaves over; a dark tint must not uncover it."""
    if dialect == "pellune":
        values = {"clear": share, "clear_color": (0.2, 0.5, 0.3), "color": (0.8, 0.2, 0.2)}
        thing = material("pellune", {"surface": ("pellune.surface", values, {})})
    else:
        values = {"transmission_weight": share, "transmission_color": (0.2, 0.5, 0.3), "base_color": (0.8, 0.2, 0.2)}
        thing = material("openpbr", {"surface": ("mtlx.open_pbr_surface", values, {})})
    seen, done = carried(packs, thing, "orvik")
    found = seen.drift(thing, done)
    assert found.mean < (0.3 if share == 1.0 else 1.5)


def test_defaults_that_are_not_met_have_a_row(packs: Registry) -> None:
    thing = material("preview", {"surface": ("preview.surface", {}, {})})
    _, done = carried(packs, thing, "openpbr")
    rows = {row.parameter: row for row in done.rows if row.node == "surface"}
    assert rows["ior"].fate is Fate.FITTED and rows["ior"].measure is not None and rows["ior"].value == 1.5
    assert "by default" in rows["ior"].rule
    thing = material("openpbr", {"surface": ("mtlx.open_pbr_surface", {}, {})})
    _, done = carried(packs, thing, "pellune")
    assert any(row.parameter == "specular_ior" and row.fate is Fate.FITTED for row in done.rows)


def test_who_is_served_by_a_grown_node_is_told_when_it_cannot_be_said(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {"mirror_tint": (0.9, 0.9, 0.9), "polish_curve": "trowbridge"}, {"mirror_index": ("map", "grey")}),
        "map": ("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    }  # fmt: skip
    thing = material("orvik", nodes)
    _, done = carried(packs, thing, "pellune")
    row = next(row for row in done.rows if row.parameter == "mirror_index")
    assert row.fate >= Fate.FITTED and row.reason


def test_a_value_that_the_target_holds_back_is_not_exact(packs: Registry) -> None:
    thing = material("preview", {"surface": ("preview.surface", {"emissiveColor": (1e9, 0.5, 0.5)}, {})})
    _, done = carried(packs, thing, "orvik")
    row = next(row for row in done.rows if row.parameter == "emissiveColor")
    assert row.fate is Fate.FITTED and "holds" in row.reason


def test_a_guess_is_near_what_is_measured(packs: Registry) -> None:
    apart = []
    for number, (source, target) in enumerate(PAIRS):
        thing = Maker(packs.get(source), 300 + number).material()
        thing.graph.nodes["surface"].values = {
            name: value for name, value in thing.graph.nodes["surface"].values.items() if "catter" not in name and "deep" not in name
        }  # fmt: skip
        seen, done = carried(packs, thing, target)
        guess, found = seen.guess(thing, done), seen.drift(thing, done)
        assert guess.guessed and not found.guessed
        apart.append((guess.mean, found.mean))
    assert all(abs(guess - drift) <= max(0.9, 0.35 * drift) for guess, drift in apart), apart
    assert max(drift for _, drift in apart) > 2.0 > 0.5 > min(drift for _, drift in apart)
