"""Normal distributions of microfacets, and how far apart two of them are.

The difference of two lobes is the share of the facets' projected area that points elsewhere: half the integral
of |D₁ − D₂| cosθ over the hemisphere (total variation of two densities that each integrate to 1).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

# u = tan θ on a logarithmic grid: narrow lobes live at tiny angles, wide ones out to grazing.
_TAN = np.geomspace(1e-6, 1e4, 6000)
COSINES = 1.0 / np.sqrt(1.0 + _TAN**2)


def ggx(cosine: ArrayLike, alpha: float) -> NDArray[np.float64]:
    """GGX (Trowbridge–Reitz) density per steradian of facet normals (Walter et al. 2007, eq. 33)."""
    c2 = np.asarray(cosine, dtype=np.float64) ** 2
    a2 = alpha * alpha
    return np.asarray(a2 / (np.pi * (c2 * (a2 - 1.0) + 1.0) ** 2))


def beckmann(cosine: ArrayLike, alpha: float) -> NDArray[np.float64]:
    """Beckmann density per steradian of facet normals (Walter et al. 2007, eq. 25)."""
    c2 = np.asarray(cosine, dtype=np.float64) ** 2
    tan2 = (1.0 - c2) / np.maximum(c2, 1e-300)
    return np.asarray(np.exp(-tan2 / alpha**2) / (np.pi * alpha**2 * np.maximum(c2, 1e-300) ** 2))


def blinn(cosine: ArrayLike, exponent: float) -> NDArray[np.float64]:
    """Normalised Blinn density per steradian: (n + 2)/(2π) cosⁿθ (Walter et al. 2007, eq. 30)."""
    c = np.asarray(cosine, dtype=np.float64)
    return np.asarray((exponent + 2.0) / (2.0 * np.pi) * c**exponent)


def blinn_exponent_to_alpha(exponent: float) -> float:
    """The α whose peak equals a Blinn lobe's: √(2/(n + 2)) (Walter et al. 2007, section 5.2)."""
    return float((2.0 / (exponent + 2.0)) ** 0.5)


def displaced(first: NDArray[np.float64], second: NDArray[np.float64]) -> float:
    """Share in [0, 1] of the projected facet area that two densities, taken at the module's angles, lay differently."""
    # dω cosθ = 2π sinθ cosθ dθ; with u = tanθ, sinθ cosθ dθ = u/(1+u²)² du
    weight = 2.0 * np.pi * _TAN / (1.0 + _TAN**2) ** 2
    return float(0.5 * np.trapezoid(np.abs(first - second) * weight, _TAN))
