"""Lights keep their colour and their light from dialect to dialect, by what each dialect's looks say of them."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import small
from durvan.crossing.translation.result import in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import Facts, Lamp, View
from durvan.dialects.registry import Registry
from durvan.engine.lamps import Placed
from durvan.engine.staging import lamps_of
from durvan.scene.fate import Fate
from durvan.scene.model import Thing
from making import single

KINDS = {"orvik": "orvik.bulb", "pellune": "pellune.orb", "openpbr": "usd.SphereLight", "preview": "usd.SphereLight"}
PAIRS = list(itertools.permutations(KINDS, 2))


def lamps(packs: Registry, thing: Thing, target: str, metres: float = 0.01) -> tuple[Lamp, Lamp]:
    done = translate(thing, packs.get(thing.dialect), packs.get(target), metres)
    carried = in_target(thing, done)
    (one,) = lamps_of(thing, packs.get(thing.dialect), Facts(metres))
    (two,) = lamps_of(carried, packs.get(target), Facts(metres))
    assert one is not None and two is not None
    return one, two


def warm(dialect: str, kelvin: float, tint=(1.0, 1.0, 1.0)) -> Thing:
    values = {
        "orvik": {"use_kelvin": True, "kelvin": kelvin, "measure": "nit", "gain": 700.0},
        "pellune": {"kelvin": kelvin, "tint": tint, "unit": "nit", "power": 700.0},
    }.get(dialect, {"enableColorTemperature": True, "colorTemperature": kelvin, "color": tint, "intensity": 700.0})
    return single(dialect, KINDS[dialect], values)


@pytest.mark.parametrize(("source", "target"), PAIRS)
@given(kelvin=st.floats(1000.0, 25000.0), tint=st.tuples(*[st.floats(0.05, 1.0)] * 3))
def test_temperatures_are_carried_exactly(packs: Registry, source: str, target: str, kelvin: float, tint) -> None:
    one, two = lamps(packs, warm(source, kelvin, tint), target)
    assert two.radiance == pytest.approx(one.radiance, rel=1e-3, abs=1e-3 * max(one.radiance))


@pytest.mark.parametrize("source", ["orvik", "pellune"])
def test_a_temperature_comes_back_as_one(packs: Registry, source: str) -> None:
    for target in KINDS:
        if target == source or (source, target) == ("pellune", "orvik"):  # Orvik has tints or temperatures, not both
            continue
        thing = warm(source, 3200.0)
        there = translate(thing, packs.get(source), packs.get(target), 0.01)
        back = translate(in_target(thing, there), packs.get(target), packs.get(source), 0.01)
        values = next(iter(back.graph.nodes.values())).values
        assert values.get("kelvin") == pytest.approx(3200.0), (source, target)


def lux(packs: Registry, thing: Thing, target: str, matrix: np.ndarray) -> tuple[float, float]:
    """What a light puts on a floor a metre below it, by the source's looks and by the target's."""
    floor = [small.floor(half=0.05, y=0.0)]
    view, eye = View(0.5, 50.0), small.towards(0.3, 1.0, 0.0, 3.0)
    found = []
    for lamp in lamps(packs, thing, target):
        built = small.world(floor, [small.matt(0.5)], [Placed("l", lamp, matrix)])
        found.append(float(small.render(built, 512, (4, 4), view, eye).picture.mean()) * math.pi / 0.5)
    return found[0], found[1]


DOWN = np.array([[1.0, 0.0, 0.0, 0.0], [0.0, 0.0, -1.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 1.0, 0.0, 1.0]])


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_a_lumen_is_a_lumen_on_a_scaled_prim(packs: Registry, target: str) -> None:
    """A panel of a metre, scaled to two, gives the same light from more of a surface; a point far enough away sees that."""
    values = {"measure": "lumen", "gain": 1000.0, "width": 1.0, "height": 1.0}
    panel = single("orvik", "orvik.area", values)
    twice = np.diag([2.0, 2.0, 2.0, 1.0]) @ DOWN  # its place is the matrix's last row, which stays
    expected = 1000.0 / math.pi  # candela ahead of a flat emitter, a metre away
    for matrix in (DOWN, twice):
        one, two = lux(packs, panel, target, matrix)
        assert one == pytest.approx(expected, rel=0.03) and two == pytest.approx(one, rel=0.02)


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_a_bulb_without_a_size_gives_all_its_lumen(packs: Registry, target: str) -> None:
    bulb = single("orvik", "orvik.bulb", {"measure": "lumen", "gain": 1000.0, "radius": 0.0})
    one, two = lux(packs, bulb, target, DOWN)
    assert one == pytest.approx(1000.0 / (4.0 * math.pi), rel=0.03) and two == pytest.approx(one, rel=0.02)


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("penumbra", [20.0, 59.0, 90.0])
def test_wide_cones_give_no_more_than_before_and_say_what_is_cut(packs: Registry, penumbra: float) -> None:
    values = {"measure": "nit", "gain": 1e6, "radius": 2.0, "cone_angle": 60.0, "penumbra": penumbra}
    cone = single("orvik", "orvik.cone", values)
    done = translate(cone, packs.get("orvik"), packs.get("openpbr"), 0.01)
    row = next(row for row in done.rows if row.parameter == "penumbra")
    one, two = lux(packs, cone, "openpbr", DOWN)
    assert one > 100.0 and two == pytest.approx(one, rel=0.02)  # straight below it shines as before
    assert (row.fate is Fate.FITTED) is (penumbra >= 60.0)
