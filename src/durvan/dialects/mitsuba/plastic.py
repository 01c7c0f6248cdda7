"""How much light gets through the rough coat of a Mitsuba plastic: its facets lose what they throw at one another (Walter et al. 2007;
the plugin's own tables are the same integrals).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from durvan.optics.lobes import layout

Floats = NDArray[np.float64]
_ROWS, _POINTS = 24, 4096


def _fresnel(cosine: Floats, eta: float) -> tuple[Floats, Floats]:
    """What a boundary reflects, and the cosine beyond it; all where nothing gets through."""
    s2 = (1.0 - cosine * cosine) / (eta * eta)
    beyond = np.sqrt(np.clip(1.0 - s2, 0.0, 1.0))
    a = (cosine - eta * beyond) / np.maximum(cosine + eta * beyond, 1e-12)
    b = (beyond - eta * cosine) / np.maximum(beyond + eta * cosine, 1e-12)
    return np.where(s2 >= 1.0, 1.0, 0.5 * (a * a + b * b)), beyond


def _facets(wi: Floats, alpha: float, ggx: bool) -> Floats:
    """Visible facets [n, 3] for a direction: of GGX by Heitz 2018, of Beckmann by weighing (below) those of all."""
    u = (np.arange(_POINTS) + 0.5) / _POINTS
    v = np.modf(np.arange(_POINTS) * 0.6180339887498949)[0]
    phi = 2.0 * np.pi * v
    if not ggx:
        tan2 = -alpha * alpha * np.log(1.0 - u)
        cosine = 1.0 / np.sqrt(1.0 + tan2)
        sine = np.sqrt(1.0 - cosine * cosine)
        return np.stack([sine * np.cos(phi), sine * np.sin(phi), cosine], axis=1)
    stretched = np.array([alpha * wi[0], alpha * wi[1], wi[2]])
    stretched /= np.linalg.norm(stretched)
    across = np.array([1.0, 0.0, 0.0]) if stretched[2] > 0.9999 else np.cross((0.0, 0.0, 1.0), stretched)
    across /= np.linalg.norm(across)
    other = np.cross(stretched, across)
    r = np.sqrt(u)
    x, y = r * np.cos(phi), r * np.sin(phi)
    s = 0.5 * (1.0 + stretched[2])
    y = (1.0 - s) * np.sqrt(1.0 - x * x) + s * y
    z = np.sqrt(np.maximum(1.0 - x * x - y * y, 0.0))
    m = x[:, None] * across + y[:, None] * other + z[:, None] * stretched
    m = np.stack([alpha * m[:, 0], alpha * m[:, 1], np.maximum(m[:, 2], 1e-9)], axis=1)
    return np.asarray(m / np.linalg.norm(m, axis=1, keepdims=True))


def _unhidden(w: Floats, alpha: float, ggx: bool) -> Floats:
    """Smith's part that other facets do not hide."""
    tan = np.sqrt(np.maximum(1.0 - w[..., 2] ** 2, 0.0)) / np.maximum(np.abs(w[..., 2]), 1e-9)
    if ggx:
        return np.asarray(2.0 / (1.0 + np.sqrt(1.0 + (alpha * tan) ** 2)))
    a = 1.0 / np.maximum(alpha * tan, 1e-9)
    fit = (3.535 * a + 2.181 * a * a) / (1.0 + 2.276 * a + 2.577 * a * a)
    return np.where(a < 1.6, fit, 1.0)


def _shares(mu: float, alpha: float, eta: float, ggx: bool) -> tuple[float, float]:
    """What of light from a cosine is reflected by one facet, and what gets through by one."""
    wi = np.array([np.sqrt(1.0 - mu * mu), 0.0, mu])
    m = _facets(wi, alpha, ggx)
    c = m @ wi
    weight = np.where(c > 0.0, 1.0, 0.0)
    if not ggx:
        weight = weight * np.maximum(c, 0.0) * float(_unhidden(wi, alpha, ggx)) / mu / np.maximum(m[:, 2], 1e-9)
    c = np.maximum(c, 1e-9)
    f, beyond = _fresnel(c, eta)
    reflected = 2.0 * c[:, None] * m - wi
    through = (c / eta - beyond)[:, None] * m - wi / eta
    back = np.where(reflected[:, 2] > 0.0, _unhidden(reflected, alpha, ggx), 0.0)
    on = np.where(through[:, 2] < 0.0, _unhidden(through, alpha, ggx), 0.0)
    return float((weight * f * back).mean()), float((weight * (1.0 - f) * on).mean())


@lru_cache(maxsize=8192)
def coat(alpha: float, eta: float, facets: int) -> tuple[float, float]:
    """What the base of a plastic shows, as a part of what it would under a coat that loses nothing; and what of its light the coat
    throws back at it.
    """
    if alpha < layout.MIRROR:
        return 1.0, _inside(0.0, eta, True)
    ggx = facets == layout.GGX
    mu = (np.arange(_ROWS) + 0.5) / _ROWS
    found = np.array([_shares(float(one), alpha, eta, ggx) for one in mu])
    reflected, through = (2.0 * (found * mu[:, None]).mean(axis=0)).tolist()
    inside = _inside(alpha, eta, ggx)
    return float(through**2 / (eta * eta * (1.0 - inside) * max(1.0 - reflected, 1e-9))), inside


def _inside(alpha: float, eta: float, ggx: bool) -> float:
    mu = (np.arange(_ROWS) + 0.5) / _ROWS
    if alpha < layout.MIRROR:
        return float(2.0 * (_fresnel(mu, 1.0 / eta)[0] * mu).mean())
    found = np.array([_shares(float(one), alpha, 1.0 / eta, ggx)[0] for one in mu])
    return float(2.0 * (found * mu).mean())
