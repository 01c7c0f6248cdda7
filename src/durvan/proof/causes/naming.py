"""Which of the causes that were found are named: those that can be seen, and that no other one brings with it.

A material that is another colour throws another light on what is around it, so its neighbours, and lights that reach them by it, seem
changed the same way, only less. Such a cause is a consequence: it stays in the sum, and is told with what it follows from.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from durvan.proof.causes.cells import Floats
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE, Group, Model
from durvan.proof.causes.solving import Solved, stops_of

_VISIBLE = {
    EXPOSURE: 0.03,
    WHITE: 0.03,
    RESPONSE: 0.04,
    LIGHT: 0.08,
    MATERIAL: 0.08,
}  # stops, or what an exponent is off by
_BESIDE = 0.09  # stops of exposure, or what an exponent is off by, that other causes leave over
_UNSURE = 0.4  # stops, where the pictures themselves are unsure
_SPREAD = 0.015  # stops over the picture, by the root of the mean square
_BLACK = 8.0  # stops in all channels that a material which gives no light at all counts for
_WEAK = 0.2  # of the strongest material: what bounced light may come to anywhere
_EVEN = 0.75  # of what a light is off by, what is the same wherever it falls: below it is what happened on its way
_SHADE = 0.05  # of the strongest cause: what is hardly seen beside it
_BOUNCED = 0.09  # of what a material is changed by, what light that it throws may come to all over the picture
_TINT = 0.1  # stops, from which a colour is off
_LESS, _ALIKE = 0.8, 0.85  # how much less, and how like in colour, what follows from a material is


@dataclass(frozen=True)
class Named:
    """A cause that is named: by how many stops the target must be changed in each channel, and what it comes to over the whole picture
    (the root of the mean square, in stops). `follows` names what it follows from, where it does.
    """

    group: Group
    stops: Floats
    spread: float
    follows: str = ""


def named(solved: Solved, unsure: bool = False) -> list[Named]:
    """The causes, the strongest over the whole picture first, and what follows from each behind them. Where pictures are `unsure`, as one
    is noisier, which bends what is dark, or had to be moved, causes have to be more than that.
    """
    every = [Named(one, stops_of(solved.model, one), _spread(solved.model, one)) for one in solved.groups]
    most = max((one.spread for one in every), default=0.0)
    seen = [one for one in every if _shows(one, len(every) > 1, unsure) and one.spread >= _SHADE * most]
    thrown = _BOUNCED * max((_size(one) for one in seen if one.group.kind == MATERIAL), default=0.0)
    seen = [one for one in seen if one.group.kind not in (EXPOSURE, WHITE) or float(np.abs(one.stops).max()) >= thrown]
    materials = sorted((one for one in seen if one.group.kind == MATERIAL), key=lambda one: -_size(one))
    strongest = max([_size(one) for one in materials[:1]] + [_BLACK for _ in solved.model.dark], default=0.0)
    own = [one for one in materials if not any(_brought(one, other, strongest) for other in materials)]
    if solved.model.dark:
        seen = [one for one in seen if one.group.kind != MATERIAL or _size(one) >= _WEAK * strongest]
    out = []
    for one in seen:
        if one.group.kind == MATERIAL:
            from_ = next((other for other in materials if _brought(one, other, strongest)), None)
        else:
            from_ = next((other for other in own if _thrown(one, other, _evenness(solved.model, one, own))), None)
        out.append(Named(one.group, one.stops, one.spread, from_.group.name if from_ is not None else ""))
    return sorted(out, key=lambda one: (bool(one.follows), -one.spread))


def _size(one: Named) -> float:
    return float(np.linalg.norm(one.stops))


def _shows(one: Named, others: bool, unsure: bool) -> bool:
    least = _VISIBLE[one.group.kind]
    if one.group.kind in (EXPOSURE, RESPONSE) and (others or unsure):
        least = _BESIDE
    elif one.group.kind in (LIGHT, MATERIAL) and unsure:
        least = _UNSURE
    return float(np.abs(one.stops).max()) >= least and one.spread >= _SPREAD * (2.0 if unsure else 1.0)


def _brought(one: Named, other: Named, strongest: float) -> bool:
    """Whether a material seems changed because of what another one throws on it."""
    if one is other or _size(one) > _LESS * _size(other):
        return False
    return _size(one) < _WEAK * strongest or (_alike(one, other) > _ALIKE and one.spread < other.spread)


def _thrown(one: Named, other: Named, even: float | None) -> bool:
    """Whether a light seems changed because of a material on its way: it is not changed the same wherever it falls. Where no passes tell,
    one that is changed as the material is.
    """
    if one.group.kind != LIGHT:
        return False
    if _tinted_alike(one, other):
        return True
    return even < _EVEN if even is not None else _alike(one, other) > _ALIKE and one.spread < other.spread


def _alike(one: Named, other: Named) -> float:
    return abs(float(one.stops @ other.stops)) / max(_size(one) * _size(other), 1e-9)


def _tinted_alike(one: Named, other: Named) -> bool:
    """Whether both are off in colour, and in the same one."""
    first, second = (np.asarray(named.stops - named.stops.mean()) for named in (one, other))
    sizes = float(np.linalg.norm(first)), float(np.linalg.norm(second))
    return min(sizes) > _TINT and abs(float(first @ second)) > _ALIKE * sizes[0] * sizes[1]


def _evenness(model: Model, one: Named, changed: list[Named]) -> float | None:
    """Of what a light is off by where it falls on the materials, the share that is the same for all, what the `changed` ones do
    themselves taken out; None where passes do not tell.
    """
    if one.group.kind != LIGHT or one.group.number not in model.both:
        return None
    n = int(np.nonzero(model.both == one.group.number)[0][0])
    regions, floor = model.regions, model.floor
    gain = np.broadcast_to(model.gain, regions.target[n].shape).copy()
    for material in changed:
        gain[material.group.number] += material.stops
    mine = regions.target[n] * np.exp2(gain)
    q = 0.5 * (mine + regions.source[n]) / (0.5 * (mine + regions.source[n]) + floor)
    apart = np.log2(regions.source[n] + floor) - np.log2(mine + floor)
    weight = regions.weight[n][:, None]
    left = apart - q * one.stops
    return 1.0 - float((weight * left**2).sum() / max(float((weight * apart**2).sum()), 1e-12))


def _spread(model: Model, group: Group) -> float:
    """By how much a cause changes the picture, in stops: the root of the mean square over blocks and channels."""
    without = Model(model.cells, parts_of=model)
    without.gain, without.bend = model.gain.copy(), model.bend
    without.lights, without.materials = model.lights.copy(), model.materials.copy()
    if group.kind == LIGHT:
        without.lights[group.number] = 0.0
    elif group.kind == MATERIAL:
        without.materials[group.number] = 0.0
    elif group.kind == RESPONSE:
        without.bend = 0.0
    else:
        mean = model.gain.mean()
        without.gain = model.gain - mean if group.kind == EXPOSURE else np.full(3, mean)
    return float(np.sqrt(((model.residual() - without.residual()) ** 2).mean()))
