"""What the target would look like without one of the causes: its predicted picture, before anybody mends it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from durvan.proof.causes.analysis import CAMERA, VIEW, Cause
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE
from durvan.proof.looking.pair import material_mask
from durvan.proof.picture import Picture, Pixels
from durvan.proof.standing import taken_back

_GONE = 6.0  # stops, from which a light is not there on one side


def predicted(source: Picture, target: Picture, cause: Cause) -> Pixels | None:
    """The target without a cause [height, width, 3]: where it shows other things, or a material without its detail, as the source does there.
    None where nothing is known that would say so (noise, ids or passes that are not there).
    """
    if cause.kind == CAMERA and cause.stance is not None:
        return taken_back(target.rgb, cause.stance)
    if cause.kind == RESPONSE:
        return np.asarray(np.maximum(target.rgb, 0.0) ** np.float32(1.0 / cause.exponent), dtype=np.float32)
    if cause.kind == VIEW and cause.instead is not None:
        return _as_the_source(source, target, cause.instead.mask(target.size))
    if cause.flat:
        masks = [material_mask(picture, cause.name) for picture in (source, target)]
        there = [one for one in masks if one is not None]
        return _as_the_source(source, target, np.logical_and.reduce(there)) if there else None
    if cause.stops is None:
        return None
    factors = np.exp2(cause.stops).astype(np.float32)
    if cause.kind in (EXPOSURE, WHITE):
        return np.asarray(target.rgb * factors, dtype=np.float32)
    if cause.kind == MATERIAL:
        where = material_mask(target, cause.name)
        return np.where(where[..., None], target.rgb * factors, target.rgb) if where is not None else None
    return _relit(source, target, cause, factors) if cause.kind == LIGHT else None


def _as_the_source(source: Picture, target: Picture, where: NDArray[np.bool_]) -> Pixels:
    """The source's pixels in some places, as bright as the target is against it in the others."""
    lit = ~where & (source.rgb.min(axis=2) > 0.0) & (target.rgb.min(axis=2) > 0.0)
    lit &= np.isfinite(source.rgb).all(axis=2) & np.isfinite(target.rgb).all(axis=2)
    gain = np.median(target.rgb[lit] / source.rgb[lit], axis=0) if lit.any() else np.ones(3, np.float32)
    return np.where(where[..., None], source.rgb * gain, target.rgb).astype(np.float32)


def _relit(source: Picture, target: Picture, cause: Cause, factors: Pixels) -> Pixels | None:
    """With one light otherwise: by its pass on the target, or on the source where the target does not have it."""
    assert cause.stops is not None
    gone = float(cause.stops.mean()) > _GONE
    read = source.lights.get(cause.name) if gone else target.lights.get(cause.name)
    if read is None:
        return None
    light = read()
    return np.asarray(target.rgb + (light if gone else light * (factors - 1.0)), dtype=np.float32)
