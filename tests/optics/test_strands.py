"""The fibre of the renderer against the one over arrays, and its sampling against its values."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lobes
from durvan.dialects.look import Lobe
from durvan.optics import fibres, pigments
from durvan.optics.lobes import layout as L

HAIR = ((0.4, 0.8, 1.6), 0.3, 0.35)


@pytest.fixture(scope="module", autouse=True)
def _compiled(kernels: None) -> None:
    """Lobes are asked by compiled code."""


def strand(absorption=(0.0, 0.0, 0.0), along=0.3, around=0.3, inside=None) -> np.ndarray:
    within = along if inside is None else inside
    return lobes.rec(Lobe(L.FIBRE, 1.0, along, around, within, first=absorption, second=1.55))


def directions(seed: int, count: int) -> np.ndarray:
    found = np.random.default_rng(seed).normal(size=(count, 3))
    return found / np.linalg.norm(found, axis=1, keepdims=True)


@pytest.mark.parametrize("seed", range(4))
def test_it_says_what_the_reference_says(seed: int) -> None:
    absorption, along, around = HAIR
    eye = directions(seed, 1)[0]
    eye[2] = abs(eye[2])
    light = directions(seed + 50, 200)
    offset = -eye[1] / math.hypot(eye[1], eye[2])
    meant = fibres.evaluate(fibres.Fibre(1.55, absorption, along, around), eye, light, offset)
    value, pdf = lobes.evaluate(strand(*HAIR), eye, light)
    assert value * np.abs(light[:, 2:3]) == pytest.approx(meant, rel=2e-4, abs=1e-9)
    chance = fibres.probability(fibres.Fibre(1.55, absorption, along, around), eye, light, offset)
    assert pdf == pytest.approx(chance, rel=2e-4, abs=1e-9)


@pytest.mark.parametrize("turn", [0.0, 90.0, 200.0])
@pytest.mark.parametrize("rough", [0.15, 0.5])
def test_white_fibres_lose_nothing(rough: float, turn: float) -> None:
    back = lobes.sample(strand(along=rough, around=rough), lobes.eye(40.0, turn), 60_000)[1]
    assert back.mean(axis=0) == pytest.approx(1.0, abs=0.02)


def test_samples_weigh_as_much_as_the_values_do() -> None:
    rec, eye = strand(*HAIR), lobes.eye(35.0, 70.0)
    every, part = lobes.sphere(240, 240)
    value, pdf = lobes.evaluate(rec, eye, every)
    summed = (value * np.abs(every[:, 2:3])).sum(axis=0) * part
    assert lobes.sample(rec, eye, 80_000)[1].mean(axis=0) == pytest.approx(summed, rel=0.02)
    assert pdf.sum() * part == pytest.approx(1.0, rel=0.02)


def test_what_was_inside_has_a_roughness_of_its_own() -> None:
    eye = lobes.eye(0.0)
    light = np.array([[math.sin(0.25), 0.0, -math.cos(0.25)]])  # through, off along the fibre
    narrow, _ = lobes.evaluate(strand(along=0.5, inside=0.1), eye, light)
    wide, _ = lobes.evaluate(strand(along=0.5, inside=0.7), eye, light)
    assert wide[0, 0] > 3.0 * narrow[0, 0]


@given(st.tuples(*[st.floats(0.02, 0.95)] * 3), st.floats(0.05, 1.0))
@settings(max_examples=60, deadline=None)
def test_tints_return_from_absorption(tint, around) -> None:
    assert pigments.tint_of_absorption(pigments.absorption_of_tint(tint, around), around) == pytest.approx(tint)


@given(st.floats(0.05, 0.99), st.floats(0.0, 1.0))
@settings(max_examples=60, deadline=None)
def test_pigments_return_from_what_they_absorb(melanin, redness) -> None:
    absorption = pigments.absorption_of_pigments(melanin, redness)
    assert pigments.pigments_of(absorption) == pytest.approx((melanin, redness), abs=1e-6)
    assert pigments.off_pigments(absorption) == pytest.approx(0.0, abs=1e-6)


def test_what_no_pigment_is_comes_nearest_and_says_how_near() -> None:
    green = pigments.absorption_of_tint((0.1, 0.6, 0.1), 0.3)
    assert pigments.off_pigments(green) > 0.1
    assert all(0.0 <= part <= 1.0 for part in pigments.pigments_of(green))
