"""Light profiles: candela over directions, as goniometers measure them; looked up, integrated, turned and scaled.

A profile lies in a light's own axes. Of type C the vertical angle γ counts from −Z, where the light shines, and the plane C
from +X towards +Y. Of types A and B the beam goes along −Z, +Y is up and +X to the right of who looks with it. ANSI/IES LM-63-19.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
MOST_ANGLES = 1441  # a quarter of a degree all the way round; finer ones are thinned for the renderer


@dataclass(frozen=True)
class Profile:
    """Measured intensities: `candela` [planes, angles] over `vertical` and `horizontal` angles in degrees, ascending.

    `kind` is "A", "B" or "C". `lumens` are those of all lamps, 0 where the photometry is absolute. `size` is the opening:
    width, length and height in metres; below 0 where it is round. `tilt` are pairs of degrees and factors; `lamp_stays` says
    that the lamp lies level however the luminaire is tilted, so that they do not count.
    """

    vertical: Floats
    horizontal: Floats
    candela: Floats
    kind: str = "C"
    lumens: float = 0.0
    watts: float = 0.0
    size: tuple[float, float, float] = (0.0, 0.0, 0.0)
    tilt: tuple[tuple[float, float], ...] = ()
    lamp_stays: bool = False
    keywords: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = field(default=(), compare=False)

    def scaled(self, factor: float) -> Profile:
        """The same with every intensity, and the lumens of the lamps, times a factor."""
        return replace(self, candela=self.candela * factor, lumens=self.lumens * factor)


@dataclass(frozen=True)
class Globe:
    """A profile all the way round, as type C: `candela` [planes, angles] over γ from 0 to 180 and C from 0 to 360 degrees,
    both ends included, straight between them. `tilt` are what a lamp gives that is tilted: pairs of degrees and factors.
    """

    gamma: Floats
    plane: Floats
    candela: Floats
    tilt: tuple[tuple[float, float], ...] = ()

    def tilt_factor(self, degrees: float) -> float:
        """What a lamp that is tilted gives of what it was measured with, straight between the pairs; 1 without any."""
        if not self.tilt:
            return 1.0
        angles, factors = zip(*self.tilt, strict=True)
        return float(np.interp(degrees, angles, factors))

    def __call__(self, x: Floats | float, y: Floats | float, z: Floats | float) -> Floats:
        """Candela in directions in the light's axes (any length, any leading shape)."""
        x, y, z = np.asarray(x, float), np.asarray(y, float), np.asarray(z, float)
        gamma = np.degrees(np.arctan2(np.hypot(x, y), -z))
        return self.at(gamma, np.degrees(np.arctan2(y, x)) % 360.0)

    def at(self, gamma: Floats | float, plane: Floats | float) -> Floats:
        """Candela at angles in degrees."""
        row, u = _between(self.plane, np.asarray(plane, float))
        column, v = _between(self.gamma, np.asarray(gamma, float))
        c = self.candela
        low = c[row, column] * (1.0 - v) + c[row, column + 1] * v
        high = c[row + 1, column] * (1.0 - v) + c[row + 1, column + 1] * v
        return np.asarray(low * (1.0 - u) + high * u)

    @property
    def lumens(self) -> float:
        """Flux: ∫∫ I sin γ dγ dC, exact for what is straight between the angles.

        >>> one = Globe(np.array([0.0, 180.0]), np.array([0.0, 360.0]), np.ones((2, 2)))
        >>> round(one.lumens / math.pi, 9)
        4.0
        """
        g = np.radians(self.gamma)
        a, b = g[:-1], g[1:]
        width = np.maximum(b - a, 1e-12)
        # of a line from I₀ at a to I₁ at b: ∫ I sin γ = I₀ cos a − I₁ cos b + (I₁ − I₀)(sin b − sin a)/(b − a)
        slope = (np.sin(b) - np.sin(a)) / width
        first, last = np.cos(a) - slope, slope - np.cos(b)
        ring = self.candela[:, :-1] @ first + self.candela[:, 1:] @ last
        return float(np.trapezoid(ring, np.radians(self.plane)))

    @property
    def even(self) -> bool:
        """Whether it is the same in every plane."""
        return bool((self.candela == self.candela[:1]).all())


def _between(edges: Floats, value: Floats) -> tuple[NDArray[np.int64], Floats]:
    """The step of some ascending numbers that a value lies in, and how far in it, from 0 to 1."""
    place = np.clip(np.searchsorted(edges, value, side="right") - 1, 0, len(edges) - 2)
    width = np.maximum(edges[place + 1] - edges[place], 1e-12)
    return place, np.clip((value - edges[place]) / width, 0.0, 1.0)


def whole(profile: Profile) -> Globe:
    """A profile all the way round: symmetries unfolded, what was not measured dark, other types turned into C."""
    tilt = () if profile.lamp_stays else profile.tilt
    if profile.kind == "C":
        plane, candela = _unfolded(profile.horizontal, profile.candela)
        return replace(_thinned(Globe(*_filled(profile.vertical, plane, candela))), tilt=tilt)
    gamma = np.linspace(0.0, 180.0, 721)
    plane = np.linspace(0.0, 360.0, 361)
    g, c = np.radians(gamma)[None, :], np.radians(plane)[:, None]
    x, y, z = np.sin(g) * np.cos(c), np.sin(g) * np.sin(c), np.cos(g) * np.ones_like(c)  # here z goes with the beam
    if profile.kind == "A":  # latitude is vertical
        up, right = np.arcsin(np.clip(y, -1.0, 1.0)), np.arctan2(x, z)
    else:  # latitude is horizontal
        up, right = np.arctan2(y, z), np.arcsin(np.clip(x, -1.0, 1.0))
    return Globe(gamma, plane, _of_sides(profile, np.degrees(up), np.degrees(right)), tilt)


def _of_sides(profile: Profile, up: Floats, right: Floats) -> Floats:
    """Candela of a profile of type A or B; one that begins at 0 is the same on both sides."""
    vertical, horizontal = profile.vertical, profile.horizontal
    up = np.abs(up) if vertical[0] >= 0.0 else up
    right = np.abs(right) if horizontal[0] >= 0.0 else right
    table = profile.candela
    if len(horizontal) == 1:
        horizontal, table = np.array([-90.0, 90.0]), np.repeat(table, 2, axis=0)
    if len(vertical) == 1:
        vertical, table = np.array([-90.0, 90.0]), np.repeat(table, 2, axis=1)
    dark = (up < vertical[0]) | (up > vertical[-1]) | (right < horizontal[0]) | (right > horizontal[-1])
    return np.where(dark, 0.0, Globe(vertical, horizontal, table).at(up, right))


def _unfolded(horizontal: Floats, candela: Floats) -> tuple[Floats, Floats]:
    """The planes from 0 to 360 degrees of a profile of type C, by where its own end (LM-63-19, 5.11)."""
    first, last = float(horizontal[0]), float(horizontal[-1])
    if len(horizontal) == 1:
        return np.array([0.0, 360.0]), np.repeat(candela, 2, axis=0)
    if first == 0.0 and last == 90.0:  # a quarter
        half = np.concatenate([horizontal, 180.0 - horizontal[-2::-1]])
        return _mirrored(half, np.concatenate([candela, candela[-2::-1]]))
    if first == 0.0 and last == 180.0:
        return _mirrored(horizontal, candela)
    if first == 90.0 and last == 270.0:  # mirrored about the plane from 90 to 270
        return _closed(np.concatenate([horizontal, 180.0 - horizontal]), np.concatenate([candela, candela]))
    return _closed(horizontal, candela)


def _mirrored(half: Floats, candela: Floats) -> tuple[Floats, Floats]:
    return np.concatenate([half, 360.0 - half[-2::-1]]), np.concatenate([candela, candela[-2::-1]])


def _closed(plane: Floats, candela: Floats) -> tuple[Floats, Floats]:
    """Planes in order, each once, closed to a whole turn; what lies between two that are far apart goes straight over."""
    if plane[0] != 0.0 or plane[-1] != 360.0:
        plane = plane % 360.0
        plane = np.where(plane >= 360.0, 0.0, plane)  # what is hardly below 0 comes to 360
    plane, order = np.unique(plane, return_index=True)
    candela = candela[order]
    if plane[-1] < 360.0:
        gap = plane[0] + 360.0 - plane[-1]
        start = candela[0] + (candela[-1] - candela[0]) * (plane[0] / gap)
        if plane[0] > 0.0:
            plane, candela = np.concatenate([[0.0], plane]), np.concatenate([[start], candela])
        plane, candela = np.concatenate([plane, [360.0]]), np.concatenate([candela, candela[:1]])
    return plane, candela


def _filled(gamma: Floats, plane: Floats, candela: Floats) -> tuple[Floats, Floats, Floats]:
    """Dark above and below what was measured, at once."""
    if len(gamma) == 1:
        gamma, candela = np.array([gamma[0], gamma[0] + 1e-6]), np.repeat(candela, 2, axis=1)
    none = np.zeros((len(candela), 1))
    if gamma[0] > 0.0:
        edge = max(gamma[0] - 1e-6, 0.0)
        gamma, candela = np.concatenate([[0.0, edge], gamma]), np.concatenate([none, none, candela], axis=1)
    if gamma[-1] < 180.0:
        edge = min(gamma[-1] + 1e-6, 180.0)
        gamma, candela = np.concatenate([gamma, [edge, 180.0]]), np.concatenate([candela, none, none], axis=1)
    return gamma, plane, candela


def _thinned(globe: Globe) -> Globe:
    """No more angles than are useful; the flux stays."""
    gamma, plane = globe.gamma, globe.plane
    if len(gamma) <= MOST_ANGLES and len(plane) <= MOST_ANGLES:
        return globe
    if len(gamma) > MOST_ANGLES:
        gamma = np.linspace(0.0, 180.0, MOST_ANGLES)
    if len(plane) > MOST_ANGLES:
        plane = np.linspace(0.0, 360.0, MOST_ANGLES)
    thin = Globe(gamma, plane, globe.at(gamma[None, :], plane[:, None]))
    there = thin.lumens
    return replace(thin, candela=thin.candela * (globe.lumens / there if there > 0.0 else 1.0))


def turned(globe: Globe, degrees: float) -> Globe:
    """A globe turned about the light's axis, from +X towards +Y."""
    if globe.even or degrees % 360.0 == 0.0:
        return globe
    return Globe(globe.gamma, *_closed((globe.plane[:-1] + degrees) % 360.0, globe.candela[:-1]), globe.tilt)


def tilt_of(back: Sequence[float], up_axis: str) -> float:
    """How far a light is tilted from shining straight down, in degrees; it shines away from `back`, a direction in the world.

    >>> tilt_of((0.0, 2.0, 0.0), "Y"), round(tilt_of((0.0, 1.0, 1.0), "Z"), 9)
    (0.0, 45.0)
    """
    up = float(back[1 if up_axis == "Y" else 2]) / max(math.hypot(*back), 1e-12)
    return math.degrees(math.acos(min(max(up, -1.0), 1.0)))


NAME = "scaled-profile:"


def name_of(file: str, factor: float) -> str:
    """A path that stands for a file's profile times a factor, until it is written; the file itself where that is 1.

    >>> name_of("lamps/dish.ies", 0.25)
    'scaled-profile:0.25:lamps/dish.ies'
    """
    return file if not file or abs(factor - 1.0) < 1e-9 or factor <= 0.0 else f"{NAME}{factor:.9g}:{file}"


def of_name(name: str) -> tuple[str, float]:
    """The file that a path stands for, and the factor on it.

    >>> of_name("scaled-profile:0.25:lamps/dish.ies"), of_name("dish.ies")
    (('lamps/dish.ies', 0.25), ('dish.ies', 1.0))
    """
    if not name.startswith(NAME):
        return name, 1.0
    factor, _, file = name.removeprefix(NAME).partition(":")
    return file, float(factor)


def curve(profile: Profile, plane: float = 0.0) -> tuple[Floats, Floats]:
    """A polar curve through a plane and the one across from it: angles from −180 to 180 degrees, and candela."""
    globe = whole(profile)
    angles = np.linspace(-180.0, 180.0, 361)
    return angles, globe.at(np.abs(angles), np.where(angles < 0.0, (plane + 180.0) % 360.0, plane % 360.0))


def beam_angle(profile: Profile) -> float:
    """The full angle, in degrees, over which the first plane is at least half its largest intensity; 0 of none."""
    angles, candela = curve(profile)
    top = candela.max()
    bright = angles[candela >= 0.5 * top] if top > 0.0 else angles[:0]
    return float(bright.max() - bright.min()) if len(bright) else 0.0


def mean_candela(globe: Globe) -> float:
    """The mean over all directions: flux / 4π."""
    return globe.lumens / (4.0 * math.pi)
