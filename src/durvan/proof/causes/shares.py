"""What each cause owns of a difference: how much of it goes when the cause is undone, on average over the orders of undoing (Shapley 1953)."""

from __future__ import annotations

import itertools
import math

import numpy as np

from durvan.proof.causes.cells import Floats
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE, Model

Key = tuple[str, int]
Keys = tuple[Key, ...]
_EXACT = 6  # causes up to which every order counts; of more, those are taken in order of their size
_MOST = 3.0  # stops that a block may be apart


def energy(model: Model, undone: frozenset[Key]) -> float:
    """The mean square of what is left, in stops, where some causes are undone and the others not."""
    part = Model(model.cells, parts_of=model)
    gain = np.zeros(3)
    mean = float(model.gain.mean())
    gain += mean if (EXPOSURE, -1) in undone else 0.0
    gain += model.gain - mean if (WHITE, -1) in undone else 0.0
    part.gain, part.bend = gain, model.bend if (RESPONSE, -1) in undone else 0.0
    for kind, number in undone:
        if kind == LIGHT:
            part.lights[number] = model.lights[number]
        elif kind == MATERIAL:
            part.materials[number] = model.materials[number]
    left = np.clip(part.residual(), -_MOST, _MOST)
    return float((left * left).mean())


def owned(model: Model, causes: list[Keys]) -> Floats:
    """The mean square in stops that each cause owns, together with what follows from it."""
    known: dict[frozenset[Keys], float] = {}

    def left(undone: frozenset[Keys]) -> float:
        if undone not in known:
            known[undone] = energy(model, frozenset(itertools.chain.from_iterable(undone)))
        return known[undone]

    count = len(causes)
    out = np.zeros(count)
    if count > _EXACT:
        for n in range(count):
            out[n] = left(frozenset(causes[:n])) - left(frozenset(causes[: n + 1]))
        return np.maximum(out, 0.0)
    for n, one in enumerate(causes):
        others = [other for other in causes if other != one]
        for size in range(count):
            weight = math.factorial(size) * math.factorial(count - size - 1) / math.factorial(count)
            for some in itertools.combinations(others, size):
                out[n] += weight * (left(frozenset(some)) - left(frozenset((*some, one))))
    return np.maximum(out, 0.0)
