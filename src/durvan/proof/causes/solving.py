"""Which causes there are, and how large: taken one after the other, and given up again where they turn out to be little."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from durvan.proof.causes.cells import Cells, Floats
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE, Group, Model

MOST = 10  # causes
_CHANCE = 40.0  # what each unknown of a cause must explain at least, in units of what blocks are unsure by
_PART = 0.02  # of what is left, besides
_EACH = {
    LIGHT: 0.2
}  # of what a cause explains, each further unknown must have earned: a light's colour is seldom wrong
_RARE = {RESPONSE: 0.6}  # a curve bends itself to what is no curve
_SLIGHT, _WORSE = 0.06, 1.3  # stops that nobody misses, and how much more may be left for a simpler story
_STEPS = 5
_RIDGE = 1e-3  # of each unknown's own weight: of two that do the same neither runs away


@dataclass(frozen=True)
class Solved:
    """The model with its causes taken, these, and the energy before and after, in squared stops."""

    model: Model
    groups: tuple[Group, ...]
    before: float
    after: float


def solve(cells: Cells) -> Solved:
    """Find the causes."""
    model = Model(cells)
    groups = model.groups()
    chosen: list[Group] = []
    before = model.equations()[2]
    while len(chosen) < MOST:
        best = _best(model, groups, chosen)
        if best is None:
            break
        chosen = [one for one in chosen if (one.kind, one.number) != (best.kind, best.number)] + [best]
        model = _fitted(model, chosen)
    model, chosen = _pruned(model, chosen)
    model, chosen = _simpler(model, chosen, groups)
    return Solved(model, tuple(chosen), before, model.equations()[2])


def _simpler(model: Model, chosen: list[Group], groups: list[Group]) -> tuple[Model, list[Group]]:
    """The same by fewer causes, where one that is everywhere stands for several: all lights but one are one exposure and that one."""
    for one in groups:
        lights = [other for other in chosen if other.kind == LIGHT]
        if one.kind not in (EXPOSURE, WHITE) or any(one is other for other in chosen) or len(lights) < 2:
            continue
        for light in lights:
            instead = [one, *(other for other in chosen if other is not light)]
            there = _fitted(model, instead)
            seen = [each for each in instead if float(np.abs(stops_of(there, each)).max()) > _SLIGHT]
            there, fewer = _pruned(_fitted(model, seen), seen)
            if len(fewer) < len(chosen) and there.equations()[2] < _CHANCE + _WORSE * model.equations()[2]:
                return there, fewer
    return model, chosen


def refitted(solved: Solved, groups: list[Group]) -> Solved:
    """The same with some of its causes alone, without those of them that are little then."""
    model, chosen = _pruned(_fitted(solved.model, groups), groups)
    return Solved(model, tuple(chosen), solved.before, model.equations()[2])


def _whole(gram: Floats, right: Floats) -> tuple[Floats, Floats]:
    size = gram.shape[1]
    made = np.zeros((3 * size, 3 * size))
    for c in range(3):
        made[c * size : (c + 1) * size, c * size : (c + 1) * size] = gram[c]
    return made, right.reshape(-1)


def _reduction(gram: Floats, right: Floats, basis: Floats) -> tuple[float, Floats]:
    """How much energy unknowns take away at best, and their values."""
    inner = basis.T @ gram @ basis
    inner[np.diag_indices_from(inner)] *= 1.0 + _RIDGE
    inner[np.diag_indices_from(inner)] += 1e-9
    wanted = basis.T @ right
    values = np.asarray(np.linalg.solve(inner, wanted), dtype=np.float64)
    return float(wanted @ values), values


def _best(model: Model, groups: list[Group], chosen: list[Group]) -> Group | None:
    """The cause that explains most of what is left for its unknowns; None where none explains enough."""
    gram, right, left = model.equations()
    gram, right = _whole(gram, right)
    known = [one.basis for one in chosen]
    base = _reduction(gram, right, np.hstack(known))[0] if known else 0.0
    best, most = None, 0.0
    for one in groups:
        if any(one is other for other in chosen):
            continue
        if any((one.kind, one.number) == (o.kind, o.number) and o.basis.shape[1] >= one.basis.shape[1] for o in chosen):
            continue
        more = _reduction(gram, right, np.hstack([*known, one.basis]))[0] - base
        worth = more * (1.0 - _EACH.get(one.kind, 0.1) * (one.basis.shape[1] - 1)) * _RARE.get(one.kind, 1.0)
        if worth > most:
            best, most = one, worth
    return best if best is not None and most > max(_CHANCE * best.basis.shape[1], _PART * left) else None


def _fitted(like: Model, chosen: list[Group]) -> Model:
    """The model with some causes, from the beginning: what one explains may be another's."""
    model = Model(like.cells, parts_of=like)
    if not chosen:
        return model
    basis = np.hstack([one.basis for one in chosen])
    for _ in range(_STEPS):
        gram, right, _ = model.equations()
        whole, wanted = _whole(gram, right)
        _, values = _reduction(whole, wanted, basis)
        step = np.clip(basis @ values, -3.0, 3.0)
        model.move(step)
        if float(np.abs(step).max()) < 1e-4:
            break
    return model


def _pruned(model: Model, chosen: list[Group]) -> tuple[Model, list[Group]]:
    """Without the causes whose lack hardly shows, by the equations about what was found."""
    while chosen:
        gram, right, now = model.equations()
        whole, wanted = _whole(gram, right)
        known = _values(model, chosen)
        costs = [_cost(whole, wanted, chosen, known, n) for n in range(len(chosen))]
        least = int(np.argmin([cost / one.basis.shape[1] for cost, one in zip(costs, chosen, strict=True)]))
        if costs[least] > max(_CHANCE * chosen[least].basis.shape[1], 0.5 * _PART * now):
            break
        chosen = [one for n, one in enumerate(chosen) if n != least]
        model = _fitted(model, chosen)
    return model, chosen


def _values(model: Model, chosen: list[Group]) -> list[Floats]:
    """The unknowns of each cause as they were found."""
    every = np.concatenate(
        [np.concatenate([[model.gain[c], model.bend], model.lights[:, c], model.materials[:, c]]) for c in range(3)]
    )
    return [np.linalg.lstsq(one.basis, every, rcond=None)[0] for one in chosen]


def _cost(gram: Floats, right: Floats, chosen: list[Group], known: list[Floats], number: int) -> float:
    """How much energy it costs to take a cause away, the others making up for it as far as they can."""
    step = -(chosen[number].basis @ known[number])
    others = [one.basis for n, one in enumerate(chosen) if n != number]
    raw = float(step @ gram @ step - 2.0 * right @ step)
    if not others:
        return raw
    return raw - _reduction(gram, right - gram @ step, np.hstack(others))[0]


def stops_of(model: Model, group: Group) -> Floats:
    """By how many stops a cause changes the target, per channel; of a response its exponent less 1."""
    if group.kind == LIGHT:
        return np.asarray(model.lights[group.number])
    if group.kind == MATERIAL:
        return np.asarray(model.materials[group.number])
    if group.kind == RESPONSE:
        return np.full(3, model.bend)
    mean = np.full(3, model.gain.mean())
    return mean if group.kind == EXPOSURE else model.gain - mean
