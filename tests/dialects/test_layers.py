"""Surfaces laid over each other and added, against what shares of places come to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.dialects import layers
from durvan.dialects.look import Lobe, Surface, record
from durvan.graph.expression import field
from durvan.optics.lobes import layout as L
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables

COSINES = np.cos(np.radians([10.0, 45.0, 75.0]))
unit = st.floats(0.0, 1.0)
tint = st.tuples(unit, unit, unit)


@pytest.fixture(scope="module", autouse=True)
def _compiled(kernels: None) -> None:
    """Looks are asked by compiled code."""


def plastic(colour: tuple[float, ...], alpha: float, **surface) -> Surface:
    top = Lobe(L.REFLECT, 0.8, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED)
    return Surface([top, Lobe(L.DIFFUSE, colour, under=top)], **surface)


def given_back(surface: Surface) -> np.ndarray:
    out = np.zeros((len(COSINES), 6))
    many.albedos(record(surface).base, COSINES, tables(), out)
    return out


@given(tint, tint, st.floats(0.05, 0.9), st.floats(0.05, 0.9), unit)
@settings(max_examples=60, deadline=None)
def test_what_lies_over_gives_by_its_share(one, two, rough, smooth, share) -> None:
    below, top = plastic(one, rough), plastic(two, smooth)
    meant = (1.0 - share) * given_back(below) + share * given_back(top)
    assert given_back(layers.over(below, top, field(share))) == pytest.approx(meant, abs=1e-7)


def test_each_side_of_layers_is_theirs_of_that_side() -> None:
    """A sheet with another back over one that is the same on both sides; a side has no further side."""
    low, high = Surface([Lobe(L.DIFFUSE, 0.2)]), Surface([Lobe(L.DIFFUSE, 0.8)], back=Surface([Lobe(L.DIFFUSE, 0.4)]))
    made = layers.over(low, high, field(0.25))
    assert given_back(made)[:, :3] == pytest.approx(0.35, abs=1e-6)
    assert made.back is not None
    assert given_back(made.back)[:, :3] == pytest.approx(0.25, abs=1e-6)
    twice = record(Surface([Lobe(L.DIFFUSE, 0.5)], back=high))
    assert twice.back is not None and twice.back.back is None


@given(tint, tint, unit)
@settings(max_examples=40, deadline=None)
def test_what_is_added_comes_on_top(one, two, share) -> None:
    below, top = plastic(one, 0.3), Surface([Lobe(L.DIFFUSE, two)])
    meant = given_back(below) + share * given_back(top)
    assert given_back(layers.added(below, top, field(share))) == pytest.approx(meant, abs=1e-7)


@given(unit, st.floats(0.1, 1.0), st.floats(0.1, 1.0))
@settings(max_examples=40, deadline=None)
def test_holes_and_glows_go_by_shares_too(share, solid, other) -> None:
    below = plastic((0.5, 0.5, 0.5), 0.3, opacity=solid, glow=10.0)
    top = plastic((0.1, 0.2, 0.3), 0.3, opacity=other, glow=40.0)
    both = record(layers.over(below, top, field(share))).base
    opacity = (1.0 - share) * solid + share * other
    assert both[L.OPACITY] == pytest.approx(opacity)
    # what is seen of the glow: that of the places which are there
    seen = opacity * both[L.GLOW]
    assert seen == pytest.approx((1.0 - share) * solid * 10.0 + share * other * 40.0)


def test_all_or_nothing_is_one_of_both() -> None:
    below, top = plastic((0.5, 0.5, 0.5), 0.3), plastic((0.1, 0.2, 0.3), 0.1)
    assert layers.over(below, top, field(0.0)) is below
    assert layers.over(below, top, field(1.0)) is top
    assert layers.added(below, top, field(0.0)) is below


def test_a_bump_and_a_normal_map_are_not_mixed_but_told() -> None:
    below = plastic((0.5,) * 3, 0.3, relief=("height", field(0.01)))
    top = plastic((0.5,) * 3, 0.3, relief=("normal", field((0.1, 0.0, 1.0))))
    made = layers.over(below, top, field(0.5))
    assert made.relief == below.relief
    assert any("not shown together" in note for note in made.notes)


def test_more_lobes_than_there_is_room_for_lose_the_weakest() -> None:
    made = Surface([Lobe(L.DIFFUSE, (n + 1) / 100.0) for n in range(L.MOST + 6)])
    found = record(made)
    weights = [found.base[L.HEADER + n * L.LOBE + L.WEIGHT] for n in range(L.MOST)]
    assert found.base[L.COUNT] == L.MOST
    assert min(weights) == pytest.approx(0.07)
    assert any("weakest" in note for note in found.notes)


def coat(share: float, alpha: float) -> Surface:
    return Surface([Lobe(L.REFLECT, share, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED, amount=share)])


@given(tint, st.floats(0.05, 0.9))
@settings(max_examples=40, deadline=None)
def test_a_lobe_on_a_matt_one_is_what_both_are_when_written_as_one(colour, alpha) -> None:
    mirror = Surface([Lobe(L.REFLECT, 0.8, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED)])
    built = layers.stacked(Surface([Lobe(L.DIFFUSE, colour)]), mirror)
    assert given_back(built) == pytest.approx(given_back(plastic(colour, alpha)), abs=1e-9)


@given(tint, unit, st.floats(0.05, 0.9))
@settings(max_examples=40, deadline=None)
def test_what_lies_on_two_side_by_side_lies_on_each(colour, share, alpha) -> None:
    one, two = Surface([Lobe(L.DIFFUSE, colour)]), plastic((0.1, 0.5, 0.9), 0.4)
    whole = layers.stacked(layers.over(one, two, field(share)), coat(0.6, alpha))
    parts = layers.over(layers.stacked(one, coat(0.6, alpha)), layers.stacked(two, coat(0.6, alpha)), field(share))
    assert given_back(whole) == pytest.approx(given_back(parts), abs=1e-7)


@given(tint, unit, st.floats(0.05, 0.9))
@settings(max_examples=40, deadline=None)
def test_two_side_by_side_on_one_cover_it_by_their_shares(colour, share, alpha) -> None:
    below, sharp, soft = Surface([Lobe(L.DIFFUSE, colour)]), coat(1.0, 0.02), coat(0.5, alpha)
    whole = layers.stacked(below, layers.over(sharp, soft, field(share)))
    parts = layers.over(layers.stacked(below, sharp), layers.stacked(below, soft), field(share))
    assert given_back(whole) == pytest.approx(given_back(parts), abs=1e-7)


def test_what_light_does_not_pass_hides_all_that_it_lies_on() -> None:
    metal = Surface([Lobe(L.REFLECT, 1.0, 0.2, fresnel=L.SCHLICK, first=0.7)])
    holed = Surface([Lobe(L.DIFFUSE, 0.9)], opacity=0.2, glow=50.0)
    built = layers.stacked(holed, metal)
    assert given_back(built) == pytest.approx(given_back(metal))
    assert record(built).base[L.OPACITY] == 1.0 and record(built).base[L.GLOW] == 0.0


def test_through_holes_of_what_lies_on_top_the_rest_is_seen_as_it_is() -> None:
    below, top = plastic((0.5, 0.2, 0.1), 0.3), coat(1.0, 0.05)
    top.opacity = 0.25
    meant = 0.25 * given_back(layers.stacked(below, coat(1.0, 0.05))) + 0.75 * given_back(below)
    assert given_back(layers.stacked(below, top)) == pytest.approx(meant, abs=1e-7)
