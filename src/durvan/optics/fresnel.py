"""Reflection at a smooth boundary: the exact dielectric law, Schlick's, and their averages over the hemisphere."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(64)
_COSINES = 0.5 * (_NODES + 1.0)
_COSINE_WEIGHTS = _WEIGHTS * _COSINES  # 2 cos dcos over [0, 1] sums to 1


def f0_from_index(index: float) -> float:
    """Reflectance at normal incidence, outside air: ((n − 1)/(n + 1))² (Born & Wolf 1999, 1.5.3).

    >>> round(f0_from_index(1.5), 4)
    0.04
    """
    return ((index - 1.0) / (index + 1.0)) ** 2


def index_from_f0(reflectance: float) -> float:
    """The index at or above 1 with a reflectance at normal incidence; `reflectance` in [0, 1)."""
    root = min(max(reflectance, 0.0), 0.999999) ** 0.5
    return float((1.0 + root) / (1.0 - root))


def dielectric(cosine: ArrayLike, index: float) -> NDArray[np.float64]:
    """Unpolarised Fresnel reflectance, from air, any shape of cosines in [0, 1] (Born & Wolf 1999, 1.5.2)."""
    c = np.asarray(cosine, dtype=np.float64)
    g = np.sqrt(np.maximum(index * index - 1.0 + c * c, 0.0))
    a = ((g - c) / (g + c)) ** 2
    b = ((c * (g + c) - 1.0) / (c * (g - c) + 1.0)) ** 2
    return np.asarray(0.5 * a * (1.0 + b))


def conductor(cosine: float, n: float, k: float) -> float:
    """Unpolarised reflectance of a metal with index n − ik, from air, at a cosine in [0, 1] (Born & Wolf 1999, 14.2)."""
    c2, s2 = cosine * cosine, 1.0 - cosine * cosine
    t0 = n * n - k * k - s2
    root = math.sqrt(max(t0 * t0 + 4.0 * n * n * k * k, 0.0))
    a = math.sqrt(max(0.5 * (root + t0), 0.0))
    across = (root + c2 - 2.0 * a * cosine) / (root + c2 + 2.0 * a * cosine)
    along = across * (c2 * root + s2 * s2 - 2.0 * a * cosine * s2) / (c2 * root + s2 * s2 + 2.0 * a * cosine * s2)
    return 0.5 * (across + along)


def schlick(cosine: ArrayLike, f0: float) -> NDArray[np.float64]:
    """Schlick's approximation F0 + (1 − F0)(1 − cos)⁵, any shape (Schlick 1994, eq. 15)."""
    c = np.asarray(cosine, dtype=np.float64)
    return np.asarray(f0 + (1.0 - f0) * (1.0 - c) ** 5)


@lru_cache(maxsize=4096)
def mean_dielectric(index: float) -> float:
    """Share of diffuse light that a dielectric reflects: 2∫F(μ)μ dμ, dimensionless in [0, 1]."""
    return float(np.sum(_COSINE_WEIGHTS * dielectric(_COSINES, max(index, 1.0))))


def mean_schlick(f0: float) -> float:
    """The same share for Schlick's law, in closed form: F0 + (1 − F0)/21.

    >>> round(mean_schlick(1.0), 6)
    1.0
    """
    return f0 + (1.0 - f0) / 21.0


def edge_tinted(cosine: ArrayLike, f0: float, tint: float) -> NDArray[np.float64]:
    """A metal's reflectance by Schlick, pulled to `tint` times Schlick's at 82° (OpenPBR 1.1, metal; Kutz et al. 2021)."""
    c = np.asarray(cosine, dtype=np.float64)
    pivot = 1.0 / 7.0
    at_pivot = f0 + (1.0 - f0) * (1.0 - pivot) ** 5
    pull = at_pivot * (1.0 - tint) / (pivot * (1.0 - pivot) ** 6)
    return np.asarray(f0 + (1.0 - f0) * (1.0 - c) ** 5 - pull * c * (1.0 - c) ** 6)


def metal_edge_residual(f0: float) -> float:
    """What a metal reflects of diffuse light otherwise than a constant F0, its edge held down as far as it goes.

    2∫|F(μ) − F0|μ dμ for the 82° tint that makes both agree there; share in [0, 1].
    """
    at_pivot = f0 + (1.0 - f0) * (6.0 / 7.0) ** 5
    metal = edge_tinted(_COSINES, f0, f0 / at_pivot if at_pivot > 0 else 0.0)
    return float(np.sum(_COSINE_WEIGHTS * np.abs(metal - f0)))
