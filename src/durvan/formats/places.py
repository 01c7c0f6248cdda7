"""Whether something stands in a written file where it was meant to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from durvan.optics.sun import towards
from durvan.scene.written import WrittenThing

Floats = NDArray[np.float64]
_NEAR = 1e-5


def stands_as_meant(
    wanted: WrittenThing, upright: Floats, stands: Floats, turned: bool = True, placed: bool = True
) -> bool:
    """Whether `stands` [4, 4] (row vectors, metres with Y up) is where a thing was meant to be. `upright` turns the source's unit and
    axes into the file's; of what is not `turned`, only the place counts, of what is not `placed`, only the direction.
    """
    if wanted.towards is not None:
        return bool(np.allclose(_unit(stands[2, :3]), towards(*wanted.towards), atol=_NEAR))
    if not wanted.matrix:
        return True
    meant = np.array(wanted.matrix).reshape(4, 4) @ upright
    near = _NEAR * max(1.0, float(np.abs(meant[3, :3]).max()))
    there = not placed or bool(np.allclose(stands[3, :3], meant[3, :3], rtol=0.0, atol=near))
    return there and (not turned or bool(np.allclose(_unit(stands[2, :3]), _unit(meant[2, :3]), atol=_NEAR)))


def _unit(axis: Floats) -> Floats:
    return np.asarray(axis / max(float(np.linalg.norm(axis)), 1e-12))
