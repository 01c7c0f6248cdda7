"""A fit is gone on with by what is seen: knobs are turned until the guess at the drift is least.

Answers to pairs of directions weigh what an eye does not; a guess at a drift is what will be measured, from a few pixels, and takes
part of a second less than a measurement. Nelder and Mead's simplex (1965, as scipy has it) needs no slopes, which noise would spoil.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from durvan.crossing.looks.fit import Floats, Problem
from durvan.scene.graph import Graph

_ROUNDS, _EACH = 50, 14  # guesses in all: so many, and so many more for each knob
_STEP, _LEAST = 0.08, 0.02  # the first turn of a knob, of its number and at least


def polish(problem: Problem, starts: Sequence[Floats], apart: Callable[[Graph], float]) -> Floats | None:
    """The numbers at which two looks are nearest, from several starts; None without knobs. `apart` may raise what it likes."""
    from scipy.optimize import minimize  # a third of a second, which opening a scene need not wait for

    if not problem.knobs:
        return None
    low, high = np.array([knob.low for knob in problem.knobs]), np.array([knob.high for knob in problem.knobs])

    def far(numbers: Floats) -> float:
        return apart(problem.graph_at(np.clip(numbers, low, high).tolist()))

    best, least = None, np.inf
    for start in (*starts, None):  # and once more from the best of them
        start = best if start is None else start
        if start is None:
            break
        inside = np.clip(start, low, high)
        simplex = _simplex(inside, high)
        most = _ROUNDS + _EACH * len(inside)
        options = {"maxfev": most, "initial_simplex": simplex, "xatol": 1e-3, "fatol": 1e-2}
        found = minimize(far, inside, method="Nelder-Mead", options=options)
        if found.fun < least:
            best, least = np.clip(found.x, low, high), found.fun
    return best


def _simplex(start: Floats, high: Floats) -> Floats:
    """The start, and one more corner for each knob."""
    step = np.maximum(_STEP * np.abs(start), _LEAST)
    step = np.where(start + step <= high, step, -step)
    return np.vstack([start, start + np.diag(step)])
