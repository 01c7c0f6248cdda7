"""Where nodes stand: matrices of 16 numbers for row vectors, from glTF's translations, turns and scales."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


_LENGTHS = {"matrix": 16, "scale": 3, "rotation": 4, "translation": 3}


def local(node: dict[str, Any]) -> Floats:
    """A node's matrix within its parent [4, 4], for row vectors; what of it is no numbers is left out (see `wrong`)."""
    said = {name: found for name in _LENGTHS if (found := _numbers(node, name)) is not None}
    if "matrix" in said:
        return said["matrix"].reshape(4, 4)  # columns of one for column vectors are rows of one for row vectors
    out = np.eye(4)
    if "scale" in said:
        out[:3, :3] = np.diag(said["scale"])
    if "rotation" in said:
        out[:3, :3] = out[:3, :3] @ turned(said["rotation"])
    if "translation" in said:
        out[3, :3] = said["translation"]
    return out


def wrong(node: dict[str, Any]) -> list[str]:
    """What of a node's transform is said and is no numbers, in sentences."""
    return [
        f"its {name} is no list of {length} finite numbers; it is left out"
        for name, length in _LENGTHS.items()
        if name in node and _numbers(node, name) is None
    ]


def _numbers(node: dict[str, Any], name: str) -> Floats | None:
    said = node.get(name)
    if not isinstance(said, list) or len(said) != _LENGTHS[name]:
        return None
    if not all(isinstance(part, int | float) and abs(part) < 1e300 for part in said):
        return None
    return np.array(said, dtype=np.float64)


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
