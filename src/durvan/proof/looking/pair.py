"""Two pictures of one size, and all that is measured between them: each map is worked out when it is first looked at, and kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.tone import bytes_of, developed
from durvan.proof import kernels
from durvan.proof.bands import over_bands
from durvan.proof.causes.noise import with_noise
from durvan.proof.looking import pixels, ways
from durvan.proof.looking.flip import flip
from durvan.proof.looking.lens import Levels
from durvan.proof.picture import Ids, Picture, Pixels

LUMINANCE = 3  # among channels: after red, green and blue
FLOOR = 2.0**-10  # of display white, added to both sides before stops are told
_SURE = 2.0  # standard deviations, from which a difference is none of noise
_Y = np.array(REC709_LUMINANCE)
Made = TypeVar("Made")


@dataclass(frozen=True)
class Look:
    """What a map depends on besides the pictures: exposures of both sides in stops, the channel of stops, whether what noise explains is taken
    off.
    """

    exposures: tuple[float, float] = (0.0, 0.0)
    channel: int = LUMINANCE
    beyond_noise: bool = False


@dataclass(frozen=True)
class Spot:
    """One pixel of a side: linear values, stops about mid grey of its luminance (−inf for none), code values 0 to 255, the material and the
    object that it shows (empty: nobody knows).
    """

    rgb: tuple[float, float, float]
    stops: float
    code: tuple[int, int, int]
    material: str
    thing: str


@dataclass(frozen=True)
class Region:
    """Measured over some pixels: the means of both sides, by how many stops the target's luminance is brighter, mean and 95 % of CIEDE2000, mean
    FLIP, noise of both in stops, how many pixels count, are clipped on either side, or are no numbers.
    """

    source: tuple[float, float, float]
    target: tuple[float, float, float]
    stops: float
    colour: float
    colour_95: float
    flip: float
    noise: tuple[float, float]
    count: int
    clipped: tuple[int, int]
    wild: tuple[int, int]


@dataclass
class Pair:
    """Source and target, of one size."""

    source: Picture
    target: Picture
    response: str = ""
    _kept: dict[tuple[Any, ...], Any] = field(default_factory=dict, repr=False)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.source.size

    @property
    def sides(self) -> tuple[Picture, Picture]:
        """Both."""
        return self.source, self.target

    def pictures(self) -> tuple[Levels, Levels]:
        """Both, in levels."""
        return self._once(("pictures",), lambda: (Levels.of(self.source.rgb), Levels.of(self.target.rgb)))

    def luminances(self) -> tuple[Levels, Levels]:
        """Both luminances, in levels."""
        return self._once(
            ("luminances",), lambda: (Levels.of(_luminance(self.source)), Levels.of(_luminance(self.target)))
        )

    def noises(self) -> tuple[Levels, Levels]:
        """Both sides' standard deviation in stops, in levels; their renderers' word for it, else what is between neighbours."""
        return self._once(("noises",), lambda: (Levels.of(self._noise(0)), Levels.of(self._noise(1))))

    def between(self, way: str, look: Look) -> Levels:
        """A map of what is between both, in levels. `way` is one of those of the table that show it, but for causes."""
        return self._once((way, look), lambda: Levels.of(self.measured(way, look)))

    def ready(self, way: str, look: Look | None) -> bool:
        """Whether a map is there already; "luminances" and "noises" of both sides depend on no look."""
        return ((way, look) if look is not None else (way,)) in self._kept

    def _once(self, key: tuple[Any, ...], make: Callable[[], Made]) -> Made:
        if key not in self._kept:
            found = make()
            for old in [one for one in self._kept if one[0] == key[0]]:
                del self._kept[old]
            self._kept[key] = found
        kept: Made = self._kept[key]
        return kept

    def measured(self, way: str, look: Look) -> Pixels:
        """A map of what is between both [height, width]; NaN where either side is no number."""
        one, two = self.source.rgb, self.target.rgb
        k1, k2 = (2.0**stops for stops in look.exposures)
        out = np.empty(one.shape[:2], np.float32)
        if way == ways.FLIP:
            out = self._without_wild(flip(one, two, k1, k2))
        elif way == ways.STOPS:
            over_bands(len(out), lambda a, b: pixels.stops(one, two, k1, k2, look.channel, FLOOR, a, b, out))
        else:
            out = self._colours(look.exposures)[way]
        return out * self._beyond_noise() if look.beyond_noise else out

    def _colours(self, exposures: tuple[float, float]) -> dict[str, Pixels]:
        """Colour, chroma and hue, which are worked out together."""

        def made() -> dict[str, Pixels]:
            one, two = self.source.rgb, self.target.rgb
            colour, chroma, hue = (np.empty(one.shape[:2], np.float32) for _ in range(3))
            k1, k2 = (2.0**stops for stops in exposures)
            over_bands(len(hue), lambda a, b: pixels.colours(one, two, k1, k2, a, b, colour, chroma, hue))
            return {ways.COLOUR: colour, ways.CHROMA: chroma, ways.HUE: hue}

        return self._once(("colours", exposures), made)

    def _without_wild(self, values: Pixels) -> Pixels:
        """No number where either side is none."""
        if self.wild() != (0, 0):
            values[~np.isfinite(self.source.rgb).all(axis=2) | ~np.isfinite(self.target.rgb).all(axis=2)] = np.nan
        return values

    def wild(self) -> tuple[int, int]:
        """How many pixels of each side are no numbers or not finite."""
        return self._once(("wild",), lambda: (_wild(self.source), _wild(self.target)))

    def _noise(self, side: int) -> Pixels:
        picture = self.sides[side]
        variance = with_noise(picture)
        level = np.maximum(np.nan_to_num(_luminance(picture), posinf=0.0, neginf=0.0), 0.0) + FLOOR
        assert variance is not None
        return np.asarray(np.sqrt(np.maximum(variance, 0.0)) / (level * math.log(2.0)), dtype=np.float32)

    def _beyond_noise(self) -> Pixels:
        """What is left of a difference once noise is taken off: 0 where it could be noise alone, 1 where noise is nothing to it."""
        apart = self.measured(ways.STOPS, Look())
        one, two = (levels.levels[0][..., 0] for levels in self.noises())
        noise2 = _SURE**2 * (one * one + two * two)
        with np.errstate(divide="ignore", invalid="ignore"):
            left = 1.0 - noise2 / np.maximum(apart * apart, 1e-12)
        return np.asarray(np.clip(np.nan_to_num(left, nan=1.0), 0.0, 1.0), dtype=np.float32)

    # one place

    def spot(self, x: int, y: int, side: int, exposure: float = 0.0) -> Spot:
        """A pixel of a side; `exposure` (stops) is what its code values are shown by."""
        picture = self.sides[side]
        rgb = picture.rgb[y, x].astype(np.float64)
        level = float(rgb @ _Y)
        code = bytes_of(developed(np.nan_to_num(rgb) * 2.0**exposure, self.response))
        return Spot(
            (float(rgb[0]), float(rgb[1]), float(rgb[2])), math.log2(level / 0.18) if level > 0.0 else -math.inf,
            (int(code[0]), int(code[1]), int(code[2])), _named(picture.materials, x, y) or _named(self.sides[1 - side].materials, x, y),
            _named(picture.objects, x, y) or _named(self.sides[1 - side].objects, x, y),
        )  # fmt: skip

    def region(self, left: int, top: int, right: int, low: int, look: Look | None = None) -> Region:
        """Measure the pixels from a corner to another one (not with it)."""
        look = look or Look()
        here = np.s_[max(top, 0) : max(low, 0), max(left, 0) : max(right, 0)]
        one, two = self.source.rgb[here].astype(np.float64), self.target.rgb[here].astype(np.float64)
        finite = [np.isfinite(side).all(axis=2) for side in (one, two)]
        good = finite[0] & finite[1]
        if not good.any():
            nothing = (0.0, 0.0, 0.0)
            return Region(
                nothing,
                nothing,
                0.0,
                0.0,
                0.0,
                0.0,
                (0.0, 0.0),
                0,
                (0, 0),
                (int((~finite[0]).sum()), int((~finite[1]).sum())),
            )
        means = [side[good].mean(axis=0) for side in (one, two)]
        k = [2.0**stops for stops in look.exposures]
        level = [float(mean @ _Y) * gain + FLOOR for mean, gain in zip(means, k, strict=True)]
        colour = self.between(ways.COLOUR, look).levels[0][..., 0][here][good]
        eye = self.between(ways.FLIP, look).levels[0][..., 0][here][good]
        noise = [float(np.sqrt((levels.levels[0][..., 0][here][good] ** 2).mean())) for levels in self.noises()]
        clipped = [int((side[good].max(axis=1) * gain >= 1.0).sum()) for side, gain in zip((one, two), k, strict=True)]
        a, b = ((float(m[0]), float(m[1]), float(m[2])) for m in means)
        return Region(
            a, b, math.log2(level[1] / level[0]), float(colour.mean()), float(np.percentile(colour, 95.0)), float(eye.mean()),
            (noise[0], noise[1]), int(good.sum()), (clipped[0], clipped[1]), (int((~finite[0]).sum()), int((~finite[1]).sum())),
        )  # fmt: skip


def _luminance(picture: Picture) -> Pixels:
    out = np.empty(picture.rgb.shape[:2], np.float32)
    over_bands(len(out), lambda first, end: pixels.luminances(picture.rgb, first, end, out))
    return out


def _wild(picture: Picture) -> int:
    found = np.zeros((picture.rgb.shape[0], 1), dtype=np.int64)
    over_bands(len(found), lambda first, end: kernels.wild_pixels(picture.rgb, first, end, found[first]))
    return int(found.sum())


def _named(ids: Ids | None, x: int, y: int) -> str:
    if ids is None:
        return ""
    number = int(ids.numbers[y, x])
    return ids.names[number] if 0 <= number < len(ids.names) else ""


def material_mask(picture: Picture, name: str) -> NDArray[np.bool_] | None:
    """Where a material is seen [height, width]; None where the picture does not know."""
    ids = picture.materials
    if ids is None or name not in ids.names:
        return None
    return np.asarray(ids.numbers == ids.names.index(name))
