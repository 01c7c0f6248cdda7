"""Optics against published values and closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.dialects.orvik import functions
from durvan.optics import colour, fresnel, microfacet, photometry


def test_luminance_is_linear_and_white_is_one() -> None:
    assert colour.luminance((1, 1, 1)) == pytest.approx(1.0)
    assert colour.luminance((0.2, 0.4, 0.6)) * 3 == pytest.approx(colour.luminance((0.6, 1.2, 1.8)))


@pytest.mark.parametrize(("kelvin", "warm"), [(1900, True), (2856, True), (9000, False)])
def test_black_bodies_are_warm_below_and_cool_above_daylight(kelvin: float, warm: bool) -> None:
    red, green, blue = colour.black_body(kelvin)
    assert (red > blue) is warm
    assert colour.luminance((red, green, blue)) == pytest.approx(1.0)


def test_black_body_of_incandescent_light_has_its_published_chromaticity() -> None:
    # CIE standard illuminant A, 2856 K: x = 0.44757, y = 0.40745
    rgb = np.array(colour.black_body(2856))
    matrix = np.array(
        [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.072175], [0.0193339, 0.119192, 0.9503041]]
    )
    big = matrix @ rgb
    assert big[0] / big.sum() == pytest.approx(0.44757, abs=0.002)
    assert big[1] / big.sum() == pytest.approx(0.40745, abs=0.002)


@given(st.floats(1.0, 50.0))
def test_index_and_f0_undo_each_other(index: float) -> None:
    assert fresnel.index_from_f0(fresnel.f0_from_index(index)) == pytest.approx(index, rel=1e-9)


def test_fresnel_at_normal_and_grazing_incidence() -> None:
    values = fresnel.dielectric(np.array([1.0, 1e-9]), 1.5)
    assert values[0] == pytest.approx(0.04)
    assert values[1] == pytest.approx(1.0, abs=1e-6)


def test_mean_dielectric_is_the_published_diffuse_reflectance() -> None:
    # Egan & Hilgeman 1973: external diffuse Fresnel reflectance 0.0918 at an index of 1.5
    assert fresnel.mean_dielectric(1.5) == pytest.approx(0.0918, abs=0.0002)


def test_mean_schlick_agrees_with_its_integral() -> None:
    c = (np.arange(200_000) + 0.5) / 200_000
    assert fresnel.mean_schlick(0.3) == pytest.approx(float(np.mean(2 * c * fresnel.schlick(c, 0.3))), abs=1e-6)


def test_edge_tint_is_what_it_says_at_82_degrees() -> None:
    plain = fresnel.schlick(1 / 7, 0.6)
    assert fresnel.edge_tinted(1 / 7, 0.6, 0.5) == pytest.approx(0.5 * float(plain))


def test_what_remains_of_a_faked_metal_is_small_and_never_negative() -> None:
    for f0 in (0.0, 0.3, 0.62, 0.95, 1.0):
        assert 0.0 <= fresnel.metal_edge_residual(f0) < 0.04


@pytest.mark.parametrize(
    "lobe",
    [lambda c: microfacet.ggx(c, 0.3), lambda c: microfacet.beckmann(c, 0.3), lambda c: microfacet.blinn(c, 40.0)],
)
def test_distributions_have_unit_projected_area(lobe) -> None:
    theta = (np.arange(200_000) + 0.5) / 200_000 * math.pi / 2
    c = np.cos(theta)
    total = np.sum(lobe(c) * c * np.sin(theta)) * 2 * math.pi * (math.pi / 2 / 200_000)
    assert total == pytest.approx(1.0, abs=1e-3)


def test_a_lobe_against_itself_is_zero_and_against_another_not() -> None:
    cosines = microfacet.COSINES
    assert microfacet.displaced(microfacet.ggx(cosines, 0.2), microfacet.ggx(cosines, 0.2)) == 0.0
    assert microfacet.displaced(microfacet.ggx(cosines, 0.001), microfacet.ggx(cosines, 1.0)) > 0.95
    assert 0.05 < functions.blinn_against_ggx(0.7) < 0.5
    assert 0.05 < functions.beckmann_against_ggx(0.7) < 0.5


def test_matched_peaks_are_equal() -> None:
    exponent = 10 ** (4 * 0.6)
    alpha = microfacet.blinn_exponent_to_alpha(exponent)
    assert microfacet.blinn(1.0, exponent) == pytest.approx(float(microfacet.ggx(1.0, alpha)))


def test_a_sharp_cone_holds_its_steradians() -> None:
    assert photometry.cone_flux_factor(30.0, 30.0) == pytest.approx(
        2 * math.pi * (1 - math.cos(math.radians(30))), rel=1e-4
    )
    assert photometry.cone_flux_factor(30.0, 10.0) < photometry.cone_flux_factor(30.0, 30.0)


def test_a_white_sky_gives_pi_lux_a_nit() -> None:
    assert photometry.latlong_illuminance(np.ones((64, 128, 3), np.float32)) == pytest.approx(math.pi, rel=1e-6)


def test_what_is_below_the_horizon_does_not_count() -> None:
    sky = np.zeros((64, 128, 3), np.float32)
    sky[40:] = 5.0
    assert photometry.latlong_illuminance(sky) == 0.0
    sky[0, 0] = np.inf
    assert math.isfinite(photometry.latlong_illuminance(sky))


def test_the_colour_of_a_temperature_is_the_librarys() -> None:
    from pxr import UsdLux

    from durvan.optics.colour import luminance, usd_black_body

    for kelvin in range(500, 12_000, 37):
        theirs = UsdLux.BlackbodyTemperatureAsRgb(float(kelvin))
        assert usd_black_body(kelvin) == pytest.approx(tuple(theirs), abs=2e-6)
    assert luminance(usd_black_body(3000.0)) == pytest.approx(1.0)
