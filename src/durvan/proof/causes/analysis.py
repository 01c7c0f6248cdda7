"""The whole of it: both pictures laid on each other, their causes, what each owns of the difference, and what is left."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from durvan.proof import kernels
from durvan.proof.aligning import Details, shift_of
from durvan.proof.bands import over_bands
from durvan.proof.causes.cells import Floats, cells_of, kept
from durvan.proof.causes.model import MATERIAL, RESPONSE, Model
from durvan.proof.causes.naming import named
from durvan.proof.causes.noise import in_stops, noise_ratio, with_noise
from durvan.proof.causes.patterns import patterns
from durvan.proof.causes.solving import Solved, refitted, solve
from durvan.proof.causes.views import Instead, seen_instead
from durvan.proof.picture import Picture
from durvan.proof.standing import Stance, stances, stood

CAMERA, NOISE, VIEW = "camera", "noise", "view"
_BENT = 0.05  # what a response is off by, from which it is taken out of every pixel: a mean of bent values is not bent
_AGAIN = 3
_SHIFTED, _SURE = 0.2, 0.1  # pixels that are a shift, and how high the peak has to be
_BETTER, _NOISY = (
    0.1,
    0.3,
)  # of the difference beyond noise, that goes by moving a picture; of all of it there is so much at least
_NOISIER = 2.2  # times the variance, from which one side is noisier
_MOST = 3.0  # stops that a pixel may be apart
_EVERY = 4  # pixels, of which one is looked at for what is in the middle
_LEAST = 12  # blocks
_LARGEST = 1e9  # times display white
_TRUST = 2.0  # how far off what renderers say of their own noise may be: of bright specks they have seen but few
_NOTHING = 0.0005  # of the difference, below which a cause is none
_PATTERN = 0.02  # of the difference, that a pattern has to be


@dataclass(frozen=True)
class Cause:
    """Something that makes a difference. `stops` [3] is by how much the target must be changed to be the source, of a response `exponent`
    instead; `share` (0 to 1) is what it owns of the whole difference. Of the camera `stance` says how the source lies on the target; of noise
    `ratio` is the target's variance against the source's; of a `view` that shows other things `instead` says which.
    `flat` says on which side a material has no detail. What `follows` it is in its share.
    """

    kind: str
    name: str = ""
    stops: Floats | None = None
    share: float = 0.0
    exponent: float = 1.0
    stance: Stance | None = None
    ratio: float = 1.0
    flat: str = ""
    apart: float = 0.0
    follows: tuple[str, ...] = ()
    instead: Instead | None = None


@dataclass(frozen=True)
class Analysis:
    """What was found: the causes, largest share first; the whole difference (root of the mean square, in stops), and the shares of noise,
    whoever it is, and of what nothing explains.
    """

    causes: tuple[Cause, ...]
    apart: float
    noise: float
    unexplained: float
    solved: Solved


def analyse(source: Picture, target: Picture) -> Analysis:
    """What of the difference between two pictures of one size is whose."""
    source, target = (replace(one, variance=with_noise(one)) for one in (_within(source), _within(target)))
    stance, lying = _laid(source, target)
    straight, exponent, solved, instead = _solved(lying, target, stance is not None)
    floor = solved.model.floor
    whole = _apart(source, target, floor)
    there = 1.0 - instead.share if instead is not None else 1.0  # of the picture, that shows the same on both sides
    if solved.model.cells.count < _LEAST and instead is None:  # too little to tell anything by
        return Analysis((), float(np.sqrt(whole)), 0.0, float(whole > 0.0), solved)
    still = _apart(lying, target, floor) if stance is not None else whole
    noise = [in_stops(one.variance, one, floor) for one in (straight, target) if one.variance is not None]
    ratio = noise_ratio(straight, target, floor)
    noisier = max(ratio, 1.0 / max(ratio, 1e-9)) > _NOISIER and sum(noise) > 1e-5
    bent = max(still - _apart(straight, target, floor), 0.0) if straight is not lying else 0.0
    causes = (
        _causes(solved, exponent, bent, noisier or stance is not None) if solved.model.cells.count >= _LEAST else []
    )
    patterned = _add_patterns(causes, solved, still, stance is not None)
    beside, coarse = there * patterned, there * max(_coarse(solved) - patterned, 0.0)
    for n, one in enumerate(causes):
        if one.flat:  # what is missing is finer than blocks
            mine = max(one.share, _over_material(straight, target, one.name, floor, sum(noise)))
            beside += there * (mine - one.share)
            causes[n] = replace(one, share=mine)
    causes = [replace(one, share=there * one.share) for one in causes]
    if instead is not None:
        causes.append(Cause(VIEW, share=instead.apart(straight, target, floor), instead=instead))
        beside += causes[-1].share
    if stance is not None:
        causes.append(Cause(CAMERA, share=max(whole - still, 0.0), stance=stance))
    explained = max(whole - still, 0.0) + bent + there * _explained(solved) + beside
    noisy = min(max(whole - min(explained, whole) - coarse, 0.0), _TRUST * sum(noise))
    shared = _shared(causes, min(explained, whole - noisy))
    if noisier:
        shared.append(Cause(NOISE, share=noisy, ratio=ratio))
    total = max(whole, 1e-12)
    shared = sorted((replace(one, share=one.share / total) for one in shared), key=lambda one: -one.share)
    shared = [one for one in shared if one.share >= _NOTHING]
    mine = sum(one.share for one in shared if one.kind != NOISE)
    return Analysis(tuple(shared), float(np.sqrt(whole)), noisy / total, max(1.0 - mine - noisy / total, 0.0), solved)


def _within(picture: Picture) -> Picture:
    """A picture whose values are such as a picture has; beyond that they are no numbers."""
    rgb = np.ascontiguousarray(picture.rgb, dtype=np.float32)
    found = np.zeros((rgb.shape[0], 1), dtype=np.int64)  # each band adds to its own
    over_bands(rgb.shape[0], lambda first, end: kernels.wild(rgb, _LARGEST, first, end, found[first]))
    if not found.any():
        return picture
    with np.errstate(invalid="ignore"):
        return replace(picture, rgb=np.where(np.abs(rgb) < _LARGEST, rgb, np.float32(np.nan)))


def _shared(causes: list[Cause], explained: float) -> list[Cause]:
    """What is explained, dealt out by what each cause alone comes to: causes that pull against each other are both told."""
    whole = sum(one.share for one in causes)
    return [replace(one, share=explained * one.share / max(whole, 1e-12)) for one in causes]


def _explained(solved: Solved) -> float:
    """The mean square in stops that goes when all causes are undone."""
    if not solved.model.cells.count:
        return 0.0
    nothing = Model(solved.model.cells, parts_of=solved.model)
    before, after = (float((np.clip(one.residual(), -_MOST, _MOST) ** 2).mean()) for one in (nothing, solved.model))
    return max(before - after, 0.0)


def _causes(solved: Solved, exponent: float, bent: float, unsure: bool) -> list[Cause]:
    """What is named, with the mean square in stops that each comes to in place of a share; `bent` is that of the response that was taken
    out of every pixel.
    """
    found = named(solved, unsure)
    causes = []
    for one in found:
        if one.follows:
            continue
        after = [other for other in found if other.follows and other.follows == one.group.name]
        is_response = one.group.kind == RESPONSE
        power = exponent * (1.0 + float(one.stops[0])) if is_response else 1.0
        part = sum(each.spread**2 for each in (one, *after)) + bent * is_response
        names = tuple(other.group.name for other in after)
        causes.append(Cause(one.group.kind, one.group.name, one.stops, part, power, follows=names))
    if abs(exponent - 1.0) > _BENT and not any(one.kind == RESPONSE for one in causes):
        causes.append(Cause(RESPONSE, share=bent, exponent=exponent))
    return causes


def _coarse(solved: Solved) -> float:
    """The mean square in stops of what is left between blocks, beyond their noise."""
    model = solved.model
    if not model.cells.count:
        return 0.0
    left = np.clip(model.residual(), -_MOST, _MOST)
    return max(float((left * left).mean() - np.minimum(model.unsure, _MOST).mean()), 0.0)


def _laid(source: Picture, target: Picture) -> tuple[Stance | None, Picture]:
    """The source as it lies on the target, and how it had to be moved, where that makes the difference smaller; no further than it does."""
    some = target.rgb[::_EVERY, ::_EVERY]
    numbers = some[np.isfinite(some)]
    if not numbers.size:
        return None, source
    floor = 0.02 * float(np.median(numbers)) + 1e-9
    found, there, left, noise = None, source, -1.0, 0.0
    for stance in _stances(source, target):
        if left < 0.0:
            left = _apart(source, target, floor)
            noise = sum(in_stops(one.variance, one, floor) for one in (source, target) if one.variance is not None)
        moved = stood(source, stance)
        apart = _apart(moved, target, floor)
        if left - apart > _BETTER * max(left - noise, _NOISY * left):
            found, there, left = stance, moved, apart
    return found, there


def _stances(source: Picture, target: Picture) -> Iterator[Stance]:
    """What is to be tried, the simplest first."""
    details = Details.of(source.rgb, target.rgb)
    shift = shift_of(details)
    if shift.length >= _SHIFTED and shift.sure >= _SURE:
        yield Stance((shift.right, shift.down, *[0.0] * 7), shift.sure)
    yield from stances(source, details)


def _apart(source: Picture, target: Picture, floor: float) -> float:
    """The mean square of how far two pictures are apart, in stops."""
    one, two = (np.ascontiguousarray(picture.rgb, dtype=np.float32) for picture in (source, target))
    rows = np.zeros((one.shape[0], 2))  # each band adds to its own

    def some(first: int, end: int) -> None:
        kernels.apart(one, two, floor, _MOST, first, end, rows[first])

    over_bands(one.shape[0], some)
    total, count = rows.sum(axis=0)
    return float(total / max(count, 1.0))


def _over_material(source: Picture, target: Picture, name: str, floor: float, noise: float) -> float:
    """The mean square in stops over the picture that two are apart in where a material is seen, beyond a mean square of noise."""
    ids = target.materials or source.materials
    if ids is None or name not in ids.names:
        return 0.0
    here = ids.numbers == ids.names.index(name)
    rgb = np.where(here[..., None], target.rgb, np.float32(np.nan))
    return max(_apart(source, replace(target, rgb=rgb), floor) - noise, 0.0) * float(here.mean())


def _solved(source: Picture, target: Picture, inside: bool) -> tuple[Picture, float, Solved, Instead | None]:
    """The causes, with a response taken out of every pixel of the source: the source without it, its exponent, and what was found then."""
    exponent, straight = 1.0, source
    solved, instead = _without_consequences(straight, target, inside)
    for _ in range(_AGAIN):
        if not any(one.kind == RESPONSE for one in solved.groups) or abs(solved.model.bend) < _BENT:
            break
        exponent *= 1.0 + solved.model.bend
        straight = unbent(source, exponent)
        solved, instead = _without_consequences(straight, target, inside)
    return straight, exponent, solved, instead


def _without_consequences(source: Picture, target: Picture, inside: bool) -> tuple[Solved, Instead | None]:
    """The causes, found once more without those that only follow from others: such a one takes a part of what it follows from, and others
    then make up for it. And without the places where both see other things.
    """
    cells = cells_of(source, target, inside)
    instead = seen_instead(source, target, cells)
    if instead is not None:
        cells = kept(cells, ~instead.where)
    solved = solve(cells)
    after = {one.group for one in named(solved) if one.follows}
    return refitted(solved, [one for one in solved.groups if one not in after]) if after else solved, instead


def _add_patterns(causes: list[Cause], solved: Solved, still: float, moved: bool) -> float:
    """Materials that are otherwise than by a factor: as what is wrong with one that is named; else, where no material is named that they could
    mirror, by themselves. Where a picture was `moved` only what has no detail counts: what is left of patterns then is that they lie otherwise.
    Gives the mean square in stops that they come to.
    """
    cells, found = solved.model.cells, 0.0
    for number, side in solved.model.dark:
        here = cells.material == number
        left = solved.model.residual()[here]
        share = float((np.clip(left, -_MOST, _MOST) ** 2).sum() / max(3 * cells.count, 1))
        apart = float(np.abs(left).mean())
        causes.append(Cause(MATERIAL, cells.materials[number], left.mean(axis=0), share, flat=side, apart=apart))
        found += share
    alone = not any(cause.kind == MATERIAL for cause in causes)
    for one in patterns(solved.model):
        if moved and not one.flat:
            continue
        name = cells.materials[one.number]
        share = one.apart**2 * float((cells.material == one.number).mean())
        known = next((n for n, cause in enumerate(causes) if (cause.kind, cause.name) == (MATERIAL, name)), None)
        if known is not None:
            mine = causes[known].share + share
            causes[known] = replace(causes[known], share=mine, flat=one.flat, apart=one.apart)
            found += share
        elif alone and share > _PATTERN * still:
            causes.append(Cause(MATERIAL, name, np.zeros(3), share, flat=one.flat, apart=one.apart))
            found += share
    return found


def unbent(picture: Picture, exponent: float) -> Picture:
    """A picture without a response: its values to the power of 1 / exponent; what is beyond numbers then is none."""
    power = 1.0 / exponent
    level = np.maximum(picture.rgb, 0.0)
    variance = picture.variance
    with np.errstate(over="ignore", invalid="ignore"):
        if variance is not None:
            grey = np.maximum(level.mean(axis=2), 1e-6)
            variance = np.minimum(variance * (power * grey ** (power - 1.0)) ** 2, 1e24).astype(np.float32)
        return replace(picture, rgb=(level**power).astype(np.float32), variance=variance)
