"""Light profiles: what they measure by direction, and how much light that is. Closed forms, symmetries, shapes and scale."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.optics.profile import Globe, Profile, beam_angle, curve, mean_candela, turned, whole

ANGLES = np.linspace(0.0, 180.0, 181)


def of(candela, angles=ANGLES, planes=(0.0,), kind="C") -> Profile:
    table = np.atleast_2d(candela)
    return Profile(
        np.asarray(angles, float),
        np.asarray(planes, float),
        np.broadcast_to(table, (len(planes), table.shape[1])),
        kind,
    )


@pytest.mark.parametrize(
    ("candela", "lumens"),
    [
        (np.ones(181), 4.0 * math.pi),  # the same everywhere
        (np.maximum(np.cos(np.radians(ANGLES)), 0.0), math.pi),  # a matt disc
        (np.maximum(np.cos(np.radians(ANGLES)), 0.0) ** 3, math.pi / 2.0),  # 2π / (n + 1)
        (np.sin(np.radians(ANGLES)), math.pi**2),  # a thin tube, seen along its axis
    ],
)
def test_flux_is_that_of_closed_forms(candela, lumens) -> None:
    assert whole(of(candela)).lumens == pytest.approx(lumens, rel=2e-4)


def test_flux_of_straight_pieces_is_exact() -> None:
    """From 100 cd ahead straight down to 0 at 60°: ∫ 2π I sin γ dγ by hand."""
    top = math.radians(60.0)
    by_hand = 2.0 * math.pi * 100.0 * (1.0 - math.sin(top) / top)
    assert whole(of([100.0, 0.0], [0.0, 60.0])).lumens == pytest.approx(by_hand, rel=1e-6)


@pytest.mark.parametrize("end", [90.0, 180.0, 360.0])
def test_symmetric_planes_are_unfolded(end) -> None:
    """An even ellipse of light, said by a quarter, a half, and all of its planes."""
    planes = np.linspace(0.0, end, int(end / 15.0) + 1)
    table = np.array([[100.0 + 40.0 * math.cos(2.0 * math.radians(p))] * 91 for p in planes])
    globe = whole(Profile(np.linspace(0.0, 90.0, 91), planes, table))
    for plane in (0.0, 30.0, 90.0, 135.0, 180.0, 250.0, 359.0):
        assert globe.at(45.0, plane) == pytest.approx(100.0 + 40.0 * math.cos(2.0 * math.radians(plane)), abs=1.5)
    assert globe.lumens == pytest.approx(2.0 * math.pi * 100.0, rel=1e-3)


def test_planes_from_90_to_270_mirror_about_their_own() -> None:
    planes = np.array([90.0, 135.0, 180.0, 225.0, 270.0])
    globe = whole(Profile(np.array([0.0, 90.0]), planes, np.array([[10.0 * n, 10.0 * n] for n in range(1, 6)])))
    assert [round(float(globe.at(10.0, p))) for p in (90, 135, 180, 225, 270)] == [10, 20, 30, 40, 50]
    assert [round(float(globe.at(10.0, p))) for p in (45, 0, 315)] == [20, 30, 40]


def test_what_was_not_measured_is_dark() -> None:
    globe = whole(of([50.0, 50.0], [90.0, 180.0]))
    assert globe.at(89.0, 0.0) == 0.0 and globe.at(91.0, 0.0) == pytest.approx(50.0)
    assert globe.lumens == pytest.approx(2.0 * math.pi * 50.0, rel=1e-4)


@pytest.mark.parametrize("kind", ["A", "B"])
def test_floodlights_shine_ahead(kind) -> None:
    """A beam of 20 by 6 degrees of type A or B is wide to the sides, and both types agree near the axis."""
    up, right = np.linspace(-10.0, 10.0, 41), np.linspace(-20.0, 20.0, 81)
    table = np.exp(-((right[:, None] / 10.0) ** 2) - (up[None, :] / 3.0) ** 2) * 1000.0
    globe = whole(Profile(up, right, table, kind))
    ahead = globe(0.0, 0.0, -1.0)
    assert ahead == pytest.approx(1000.0, rel=1e-3)
    side, above = math.radians(10.0), math.radians(3.0)
    assert globe(math.sin(side), 0.0, -math.cos(side)) == pytest.approx(1000.0 / math.e, rel=0.02)
    assert globe(0.0, math.sin(above), -math.cos(above)) == pytest.approx(1000.0 / math.e, rel=0.05)
    assert globe(0.0, 0.0, 1.0) == 0.0
    solid = math.radians(1.0) ** 2 * table.sum() * 0.25  # steps of half a degree
    assert globe.lumens == pytest.approx(solid, rel=0.03)


def test_half_a_floodlight_stands_for_both_sides() -> None:
    up, right = np.array([0.0, 10.0]), np.array([0.0, 20.0])
    globe = whole(Profile(up, right, np.array([[100.0, 0.0], [0.0, 0.0]]), "B"))
    one = [float(globe(x, y, -1.0)) for x, y in ((0.1, 0.05), (-0.1, 0.05), (0.1, -0.05), (-0.1, -0.05))]
    assert one == pytest.approx([one[0]] * 4) and one[0] > 0.0


@given(st.lists(st.floats(0.0, 1e6), min_size=2, max_size=40), st.floats(0.01, 100.0))
def test_scaling_scales_the_flux(values: list[float], factor: float) -> None:
    profile = of(values, np.linspace(0.0, 180.0, len(values)))
    assert whole(profile.scaled(factor)).lumens == pytest.approx(factor * whole(profile).lumens, rel=1e-9, abs=1e-9)


@given(st.floats(-720.0, 720.0))
def test_turning_keeps_the_flux_and_moves_the_planes(degrees: float) -> None:
    planes = np.arange(0.0, 361.0, 30.0)
    table = np.array([[50.0 + 30.0 * math.sin(math.radians(p))] * 2 for p in planes])
    globe = whole(Profile(np.array([0.0, 90.0]), planes, table))
    other = turned(globe, degrees)
    assert other.lumens == pytest.approx(globe.lumens, rel=1e-6)
    assert other.at(30.0, (90.0 + degrees) % 360.0) == pytest.approx(float(globe.at(30.0, 90.0)), abs=0.6)


def test_any_leading_shape_and_any_length() -> None:
    globe = whole(of(np.ones(181) * 7.0))
    assert globe(np.ones((2, 3)), np.ones((2, 3)), -5.0 * np.ones((2, 3))).shape == (2, 3)
    assert mean_candela(globe) == pytest.approx(7.0, rel=1e-4)


def test_a_very_fine_profile_is_thinned_with_its_flux() -> None:
    angles = np.linspace(0.0, 180.0, 9001)
    globe = whole(of(np.exp(-((angles / 12.0) ** 2)), angles))
    assert len(globe.gamma) <= 1441
    exact = Globe(angles, np.array([0.0, 360.0]), np.exp(-((angles / 12.0) ** 2))[None, :].repeat(2, 0)).lumens
    assert globe.lumens == pytest.approx(exact, rel=1e-9)


def test_curves_and_beams() -> None:
    profile = of(np.where(ANGLES <= 20.0, 100.0, 10.0))
    angles, candela = curve(profile)
    assert len(angles) == len(candela) == 361 and candela[180] == 100.0 and candela[0] == 10.0
    assert beam_angle(profile) == pytest.approx(40.0)
    assert beam_angle(of(np.zeros(181))) == 0.0
    tilted = Profile(ANGLES, np.zeros(1), np.ones((1, 181)), tilt=((0.0, 1.0), (90.0, 0.8)))
    assert whole(tilted).tilt_factor(45.0) == pytest.approx(0.9) and whole(of(np.ones(181))).tilt_factor(45.0) == 1.0
    assert whole(replace(tilted, lamp_stays=True)).tilt_factor(45.0) == 1.0  # the lamp lies level whatever happens
