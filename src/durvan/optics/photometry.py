"""Light in numbers: luminance, flux and illuminance of simple emitters and of pictured skies."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


def cone_flux_factor(outer_deg: float, inner_deg: float) -> float:
    """Steradians that a spot's profile integrates to: 1 inside `inner`, smooth step down to 0 at `outer`.

    Half angles in degrees. Flux in lumen = candela × this. Integrated by 256-point Gauss–Legendre in the angle.
    """
    nodes, weights = np.polynomial.legendre.leggauss(256)
    outer, inner = math.radians(outer_deg), math.radians(min(inner_deg, outer_deg))
    theta = 0.5 * (nodes + 1.0) * outer
    step = np.clip((theta - inner) / max(outer - inner, 1e-12), 0.0, 1.0)
    falloff = 1.0 - step * step * (3.0 - 2.0 * step)
    return float(2.0 * math.pi * np.sum(weights * falloff * np.sin(theta)) * 0.5 * outer)


def latlong_illuminance(pixels: NDArray[np.float32], up_row_first: bool = True) -> float:
    """Illuminance that the upper half of a latitude–longitude picture puts on a surface that faces up.

    `pixels`: height × width × 3, linear Rec.709, taken as luminance in nit; the result is in lux.
    Rows go from the zenith (row 0) to the nadir. Pixel centres, exact in the limit of fine rows.
    """
    rows = pixels if up_row_first else pixels[::-1]
    height = rows.shape[0]
    weights = np.array([0.2126, 0.7152, 0.0722], dtype=np.float64)
    luminance = (np.nan_to_num(rows[..., :3].astype(np.float64), posinf=0.0, neginf=0.0) @ weights).mean(axis=1)
    edges = np.linspace(0.0, math.pi, height + 1)
    upper = np.clip(edges, 0.0, math.pi / 2.0)
    # ∫ cosθ sinθ dθ between the row's edges, times 2π of azimuth
    ring = math.pi * (np.sin(upper[1:]) ** 2 - np.sin(upper[:-1]) ** 2)
    return float(np.sum(luminance * ring))
