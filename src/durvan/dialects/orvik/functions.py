"""Functions that only Orvik's formulas call: what its lobes leave beside others, and how sure a metal is a metal."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from durvan.optics.fresnel import metal_edge_residual
from durvan.optics.microfacet import COSINES, beckmann, blinn, blinn_exponent_to_alpha, displaced, ggx

ALIKE = (
    0.86**2
)  # of an alpha: a GGX lobe that looks most like one of a shorter tail (0.68 to 0.80 over lobes and polishes)
_POLISHES = np.linspace(0.0, 1.0, 41)


@cache
def _blinn_table() -> NDArray[np.float64]:
    rows = []
    for polish in _POLISHES:
        exponent = 10.0 ** (4.0 * polish)
        rows.append(displaced(blinn(COSINES, exponent), ggx(COSINES, ALIKE * blinn_exponent_to_alpha(exponent))))
    return np.array(rows)


@cache
def _beckmann_table() -> NDArray[np.float64]:
    rows = []
    for polish in _POLISHES:
        alpha = max((1.0 - polish) ** 2, 1e-4)
        rows.append(displaced(beckmann(COSINES, alpha), ggx(COSINES, ALIKE * alpha)))
    return np.array(rows)


def blinn_against_ggx(polish: float) -> float:
    """What the GGX lobe that looks most alike displaces of a Blinn lobe with exponent 10^(4·polish); share in [0, 1].

    Interpolated in a table of 41 polishes, good to 0.001.
    """
    return float(np.interp(polish, _POLISHES, _blinn_table()))


def beckmann_against_ggx(polish: float) -> float:
    """What the GGX lobe that looks most alike displaces of a Beckmann lobe of α = (1 − polish)²; share in [0, 1]."""
    return float(np.interp(polish, _POLISHES, _beckmann_table()))


@cache
def blinn_map_residual() -> float:
    """How far (0.91348 − 0.53543·polish)^2.5 is, at most, from the roughness that looks most like a Blinn lobe.

    The curve is what scaling, shifting and one power can do to a map; its numbers are the least-squares fit of
    0.86·(2/(10^(4·polish) + 2))^¼ over polish in [0, 1]. The result is in units of perceptual roughness.
    """
    polish = np.linspace(0.0, 1.0, 1001)
    exact = ALIKE**0.5 * (2.0 / (10.0 ** (4.0 * polish) + 2.0)) ** 0.25
    return float(np.max(np.abs((0.91348 - 0.53543 * polish) ** 2.5 - exact)))


def metal_sureness(mirror: float, base: float) -> float:
    """How sure a bright reflection over a dark base is a metal, in [0, 1]; from the luminances of both.

    A judgement, not a law: certain from 0.5 over black, even at 0.1 or over a base of 0.15.
    """
    bright = min(max((mirror - 0.1) / 0.4, 0.0), 1.0)
    dark = min(max(1.0 - base / 0.15, 0.0), 1.0)
    return round(0.5 + 0.5 * bright * dark, 3)


FUNCTIONS = {
    "metal_sureness": metal_sureness,
    "metal_edge_residual": metal_edge_residual,
    "blinn_against_ggx": blinn_against_ggx,
    "blinn_map_residual": blinn_map_residual,
    "beckmann_against_ggx": beckmann_against_ggx,
}
