"""Rows of light shapes: areas and boxes by integration, what they give far away, and who goes by them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.dialects.look import Lamp
from durvan.dialects.registry import Registry
from durvan.engine.lamps import Placed
from durvan.engine.mitsuba import NotExpressibleError, lamp
from durvan.optics.light_shapes import BY_KIND, BY_PRIM, SHAPES, LightShape

BODIES = [row for row in SHAPES.values() if row.has_body]
METRES = st.floats(0.01, 50.0)


def surface(row: LightShape, size: tuple[float, float], count: int) -> np.ndarray:
    """Corners of small patches that make the shape up, [count, count, 3], in its own axes; closed forms, not the row's."""
    a, b = size
    u, v = np.meshgrid(np.linspace(0.0, 1.0, count), np.linspace(0.0, 1.0, count), indexing="ij")
    turn = 2.0 * math.pi * u
    if row.name == "rect":
        return np.stack([(u - 0.5) * a, (v - 0.5) * b, 0.0 * u], axis=-1)
    if row.name == "disk":
        return np.stack([a * v * np.cos(turn), a * v * np.sin(turn), 0.0 * u], axis=-1)
    if row.name == "sphere":
        down = math.pi * v
        return np.stack([a * np.sin(down) * np.cos(turn), a * np.cos(down), a * np.sin(down) * np.sin(turn)], axis=-1)
    if row.name == "cylinder":
        return np.stack([(v - 0.5) * b, a * np.cos(turn), a * np.sin(turn)], axis=-1)
    raise AssertionError(f"{row.name}: a new shape is to be given its surface here")


def area(points: np.ndarray) -> float:
    one, two = points[1:, :-1] - points[:-1, :-1], points[:-1, 1:] - points[:-1, :-1]
    three, four = points[1:, :-1] - points[1:, 1:], points[:-1, 1:] - points[1:, 1:]
    halves = [np.linalg.norm(np.cross(x, y), axis=-1).sum() for x, y in ((one, two), (three, four))]
    return float(0.5 * sum(halves))


@pytest.mark.parametrize("row", BODIES, ids=lambda row: row.name)
def test_area_and_box_are_those_of_the_surface(row: LightShape) -> None:
    for size in ((1.0, 2.0), (0.03, 0.5), (2.5, 0.4)):
        points = surface(row, size, 241)
        assert row.area(size) == pytest.approx(area(points), rel=2e-3)
        half = np.abs(points).max(axis=(0, 1))
        assert row.half(size) == pytest.approx(tuple(half), abs=2e-3 * max(size))


@pytest.mark.parametrize("row", BODIES, ids=lambda row: row.name)
@given(METRES, METRES, st.floats(0.1, 10.0))
def test_sizes_grow_with_the_stage(row: LightShape, a: float, b: float, scale: float) -> None:
    once, grown = row.staged((a, b), (1.0, 1.0, 1.0)), row.staged((a, b), (scale, scale, scale))
    assert once == pytest.approx((a, b)) and grown == pytest.approx((a * scale, b * scale))
    assert row.area(grown) == pytest.approx(row.area(once) * scale * scale)
    assert row.lux(100.0, grown, 25.0) == pytest.approx(100.0 * row.area(grown) / 50.0)


def test_a_point_has_no_body_and_gives_candela() -> None:
    point = SHAPES["point"]
    assert not point.has_body and point.area((1.0, 1.0)) == 0.0 and point.lux(50.0, (0.0, 0.0), 4.0) == 12.5


def test_every_table_of_shapes_is_this_one(packs: Registry) -> None:
    """Kinds and prims are each one row's; every UsdLux shape that a dialect's lights stand on has one."""
    assert len(BY_KIND) == len(SHAPES) and all(row.prim in BY_PRIM for row in BODIES if row.prim)
    prims = {
        prim
        for pack in packs.packs.values()
        for kind in pack.vocabulary.types.values()
        if kind.role == "light"
        for prim in kind.prims
        if "." not in prim  # a word of a format of its own is no prim
    }
    assert prims - {"DomeLight", "DomeLight_1", "DistantLight", "PortalLight", "Scope", "Mesh"} <= set(BY_PRIM)


@pytest.mark.parametrize("row", SHAPES.values(), ids=lambda row: row.name)
def test_the_outside_judge_takes_what_its_row_says(row: LightShape) -> None:
    one = Placed("x", Lamp(row.name, (1.0, 1.0, 1.0), (0.5, 1.5)), np.eye(4))
    if row.name == "cylinder":  # said by its ends
        made = lamp(one)
        assert made["type"] == "cylinder" and made["radius"] == 0.5
        assert (made["p0"], made["p1"]) == ([-0.75, 0.0, 0.0], [0.75, 0.0, 0.0])
        return
    if not row.mitsuba and row.has_body:
        with pytest.raises(NotExpressibleError):
            lamp(one)
        return
    made = lamp(one)
    assert made["type"] == (row.mitsuba or "point")
    if row.has_body:
        scale = np.linalg.norm(np.array(made["to_world"])[:3, :3], axis=0)
        half = row.half((0.5, 1.5))
        assert tuple(scale) == pytest.approx(tuple(side or 1.0 for side in half))
