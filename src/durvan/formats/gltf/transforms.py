"""Where nodes stand: matrices of 16 numbers for row vectors, from glTF's translations, turns and scales."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def local(node: dict[str, Any]) -> Floats:
    """A node's matrix within its parent [4, 4], for row vectors; where its numbers are none, that it stands still."""
    said = node.get("matrix")
    if isinstance(said, list) and len(said) == 16:
        return _finite(said).reshape(4, 4)  # columns of one for column vectors are rows of one for row vectors
    out = np.eye(4)
    scale, turn, move = node.get("scale"), node.get("rotation"), node.get("translation")
    if isinstance(scale, list) and len(scale) == 3:
        out[:3, :3] = np.diag(_finite(scale))
    if isinstance(turn, list) and len(turn) == 4:
        out[:3, :3] = out[:3, :3] @ turned(_finite(turn))
    if isinstance(move, list) and len(move) == 3:
        out[3, :3] = _finite(move)
    return out


def _finite(numbers: list[Any]) -> Floats:
    try:
        return np.nan_to_num(np.array(numbers, dtype=np.float64))
    except (TypeError, ValueError):
        return np.zeros(len(numbers))


def turned(quaternion: Floats) -> Floats:
    """A turn by a quaternion (x, y, z, w) as a matrix [3, 3] for row vectors; of no length, no turn."""
    length = float(np.linalg.norm(quaternion))
    if length < 1e-12:
        return np.eye(3)
    x, y, z, w = quaternion / length
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)],
            [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)],
            [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def many_turned(quaternions: Floats) -> Floats:
    """The same of many [n, 4]: [n, 3, 3]."""
    return np.stack([turned(one) for one in quaternions]) if len(quaternions) else np.zeros((0, 3, 3))
