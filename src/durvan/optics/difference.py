"""How far apart two colours look: CIELAB and CIEDE2000, over arrays."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
# Linear Rec.709 to XYZ (IEC 61966-2-1), divided by its own white, so that white is L* 100 exactly
_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_TO_XYZ = _TO_XYZ / _TO_XYZ.sum(axis=1, keepdims=True)
_25_TO_7 = 25.0**7


def cielab(rgb: ArrayLike) -> Array:
    """L*, a*, b* [..., 3] of linear Rec.709 values [..., 3], 1 being display white (CIE 15:2018, 8.2.1; D65)."""
    xyz = np.asarray(rgb, dtype=np.float64) @ _TO_XYZ.T
    t = np.maximum(xyz, 0.0)
    delta = 6.0 / 29.0
    f = np.where(t > delta**3, np.cbrt(t), t / (3.0 * delta**2) + 4.0 / 29.0)
    x, y, z = f[..., 0], f[..., 1], f[..., 2]
    return np.stack([116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)], axis=-1)


def ciede2000(first: ArrayLike, second: ArrayLike) -> Array:
    """Colour difference [...] of two arrays of L*, a*, b* [..., 3] (Sharma, Wu & Dalal 2005)."""
    one, two = np.asarray(first, dtype=np.float64), np.asarray(second, dtype=np.float64)
    l1, a1, b1 = one[..., 0], one[..., 1], one[..., 2]
    l2, a2, b2 = two[..., 0], two[..., 1], two[..., 2]
    mean7 = (0.5 * (np.hypot(a1, b1) + np.hypot(a2, b2))) ** 7
    g = 1.5 - 0.5 * np.sqrt(mean7 / (mean7 + _25_TO_7))
    a1, a2 = a1 * g, a2 * g
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1 = np.degrees(np.arctan2(b1, a1)) % 360.0
    h2 = np.degrees(np.arctan2(b2, a2)) % 360.0
    grey = c1 * c2 == 0.0
    turn = h2 - h1
    turn = np.where(turn > 180.0, turn - 360.0, np.where(turn < -180.0, turn + 360.0, turn))
    turn = np.where(grey, 0.0, turn)
    dl, dc = l2 - l1, c2 - c1
    dh = 2.0 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2.0)
    light, c = 0.5 * (l1 + l2), 0.5 * (c1 + c2)
    total = h1 + h2
    h = np.where(
        np.abs(h1 - h2) <= 180.0, 0.5 * total, np.where(total < 360.0, 0.5 * total + 180.0, 0.5 * total - 180.0)
    )
    h = np.where(grey, total, h)
    t = (
        1.0 - 0.17 * np.cos(np.radians(h - 30.0)) + 0.24 * np.cos(np.radians(2.0 * h))
        + 0.32 * np.cos(np.radians(3.0 * h + 6.0)) - 0.20 * np.cos(np.radians(4.0 * h - 63.0))
    )  # fmt: skip
    l50 = (light - 50.0) ** 2
    sl = 1.0 + 0.015 * l50 / np.sqrt(20.0 + l50)
    sc, sh = 1.0 + 0.045 * c, 1.0 + 0.015 * c * t
    c7 = c**7
    twist = -2.0 * np.sqrt(c7 / (c7 + _25_TO_7)) * np.sin(np.radians(60.0 * np.exp(-(((h - 275.0) / 25.0) ** 2))))
    dl, dc, dh = dl / sl, dc / sc, dh / sh
    return np.asarray(np.sqrt(np.maximum(dl * dl + dc * dc + dh * dh + twist * dc * dh, 0.0)))
