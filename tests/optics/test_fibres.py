"""Fibres: what a clear one gives back, probabilities, sampling, absorption."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import lobes as made
from durvan.optics.fibres import Fibre, attenuation, evaluate, longitudinal, probability, sample


def _eye(degrees: float) -> np.ndarray:
    a = np.radians(degrees)
    return np.array([np.sin(a), np.cos(a), 0.0])


@pytest.mark.parametrize("rough", [0.15, 0.4, 0.8])
@pytest.mark.parametrize("degrees", [0.0, 30.0, -60.0])
def test_a_clear_fibre_gives_back_what_it_gets(rough: float, degrees: float) -> None:
    i, part = made.sphere(300, 300)
    for offset in (-0.8, 0.0, 0.5):
        o = np.broadcast_to(_eye(degrees), i.shape)
        found = evaluate(Fibre(along=rough, around=rough), o, i, np.full(len(i), offset))
        assert (found.sum(axis=0) * part) == pytest.approx(1.0, abs=0.01)


def test_probabilities_add_up_and_samples_follow_them() -> None:
    fibre = Fibre(absorption=(0.2, 0.5, 1.0), along=0.35, around=0.4)
    i, part = made.sphere(400, 400)
    o = np.broadcast_to(_eye(25.0), i.shape)
    assert probability(fibre, o, i, np.full(len(i), 0.3)).sum() * part == pytest.approx(1.0, abs=0.01)
    count = 100_000
    eyes, offsets = np.tile(_eye(25.0), (count, 1)), np.full(count, 0.3)
    drawn = sample(fibre, eyes, offsets, np.random.default_rng(3).random((count, 4)))
    assert np.linalg.norm(drawn, axis=1) == pytest.approx(1.0)
    weights = evaluate(fibre, eyes, drawn, offsets) / probability(fibre, eyes, drawn, offsets)[:, None]
    whole = (evaluate(fibre, o, i, np.full(len(i), 0.3)) * part).sum(axis=0)
    assert weights.mean(axis=0) == pytest.approx(whole, rel=0.01)


def test_longitudinal_lobes_integrate_to_one() -> None:
    sine = np.linspace(-1.0, 1.0, 200_001)
    for variance in (0.002, 0.05, 0.3, 2.0):
        assert np.trapezoid(longitudinal(0.4, sine, variance), sine) == pytest.approx(1.0, abs=2e-3)


def test_absorption_darkens_and_colours() -> None:
    clear, _ = attenuation(Fibre(), np.array([0.2]), np.array([0.1]))
    assert clear.sum(axis=0) == pytest.approx(1.0)
    brown, _ = attenuation(Fibre(absorption=(0.3, 0.6, 1.2)), np.array([0.2]), np.array([0.1]))
    r, g, b = brown.sum(axis=0)[0]
    assert 1.0 > r > g > b > 0.0
    assert brown[0] == pytest.approx(clear[0])  # what is reflected outside never went in


def test_mitsuba_says_the_same_of_any_fibre() -> None:
    """The renderer that is open and has the like gives the same light at any place of any fibre, within its single precision.

    There the fibre runs along y, the surface's normal is z, and the offset across follows from where the eye is.
    """
    rng, cases, meant = np.random.default_rng(7), [], []
    for _ in range(400):
        eye, light = (one / np.linalg.norm(one) for one in rng.normal(size=(2, 3)))
        eye[2] = abs(eye[2])
        fibre = Fibre(
            float(rng.uniform(1.3, 1.8)),
            tuple(rng.uniform(0.0, 2.0, 3)),
            float(rng.uniform(0.15, 0.9)),
            float(rng.uniform(0.15, 0.9)),
        )
        offset = -eye[1] / np.hypot(eye[1], eye[2])
        cases.append(
            {"index": fibre.index, "absorption": list(fibre.absorption), "along": fibre.along, "around": fibre.around,
             "eye": [eye[1], -eye[0], eye[2]], "light": [light[1], -light[0], light[2]]}
        )  # fmt: skip
        meant.append(evaluate(fibre, eye[None], light[None], np.array([offset]))[0])
    script = Path(__file__).with_name("fibres_by_mitsuba.py")
    done = subprocess.run(
        [sys.executable, str(script)], input=json.dumps(cases), capture_output=True, text=True, check=True, timeout=300
    )
    found, wanted = np.array(json.loads(done.stdout)), np.array(meant)
    apart = np.abs(found - wanted) / np.maximum(wanted, 1e-3)
    assert np.median(apart) < 1e-3 and np.quantile(apart, 0.99) < 0.02 and wanted.max() > 0.1
