"""What hair and fur absorb: by the colour that many fibres have together, and by their pigments.

Absorption is per radius of a fibre, three channels of linear Rec.709.
"""

from __future__ import annotations

import math

import numpy as np

BLACK = (0.506, 0.841, 1.653)  # of eumelanin (d'Eon et al. 2011, table 1)
RED = (0.343, 0.733, 1.924)  # of pheomelanin
Colour = tuple[float, ...]


def _scale(around: float) -> float:
    """Chiang et al. 2016, eq. 9, for a roughness around the fibre from 0 to 1."""
    b = around
    return 5.969 - 0.215 * b + 2.532 * b**2 - 10.73 * b**3 + 5.574 * b**4 + 0.245 * b**5


def absorption_of_tint(tint: Colour, around: float) -> Colour:
    """What fibres absorb that have a colour when many of them scatter into each other (Chiang et al. 2016, eq. 9)."""
    return tuple((math.log(min(max(part, 1e-6), 1.0)) / _scale(around)) ** 2 for part in tint)


def tint_of_absorption(absorption: Colour, around: float) -> Colour:
    """The colour that many fibres have together."""
    return tuple(math.exp(-math.sqrt(max(part, 0.0)) * _scale(around)) for part in absorption)


def absorption_of_pigments(melanin: float, redness: float) -> Colour:
    """By how much pigment there is (0 white, 1 black) and how much of it is red."""
    amount = -math.log(max(1.0 - melanin, 1e-4))
    return tuple(amount * ((1.0 - redness) * black + redness * red) for black, red in zip(BLACK, RED, strict=True))


def pigments_of(absorption: Colour) -> tuple[float, float]:
    """Melanin and redness whose absorption comes nearest, by least squares."""
    from scipy.optimize import nnls  # a third of a second, which opening a scene need not wait for

    found, _ = nnls(np.array([BLACK, RED]).T, np.maximum(np.array(absorption), 0.0))
    amount = float(found.sum())
    return 1.0 - math.exp(-amount), float(found[1] / amount) if amount > 1e-9 else 0.0


def melanin_of(absorption: Colour) -> float:
    """How much pigment comes nearest to an absorption."""
    return pigments_of(absorption)[0]


def redness_of(absorption: Colour) -> float:
    """How much of that is red."""
    return pigments_of(absorption)[1]


def off_pigments(absorption: Colour) -> float:
    """How far the nearest pigments are from an absorption: the largest difference of the tints that they come to."""
    nearest = absorption_of_pigments(*pigments_of(absorption))
    one, two = tint_of_absorption(absorption, 0.3), tint_of_absorption(nearest, 0.3)
    return max(abs(a - b) for a, b in zip(one, two, strict=True))
