"""A few patches of a picture as it is stored, read so that even a very large one takes little memory."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from durvan.errors import PictureError, Stopped
from durvan.files.facts import opened
from durvan.foreign import text_of

Floats = NDArray[np.float32]
WHOLE = 1_100_000  # pixels up to which a picture is read whole
_BANDS, _LINES, _WIDE = 8, 64, 1024


@dataclass(frozen=True, slots=True)
class Sample:
    """Patches [lines, columns, channels] as stored: whole numbers scaled to 0 to 1, others as they are; alpha is not
    multiplied in or out. `depth` is the type they are stored in, `alpha` the place of the alpha channel or −1."""

    patches: tuple[Floats, ...]
    depth: str
    alpha: int
    whole: bool

    @property
    def colours(self) -> list[Floats]:
        """The patches without alpha: one or three channels."""
        out = []
        for patch in self.patches:
            many = patch.shape[2] - (1 if self.alpha >= 0 else 0)
            out.append(patch[..., :3] if many >= 3 else patch[..., :1])
        return out

    @property
    def pixels(self) -> Floats:
        """All pixels' colours [n, channels]."""
        return np.concatenate([patch.reshape(-1, patch.shape[2]) for patch in self.colours])


def sample(path: str, stop: Callable[[], bool] = lambda: False) -> Sample:
    """Read patches of a picture, from its first line to its last. Raises PictureError when it cannot be read to its end."""
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    source, problem = opened(path, config)
    if source is None:
        raise PictureError(f"{problem}.", file=path)
    try:
        spec = source.spec()
        many = spec.nchannels if spec.nchannels <= 4 else 4
        whole = spec.width * spec.height <= WHOLE
        bands = [(0, spec.height)] if whole else _bands(spec)
        patches: list[Floats] = []
        for low, high in bands:
            if stop():
                raise Stopped
            lines = _lines(source, spec, low, high, many, path)
            patches.extend([lines] if whole else _windows(lines))
        alpha = spec.alpha_channel if 0 <= spec.alpha_channel < many else -1
        return Sample(tuple(patches), str(spec.format), alpha, whole)
    finally:
        source.close()
        text_of(oiio.geterror)


def _bands(spec: oiio.ImageSpec) -> list[tuple[int, int]]:
    step = spec.tile_height or 1
    lines = min(max(_LINES, step), spec.height)
    tops = np.linspace(0, spec.height - lines, _BANDS).astype(int) // step * step
    bands = [(int(top), min(int(top) + lines, spec.height)) for top in dict.fromkeys(tops)]
    if bands[-1][1] < spec.height:
        bands.append((bands[-1][1], spec.height))
    return bands


def _lines(source: oiio.ImageInput, spec: oiio.ImageSpec, low: int, high: int, many: int, path: str) -> Floats:
    if spec.tile_width:
        end = min(-(-high // spec.tile_height) * spec.tile_height, spec.height)
        found = source.read_tiles(
            0, 0, spec.x, spec.x + spec.width, spec.y + low, spec.y + end, 0, 1, 0, many, oiio.FLOAT
        )
    else:
        found = source.read_scanlines(0, 0, spec.y + low, spec.y + high, 0, 0, many, oiio.FLOAT)
    if found is None:
        raise PictureError(
            f"breaks off at line {low} of {spec.height} ({text_of(source.geterror)[:120].strip()}).", file=path
        )
    return np.asarray(found, np.float32).reshape(-1, spec.width, many)


def _windows(lines: Floats) -> list[Floats]:
    """At most three windows of a band: left, middle, right."""
    wide = lines.shape[1]
    if wide <= _WIDE:
        return [lines]
    starts = (0,) if wide < 2 * _WIDE else (0, (wide - _WIDE) // 2, wide - _WIDE)
    return [lines[:, start : start + _WIDE // 2].copy() for start in starts]
