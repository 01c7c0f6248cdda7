"""Responses that are burnt into one of two pictures: named where they are known, taken out where a curve explains them, and else left alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from durvan.optics.tone import KNEE, developed, srgb
from durvan.proof.picture import Picture
from durvan.proof.responses import KNOWN, OWN, response_between, straightened
from proof.made import Made, picture


def bent(one: Picture, how) -> Picture:
    return replace(one, rgb=np.asarray(how(one.rgb.astype(np.float64)), dtype=np.float32), variance=None)


def shoulder(x: np.ndarray) -> np.ndarray:
    return np.where(x > KNEE, KNEE + (1.0 - KNEE) * np.tanh((x - KNEE) / (1.0 - KNEE)), x)


CURVES = {
    "the display's own curve (sRGB)": srgb,
    "a gamma of 2.2": lambda x: np.clip(x, 0.0, 1.0) ** (1.0 / 2.2),
    "a soft shoulder under the display's curve": lambda x: developed(2.0 * x, "shoulder"),
}


@pytest.mark.parametrize("side", ["source", "target"])
@pytest.mark.parametrize("name", list(CURVES))
def test_a_known_response_is_named_on_the_side_that_has_it(name: str, side: str) -> None:
    source, target = picture(Made(samples=256), 1), picture(Made(samples=256), 2)
    if side == "target":
        target = bent(target, CURVES[name])
    else:
        source = bent(source, CURVES[name])
    found = response_between(source, target)
    assert found is not None and found.side == side
    alike = {"the display's own curve (sRGB)", "a gamma of 2.2", "a gamma of 2.4"}
    assert found.name == name or {found.name, name} <= alike  # they differ by less than noise
    assert found.left < 0.5 * found.before


def test_it_is_taken_out(tmp_path) -> None:
    source, target = picture(Made(samples=256), 1), picture(Made(samples=256), 2)
    one, two, found = straightened(source, bent(target, srgb))
    assert found is not None and one is source
    lit = target.rgb < 0.98
    assert np.median(np.abs(two.rgb[lit] / np.maximum(target.rgb[lit], 1e-4) - 1.0)) < 0.02


def test_a_curve_of_its_own_is_taken_out_by_its_own_form() -> None:
    source, target = picture(Made(samples=400), 1), picture(Made(samples=400), 2)
    odd = bent(target, lambda x: 1.2 * np.maximum(x, 0.0) ** 1.6 / (0.1 + np.maximum(x, 0.0) ** 1.6))
    one, two, found = straightened(source, odd)
    assert found is not None and found.name == OWN
    before, after = (
        np.median(np.abs(np.log2(np.maximum(side.rgb, 1e-3) / np.maximum(one.rgb, 1e-3)))) for side in (odd, two)
    )
    assert after < 0.35 * before


@pytest.mark.parametrize(
    "made",
    [
        Made(), Made(gain=(1.8, 1.8, 1.8)), Made(lights={"lamp": (0.4, 0.4, 0.4)}), Made(materials={"wall": (0.5, 0.5, 0.6)}),
        Made(lights={"window": (0.0, 0.0, 0.0)}, gain=(1.3, 1.2, 1.0)), Made(exponent=1.15), Made(samples=4),
    ],
)  # fmt: skip
def test_what_is_no_response_is_left_alone(made: Made) -> None:
    assert response_between(picture(Made(), 1), picture(made, 2)) is None


def test_nothing_is_said_of_next_to_nothing() -> None:
    black = Picture(np.zeros((30, 40, 3), np.float32))
    assert response_between(black, black) is None
    odd = Picture(np.full((30, 40, 3), np.nan, np.float32))
    assert (
        response_between(odd, picture(Made(), 1)) is None
        if odd.size == picture(Made(), 1).size
        else straightened(odd, black)[2] is None
    )


@pytest.mark.parametrize("name, curve", KNOWN)
def test_curves_rise_and_leave_nothing_at_nothing(name: str, curve) -> None:
    x = np.linspace(0.0, 0.99, 200, dtype=np.float32)
    y = curve(x)
    assert y[0] == 0.0 and (np.diff(y) > 0.0).all() and np.isfinite(y).all(), name
