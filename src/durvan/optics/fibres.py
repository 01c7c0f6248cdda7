"""Light on hair and fur: the near-field fibre of d'Eon et al. 2011 as Chiang et al. 2016 made it practical.

Directions are given in the fibre's frame: x runs along it, φ is the angle about it in the yz plane. All functions take
arrays of any one shape: the reference for what `durvan.optics.lobes.strands` works out one place at a time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from durvan.optics.fresnel import dielectric

Array = NDArray[np.float64]
LOBES = 3  # reflected, through, and once reflected inside; what is left of more is a lobe of its own


@dataclass(frozen=True)
class Fibre:
    """A fibre: index of refraction, absorption inside per diameter (three channels), roughness along and around, both
    perceptual from 0 to 1.
    """

    index: float = 1.55
    absorption: tuple[float, float, float] = (0.0, 0.0, 0.0)
    along: float = 0.3
    around: float = 0.3

    @property
    def variances(self) -> Array:
        """Of the longitudinal lobes [4] (Chiang et al. 2016, eq. 7)."""
        b = min(max(self.along, 0.02), 1.0)
        first = (0.726 * b + 0.812 * b * b + 3.7 * b**20) ** 2
        return np.array([first, 0.25 * first, 4.0 * first, 4.0 * first])

    @property
    def spread(self) -> float:
        """Scale of the logistic around the fibre (Chiang et al. 2016, eq. 8)."""
        b = min(max(self.around, 0.02), 1.0)
        return float(np.sqrt(np.pi / 8.0) * (0.265 * b + 1.194 * b * b + 5.372 * b**22))


def longitudinal(sine_o: ArrayLike, sine_i: ArrayLike, variance: float) -> Array:
    """M_p, per radian of the inclination weighted by its cosine (d'Eon et al. 2011, eq. 7); integrates to 1."""
    so, si = np.asarray(sine_o, dtype=np.float64), np.asarray(sine_i, dtype=np.float64)
    co, ci = np.sqrt(np.maximum(1.0 - so * so, 0.0)), np.sqrt(np.maximum(1.0 - si * si, 0.0))
    a, b = ci * co / variance, si * so / variance
    # I₀(a)·e^(−b) / (2v·sinh(1/v)), with the exponentials joined so that none overflows
    down = np.exp(a - b - 1.0 / variance) / (variance * (1.0 - np.exp(-2.0 / variance)))
    from scipy.special import i0e  # a third of a second, which opening a scene need not wait for

    return np.asarray(i0e(a) * down)


def _logistic(x: Array, scale: float) -> Array:
    """Logistic density cut to −π … π."""
    near = np.exp(-np.abs(x) / scale)
    whole = np.tanh(np.pi / (2.0 * scale))
    return np.asarray(near / (scale * (1.0 + near) ** 2) / whole)


def _exit(p: int, gamma_o: Array, gamma_t: Array) -> Array:
    """Net turn about the fibre of a path with p inner segments (Marschner et al. 2003, eq. 4)."""
    return 2.0 * p * gamma_t - 2.0 * gamma_o + p * np.pi


def attenuation(fibre: Fibre, sine_o: ArrayLike, offset: ArrayLike) -> tuple[Array, Array]:
    """A_p [4, …, 3] and the inner angle γ_t; `offset` is h, from −1 to 1 across the fibre (Chiang et al. 2016, sec. 4.3)."""
    so, h = np.asarray(sine_o, dtype=np.float64), np.asarray(offset, dtype=np.float64)
    co = np.sqrt(np.maximum(1.0 - so * so, 1e-12))
    sine_t = so / fibre.index
    seen = np.sqrt(fibre.index**2 - so * so) / co
    gamma_t = np.arcsin(np.clip(h / seen, -1.0, 1.0))
    length = 2.0 * np.cos(gamma_t) / np.sqrt(1.0 - sine_t * sine_t)
    passed = np.exp(-np.asarray(fibre.absorption) * length[..., None])
    f = dielectric(co * np.sqrt(np.maximum(1.0 - h * h, 0.0)), fibre.index)[..., None]
    first = np.broadcast_to(f, passed.shape)
    through = (1.0 - f) ** 2 * passed
    inside = through * passed * f
    rest = inside * passed * f / np.maximum(1.0 - passed * f, 1e-9)
    return np.stack([first, through, inside, rest]), np.asarray(gamma_t)


def _around(fibre: Fibre, p: int, phi: Array, gamma_o: Array, gamma_t: Array) -> Array:
    if p == LOBES:
        return np.full(np.shape(phi), 1.0 / (2.0 * np.pi))
    turn = (phi - _exit(p, gamma_o, gamma_t) + np.pi) % (2.0 * np.pi) - np.pi
    return _logistic(turn, fibre.spread)


def _parts(fibre: Fibre, o: ArrayLike, i: ArrayLike, offset: ArrayLike) -> tuple[list[Array], Array]:
    """Each lobe's density over directions [4] of […], and A_p."""
    eye, light = np.asarray(o, dtype=np.float64), np.asarray(i, dtype=np.float64)
    h = np.asarray(offset, dtype=np.float64)
    attenuated, gamma_t = attenuation(fibre, eye[..., 0], h)
    phi = np.arctan2(light[..., 2], light[..., 1]) - np.arctan2(eye[..., 2], eye[..., 1])
    gamma_o = np.arcsin(np.clip(h, -1.0, 1.0))
    lobes = [
        longitudinal(eye[..., 0], light[..., 0], float(fibre.variances[p])) * _around(fibre, p, phi, gamma_o, gamma_t)
        for p in range(LOBES + 1)
    ]
    return lobes, attenuated


def evaluate(fibre: Fibre, o: ArrayLike, i: ArrayLike, offset: ArrayLike) -> Array:
    """Scattered radiance for radiance, times the cosine to the fibre, per steradian: […, 3] for directions […, 3]."""
    lobes, attenuated = _parts(fibre, o, i, offset)
    return np.asarray(sum(lobe[..., None] * a for lobe, a in zip(lobes, attenuated, strict=True)))


def _chances(attenuated: Array) -> Array:
    share = attenuated.mean(axis=-1)
    return np.asarray(share / np.maximum(share.sum(axis=0), 1e-12))


def probability(fibre: Fibre, o: ArrayLike, i: ArrayLike, offset: ArrayLike) -> Array:
    """How likely `sample` is to give a direction, per steradian."""
    lobes, attenuated = _parts(fibre, o, i, offset)
    return np.asarray(sum(lobe * c for lobe, c in zip(lobes, _chances(attenuated), strict=True)))


def sample(fibre: Fibre, o: ArrayLike, offset: ArrayLike, numbers: ArrayLike) -> Array:
    """Directions to the light [n, 3] for eyes [n, 3], offsets [n] and numbers [n, 4] from 0 to 1."""
    eye, h, u = (np.asarray(part, dtype=np.float64) for part in (o, offset, numbers))
    attenuated, gamma_t = attenuation(fibre, eye[:, 0], h)
    summed = np.cumsum(_chances(attenuated), axis=0)
    which = np.minimum((u[:, 0][None] >= summed).sum(axis=0), LOBES)
    v = fibre.variances[which]
    cosine = 1.0 + v * np.log(np.maximum(u[:, 1], 1e-5) + (1.0 - u[:, 1]) * np.exp(-2.0 / v))
    sine = np.sqrt(np.maximum(1.0 - cosine * cosine, 0.0))
    across = np.sqrt(np.maximum(1.0 - eye[:, 0] ** 2, 0.0))
    si = np.clip(-cosine * eye[:, 0] + sine * np.cos(2.0 * np.pi * u[:, 2]) * across, -1.0, 1.0)
    # the logistic, inverted between its cuts
    edge = 1.0 / (1.0 + np.exp(np.pi / fibre.spread))
    level = np.clip(edge + u[:, 3] * (1.0 - 2.0 * edge), 1e-12, 1.0 - 1e-12)
    turn = -fibre.spread * np.log(1.0 / level - 1.0)
    gamma_o = np.arcsin(np.clip(h, -1.0, 1.0))
    exits = np.stack([_exit(p, gamma_o, gamma_t) for p in range(LOBES)] + [np.zeros_like(h)])
    net = np.where(which < LOBES, exits[which, np.arange(len(h))] + turn, 2.0 * np.pi * u[:, 3])
    phi = np.arctan2(eye[:, 2], eye[:, 1]) + net
    ci = np.sqrt(np.maximum(1.0 - si * si, 0.0))
    return np.stack([si, ci * np.cos(phi), ci * np.sin(phi)], axis=1)
