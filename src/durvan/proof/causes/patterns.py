"""Materials whose looks differ in a way that no factor says: a picture that is not there, other noise, another roughness."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.proof.causes.cells import Floats
from durvan.proof.causes.model import Model

_LEAST = 40  # blocks of a material
_SEEN = 0.12  # stops that its places are apart, by the root of the mean square
_MORE = 2.5  # times what others are
_MOST = 1.5  # stops that a place may be apart
_FLAT = 0.35  # of the other side's detail
_DETAIL = 0.08  # stops of detail that the other side has to have


@dataclass(frozen=True)
class Pattern:
    """A material by its place: how far its places are apart (root of the mean square, in stops), and on which side it has hardly any detail
    ("source", "target", "" for neither).
    """

    number: int
    apart: float
    flat: str


def patterns(model: Model) -> list[Pattern]:
    """Materials whose places are further apart than those of the others, once all causes are undone. What neighbours in a row have in common
    counts: noise is another one at each.
    """
    left = np.clip(model.residual(), -_MOST, _MOST)
    seen = model.cells.material
    beside = np.append(seen[1:] == seen[:-1], False) & (model.cells.purity > 0.9)
    common = np.append((left[1:] * left[:-1]).mean(axis=1), 0.0)
    found = {}
    for number in np.unique(seen[seen >= 0]):
        here = (seen == number) & beside
        if int(here.sum()) >= _LEAST:
            found[int(number)] = (float(np.sqrt(max(common[here].mean(), 0.0))), here)
    usual = float(np.median([apart for apart, _ in found.values()])) if found else 0.0
    return [
        Pattern(number, apart, flat_side(model, here))
        for number, (apart, here) in found.items()
        if apart > _SEEN and apart > _MORE * usual
    ]


def flat_side(model: Model, here: NDArray[np.bool_]) -> str:
    """On which side a region has hardly any detail, where the other has some."""
    source, target = (_detail(model, values, here) for values in (model.cells.source, model.changed()[0]))
    if max(source, target) < _DETAIL:
        return ""
    return "target" if target < _FLAT * source else "source" if source < _FLAT * target else ""


def _detail(model: Model, values: Floats, here: NDArray[np.bool_]) -> float:
    """How far neighbours in a row are apart, in stops, beyond their noise."""
    stops = np.log2(np.maximum(values.mean(axis=1), 0.0) + model.floor)
    both = here[1:] & here[:-1]
    if not both.any():
        return 0.0
    steps = np.diff(stops)[both]
    noise = 1.0 / np.maximum(model.weight[1:][both], 1e-12)
    return float(np.sqrt(max(float(np.median(steps * steps)) / 0.455 - float(np.median(noise)), 0.0)))
