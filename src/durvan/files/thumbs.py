"""Small views of pictures, as bytes to be shown; read so that a large one takes little memory, and kept on disk."""

from __future__ import annotations

import io
from contextlib import suppress

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from durvan.files import facts, kept
from durvan.foreign import text_of
from durvan.optics.tone import srgb

SIDE = 256
KIND, MOST = "thumbs", 20_000
Bytes = NDArray[np.uint8]


def thumbnail(path: str) -> Bytes | None:
    """A picture as it is stored, at most 256 pixels on a side, as bytes [height, width, 3]; None when it cannot be shown.

    Pictures of light are brought down so that nineteen in twenty pixels fit the screen, and encoded for it.
    """
    found = known(path)
    told = facts.facts(path) if found is None else None
    where = kept.place(KIND, path, ".npy")
    if found is not None or told is None or where is None or not told.picture:
        return found
    made = _made(path, told)
    if made is not None:
        data = io.BytesIO()
        np.save(data, made)
        kept.write(where, data.getvalue())
    return made


def known(path: str) -> Bytes | None:
    """The small view of a picture that was made before and has not changed since; None when there is none."""
    where = kept.place(KIND, path, ".npy")
    if where is not None:
        with suppress(OSError, ValueError):
            found: Bytes = np.load(where, allow_pickle=False)
            return found
    return None


def _made(path: str, told: facts.Facts) -> Bytes | None:
    source, _ = facts.opened(path)
    if source is None:
        return None
    try:
        level = 0
        while level + 1 < told.mips and source.spec_dimensions(0, level + 1).width >= SIDE:
            level += 1
        if level and not source.seek_subimage(0, level):
            return None
        seen = _rows(source, source.spec(), level)
    finally:
        source.close()
        text_of(oiio.geterror)
    return None if seen is None else _shown(seen, told.depth not in ("uint8", "uint16"))


def _rows(source: oiio.ImageInput, spec: oiio.ImageSpec, level: int) -> NDArray[np.float32] | None:
    """Lines of a picture, each the mean of a few, as many as are shown; columns brought together likewise."""
    step = max(1, -(-max(spec.width, spec.height) // SIDE))
    many = min(spec.nchannels, 4)
    lines = []
    block = max(spec.tile_height or 1, 1)
    for top in range(0, max(1, spec.height // step * step), step):
        if spec.tile_width:
            low = top // block * block
            high = min(low + block, spec.height)
            found = source.read_tiles(
                0, level, spec.x, spec.x + spec.width, spec.y + low, spec.y + high, 0, 1, 0, many, oiio.FLOAT
            )
            found = found[top - low : top - low + 1] if found is not None else None
        else:
            high = min(top + min(step, 4), spec.height)
            found = source.read_scanlines(0, level, spec.y + top, spec.y + high, 0, 0, many, oiio.FLOAT)
        if found is None:
            break
        line = np.asarray(found, np.float32).reshape(-1, spec.width, many).mean(axis=0)
        wide = spec.width // step * step
        lines.append(line[:wide].reshape(-1, step, many).mean(axis=1) if wide else line[:1])
    return np.stack(lines) if lines else None


def _shown(seen: NDArray[np.float32], light: bool) -> Bytes:
    colours = seen[..., :3] if seen.shape[2] >= 3 else np.repeat(seen[..., :1], 3, axis=2)
    colours = np.nan_to_num(colours, nan=0.0, posinf=1.0, neginf=0.0)
    if light:
        if float(colours.min()) < -0.05:  # normals as they are
            return np.asarray(np.clip((colours * 0.5 + 0.5) * 255.0, 0, 255), np.uint8)
        most = float(np.quantile(colours, 0.95))
        colours = srgb(np.clip(colours / most * 0.8 if most > 1.0 else colours, 0.0, 1.0)).astype(np.float32)
    return np.asarray(np.clip(colours * 255.0 + 0.5, 0, 255), np.uint8)
