"""Records of single lobes, and ways to ask them, for tests."""

from __future__ import annotations

import numpy as np

from durvan.dialects.look import Lobe, Surface, record
from durvan.optics.lobes import layout as L
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables


def rec(*lobes: Lobe, **surface) -> np.ndarray:
    return record(Surface(list(lobes), **surface)).base


def eye(degrees: float, turn: float = 0.0) -> np.ndarray:
    a, b = np.radians(degrees), np.radians(turn)
    return np.array([np.sin(a) * np.cos(b), np.sin(a) * np.sin(b), np.cos(a)])


def evaluate(base: np.ndarray, o: np.ndarray, i: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    o, i = np.broadcast_to(o, i.shape).copy(), np.ascontiguousarray(i)
    value, pdf = np.zeros((len(i), 3)), np.zeros(len(i))
    many.evaluate_many(base, o, i, tables(), value, pdf)
    return value, pdf


def sample(base: np.ndarray, o: np.ndarray, count: int, seed: int = 1):
    u = np.random.default_rng(seed).random((count, 3))
    i, weight, pdf, chosen = np.zeros((count, 3)), np.zeros((count, 3)), np.zeros(count), np.zeros(count)
    many.sample_many(base, np.tile(o, (count, 1)), u, tables(), i, weight, pdf, chosen)
    return i, np.where(chosen[:, None] >= 0, weight, 0.0), pdf, chosen


def furnace(base: np.ndarray, degrees: float, count: int = 60_000) -> np.ndarray:
    """What comes back of an even white light, three channels."""
    return sample(base, eye(degrees), count)[1].mean(axis=0)


def sphere(rows: int = 400, columns: int = 400) -> tuple[np.ndarray, float]:
    """Directions all over the sphere, each for the same part of it, and that part in steradians."""
    z = 1.0 - 2.0 * (np.arange(rows) + 0.5) / rows
    phi = 2.0 * np.pi * (np.arange(columns) + 0.5) / columns
    zz, pp = np.meshgrid(z, phi, indexing="ij")
    s = np.sqrt(1.0 - zz * zz)
    return np.stack([s * np.cos(pp), s * np.sin(pp), zz], axis=-1).reshape(-1, 3), 4.0 * np.pi / (rows * columns)


def glass(alpha: float = 0.0, index: float = 1.5) -> list[Lobe]:
    return [
        Lobe(L.REFLECT, 1.0, alpha, fresnel=L.DIELECTRIC, first=index),
        Lobe(L.REFRACT, 1.0, alpha, fresnel=L.DIELECTRIC, first=index),
    ]


def plastic(cover: int, alpha: float = 0.2, base: float = 1.0) -> list[Lobe]:
    top = Lobe(L.REFLECT, 1.0, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=cover)
    return [top, Lobe(L.DIFFUSE, base, under=top)]
