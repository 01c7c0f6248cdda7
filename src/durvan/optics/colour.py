"""Colour as numbers: luminance and the colour of a black body."""

from __future__ import annotations

import math
from collections.abc import Sequence

REC709_LUMINANCE = (0.2126, 0.7152, 0.0722)


def luminance(colour: Sequence[float]) -> float:
    """Relative luminance of a linear Rec.709 colour, same unit as its channels (ITU-R BT.709-6, item 3.2).

    >>> round(luminance((1.0, 1.0, 1.0)), 6)
    1.0
    """
    return sum(weight * channel for weight, channel in zip(REC709_LUMINANCE, colour, strict=True))


def spread(colour: Sequence[float]) -> float:
    """How far a colour is from grey: its largest channel less its smallest, in the channels' own unit."""
    return max(colour) - min(colour)


def black_body(kelvin: float) -> tuple[float, float, float]:
    """Linear Rec.709 colour of a black body, with luminance 1 and no channel below 0.

    `kelvin` from 1000 to 25000 (clamped). The Planckian locus by the cubic fit of Kim et al. (US patent
    7024034, 2006; good to 0.001 in xy from 1667 K), then xy to linear Rec.709 by the matrix of IEC 61966-2-1.
    """
    t = min(max(kelvin, 1000.0), 25000.0)
    if t <= 4000.0:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t <= 2222.0:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000.0:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    big_x, big_z = x / y, (1.0 - x - y) / y
    rgb = (
        3.2404542 * big_x - 1.5371385 - 0.4985314 * big_z,
        -0.9692660 * big_x + 1.8760108 + 0.0415560 * big_z,
        0.0556434 * big_x - 0.2040259 + 1.0572252 * big_z,
    )
    clipped = tuple(max(0.0, channel) for channel in rgb)
    weight = luminance(clipped)
    return (clipped[0] / weight, clipped[1] / weight, clipped[2] / weight)


# Linear Rec.709 colours, the largest channel 1, every 500 K from 1000 to 10000 K.
_KNOTS = (
    (1.0, 0.02749, 0.0), (1.0, 0.149664, 0.0), (1.0, 0.256644, 0.008095), (1.0, 0.372033, 0.06745),
    (1.0, 0.476725, 0.153601), (1.0, 0.570376, 0.259196), (1.0, 0.65348, 0.377155), (1.0, 0.726878, 0.501606),
    (1.0, 0.791543, 0.62805), (1.0, 0.848462, 0.753228), (1.0, 0.898581, 0.874905), (1.0, 0.942771, 0.991642),
    (0.906947, 0.890456, 1.0), (0.828247, 0.841838, 1.0), (0.765791, 0.801896, 1.0), (0.715255, 0.768579, 1.0),
    (0.673683, 0.740423, 1.0), (0.638992, 0.716359, 1.0), (0.609681, 0.695588, 1.0),
)  # fmt: skip


def white_balance(kelvin: float) -> tuple[float, float, float]:
    """Factors on linear Rec.709 that make the light of a temperature white; (1, 1, 1) for 6500 K."""
    here, day = black_body(kelvin), black_body(6500.0)
    return (day[0] / max(here[0], 1e-3), day[1] / max(here[1], 1e-3), day[2] / max(here[2], 1e-3))


def usd_black_body(kelvin: float) -> tuple[float, float, float]:
    """Linear Rec.709 colour that UsdLux gives a colour temperature, with luminance 1 and no channel below 0.

    `kelvin` from 1000 to 10000 (clamped). A Catmull-Rom spline through knots 500 K apart, as OpenUSD 26.11 has it in
    UsdLuxBlackbodyTemperatureAsRgb; 6500 K is not white there.
    """
    place = (min(max(kelvin, 1000.0), 10000.0) - 1000.0) / 500.0
    first = min(int(place), 17)
    f = place - first
    a, b, c, d = (_KNOTS[min(max(first + k, 0), 18)] for k in (-1, 0, 1, 2))
    rgb = [
        0.5 * (2.0 * q + (r - p) * f + (2.0 * p - 5.0 * q + 4.0 * r - s) * f * f + (3.0 * (q - r) + s - p) * f * f * f)
        for p, q, r, s in zip(a, b, c, d, strict=True)
    ]
    weight = luminance(rgb)
    return (max(rgb[0] / weight, 0.0), max(rgb[1] / weight, 0.0), max(rgb[2] / weight, 0.0))


_XYZ = ((0.4123908, 0.3575843, 0.1804808), (0.2126390, 0.7151687, 0.0721923), (0.0193308, 0.1191948, 0.9505322))


def chromaticity(colour: Sequence[float]) -> tuple[float, float]:
    """u′ and v′ (CIE 1976) of a linear Rec.709 colour; those of white for black.

    >>> [round(part, 4) for part in chromaticity((1.0, 1.0, 1.0))]
    [0.1978, 0.4683]
    """
    x, y, z = (sum(a * b for a, b in zip(row, colour, strict=True)) for row in _XYZ)
    whole = x + 15.0 * y + 3.0 * z
    return (4.0 * x / whole, 9.0 * y / whole) if whole > 1e-30 else (0.19783, 0.46834)


def _locus(kelvin: float) -> tuple[float, float]:
    """u and v (CIE 1960) of a black body (Krystek, Color Research and Application 10, 1985; good to 8e-5, 1000 to 15000 K)."""
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1.0 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1.0 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def kelvin_and_duv(colour: Sequence[float]) -> tuple[float, float]:
    """Correlated colour temperature in kelvin and Duv of a linear Rec.709 colour: the nearest black body between 1000 and
    25000 K in the diagram of CIE 1960, and how far from it, above 0 on the green side (ANSI C78.377).

    >>> kelvin, duv = kelvin_and_duv((1.0, 1.0, 1.0))
    >>> round(kelvin / 10), round(duv, 3)
    (650, 0.003)
    """
    u, w = chromaticity(colour)
    v = w * 2.0 / 3.0

    def far(mired: float) -> float:
        a, b = _locus(1e6 / mired)
        return (a - u) ** 2 + (b - v) ** 2

    steps = [40.0 * 25.0 ** (k / 200.0) for k in range(201)]
    best = min(range(201), key=lambda k: far(steps[k]))
    low, high = steps[max(best - 1, 0)], steps[min(best + 1, 200)]
    for _ in range(60):  # golden section would save little
        one, two = low + (high - low) / 3.0, high - (high - low) / 3.0
        low, high = (low, two) if far(one) < far(two) else (one, high)
    kelvin = 2e6 / (low + high)
    a, b = _locus(kelvin)
    return kelvin, math.copysign(math.hypot(a - u, b - v), v - b)


def hue_fraction(degrees: float) -> float:
    """Degrees of hue as the fraction of a turn that MaterialX's hsvadjust counts in, within [0, 1)."""
    return math.fmod(math.fmod(degrees / 360.0, 1.0) + 1.0, 1.0)


Matrix3 = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]

# Linear Rec.709 (ITU-R BT.709-6, white D65) to ACEScg (AP1 of SMPTE ST 2113 and S-2014-004, white 0.32168 0.33767), adapted by
# Bradford's cone response; and back. A test works them out anew from the primaries.
REC709_TO_ACESCG: Matrix3 = (
    (0.6130974024011878, 0.33952314618410606, 0.04737945141470665),
    (0.07019372246958168, 0.9163538790573436, 0.013452398473074122),
    (0.020615592882226925, 0.10956977293813544, 0.8698146341796377),
)
ACESCG_TO_REC709: Matrix3 = (
    (1.705050992657983, -0.6217921206570056, -0.08325887200097853),
    (-0.13025641750704342, 1.1408047365754022, -0.010548319068358056),
    (-0.024003356804618032, -0.12896897606497063, 1.1529723328695884),
)


def transformed(colour: Sequence[float], matrix: Matrix3) -> tuple[float, float, float]:
    """A colour through a matrix between spaces whose whites are one; greys stay just as they are."""
    if colour[0] == colour[1] == colour[2]:
        return colour[0], colour[1], colour[2]
    r, g, b = (sum(part * channel for part, channel in zip(row, colour, strict=True)) for row in matrix)
    return r, g, b
