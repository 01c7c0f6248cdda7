"""Matt reflection and cloth, as compiled functions: one channel at a time, per steradian, without the cosine."""

from __future__ import annotations

import math

from durvan.optics.jit import inner

_ROUGH_A = 0.5 - 2.0 / (3.0 * math.pi)
_ROUGH_B = 2.0 / 3.0 - 28.0 / (15.0 * math.pi)


@inner
def rough_albedo(cosine: float, roughness: float) -> float:
    """Albedo towards a direction of Fujii's Oren–Nayar lobe, white (Portsmouth, Kutz & Hill 2024, eq. 28)."""
    m = 1.0 - cosine
    g = m * (0.0571085289 + m * (0.491881867 + m * (-0.332181442 + m * 0.0714429953)))
    return (1.0 + roughness * g) / (1.0 + _ROUGH_A * roughness)


@inner
def oren_nayar(colour: float, roughness: float, o_dot_i: float, o: float, i: float) -> float:
    """Oren–Nayar with the light between facets given back (Oren & Nayar 1994; Portsmouth, Kutz & Hill 2024).

    `o`, `i` are cosines, `o_dot_i` the cosine between both directions, `roughness` from 0 (Lambert) to 1.
    """
    if roughness <= 0.0:
        return colour / math.pi
    a = 1.0 / (1.0 + _ROUGH_A * roughness)
    s = o_dot_i - o * i
    t = s / max(o, i) if s > 0.0 else s
    single = colour / math.pi * a * (1.0 + roughness * t)
    mean = a * (1.0 + _ROUGH_B * roughness)
    again = colour * colour * mean / (1.0 - colour * (1.0 - mean))
    eo = max(1.0 - rough_albedo(o, roughness), 1e-7)
    ei = max(1.0 - rough_albedo(i, roughness), 1e-7)
    return single + again / math.pi * eo * ei / max(1.0 - mean, 1e-7)


@inner
def burley(roughness: float, o_dot_i: float, o: float, i: float) -> float:
    """A matt lobe that darkens at grazing angles where it is smooth and brightens where it is rough (Burley 2012, 5.3), white."""
    fo, fi = (1.0 - o) ** 5, (1.0 - i) ** 5
    back = roughness * (1.0 + o_dot_i)  # 2·roughness·cos² of half the angle between both directions
    retro = back * (fo + fi + fo * fi * (back - 1.0))
    return ((1.0 - 0.5 * fo) * (1.0 - 0.5 * fi) + retro) / math.pi


@inner
def burley_sheen(o_dot_i: float) -> float:
    """A sheen towards the edge (Burley 2012, 5.4): Schlick's rise by half the angle between both directions."""
    return (1.0 - math.sqrt(max(0.5 * (1.0 + o_dot_i), 0.0))) ** 5


@inner
def sheen(roughness: float, hz: float, o: float, i: float) -> float:
    """Inverted-Gaussian-like fuzz (Estevez & Kulla 2017, eq. 2) with a smooth denominator for its masking (Neubelt &
    Pettineo 2013, eq. 2); before it is scaled to reflect no more than it gets.
    """
    inverse = 1.0 / max(roughness, 0.05)
    sine2 = max(1.0 - hz * hz, 0.0)
    d = (2.0 + inverse) * sine2 ** (0.5 * inverse) / (2.0 * math.pi)
    return d / (4.0 * max(o + i - o * i, 1e-6))
