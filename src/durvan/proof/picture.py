"""One side of a comparison: its pixels, and whatever else is known of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.float32]
Numbers = NDArray[np.int32]
Pass = Callable[[], Pixels]  # [height, width, 3], read when it is asked for: there may be many, and they are large


@dataclass(frozen=True)
class Ids:
    """Which of some names each pixel shows: places in `names` [height, width], −1 for none of them."""

    numbers: Numbers
    names: tuple[str, ...]


@dataclass(frozen=True)
class Picture:
    """Linear Rec.709 picture values [height, width, 3], 1 being display white at exposure 0, and what is known of them.

    `lights` are passes that add up to it, by the name of the light (glows and surroundings among them). `materials` and `objects` say what
    is seen. `variance` is that of each pixel's luminance, as a mean of its samples, in squared picture values [height, width]. `depth` is how
    far along the camera's axis what is seen stands [height, width, 1], in any one unit; 0 or endless where nothing does.
    """

    rgb: Pixels
    lights: Mapping[str, Pass] = field(default_factory=dict)
    materials: Ids | None = None
    objects: Ids | None = None
    variance: Pixels | None = None
    depth: Pass | None = None

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.rgb.shape[1], self.rgb.shape[0]


def each(picture: Picture, change: Callable[[Pixels], Pixels], of_ids: Callable[[Numbers], Numbers]) -> Picture:
    """A picture with all of its layers changed alike, [height, width, channels] each, and its ids [height, width]; passes when they are asked for."""

    def later(read: Pass) -> Pixels:
        return change(read())

    def ids(one: Ids | None) -> Ids | None:
        return Ids(of_ids(one.numbers), one.names) if one is not None else None

    variance = picture.variance
    return replace(
        picture, rgb=change(picture.rgb), lights={name: partial(later, read) for name, read in picture.lights.items()},
        materials=ids(picture.materials), objects=ids(picture.objects), variance=change(variance[..., None])[..., 0] if variance is not None else None,
        depth=partial(later, picture.depth) if picture.depth is not None else None,
    )  # fmt: skip
