"""Channels of pictures put together as glTF wants them: bit for bit where the sizes and the depths allow it.

Whole numbers stay whole: eight bits stay eight, sixteen stay sixteen, and eight beside sixteen become sixteen without a change of
value. Only numbers of other kinds are rounded, to sixteen bits.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from durvan.errors import PictureError
from durvan.foreign import text_of
from durvan.optics.tone import linear, srgb

Pixels = NDArray[Any]
LETTERS = "rgba"


def read_raw(file: str) -> Pixels:
    """A picture's numbers as they stand in the file [height, width, channels]: uint8, uint16 or float32. Raises PictureError."""
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)  # as glTF has them: colours are not multiplied by how solid they are
    source = oiio.ImageInput.open(file, config)
    if source is None:
        raise PictureError(f"cannot be read: {text_of(oiio.geterror) or 'it is no picture'}.", file=file)
    try:
        spec = source.spec()
        kind = {"uint8": oiio.UINT8, "uint16": oiio.UINT16}.get(str(spec.format), oiio.FLOAT)
        found = source.read_image(0, 0, 0, spec.nchannels, kind)
        if found is None:
            raise PictureError(f"cannot be read: {text_of(source.geterror) or 'it ends too soon'}.", file=file)
        return np.asarray(found)
    finally:
        source.close()


def channel_of(pixels: Pixels, letter: str) -> Pixels:
    """One channel [height, width]: of a grey picture its one stands for all three; solid is what it does not say."""
    count = pixels.shape[2]
    if letter == "a":
        if count in (2, 4):
            return np.asarray(pixels[..., count - 1])
        full = np.iinfo(pixels.dtype).max if pixels.dtype.kind == "u" else 1.0
        return np.full(pixels.shape[:2], full, dtype=pixels.dtype)
    return np.asarray(pixels[..., 0 if count < 3 else LETTERS.index(letter)])


def together(channels: list[Pixels]) -> tuple[Pixels, float]:
    """Channels as one picture [height, width, n] of whole numbers, and what its largest stands for (1 unless numbers went beyond)."""
    height = max(one.shape[0] for one in channels)
    width = max(one.shape[1] for one in channels)
    kinds = {one.dtype.kind for one in channels}
    if kinds == {"u"}:
        deep = any(one.dtype == np.uint16 for one in channels)
        made = [_as_wide(one, width, height) for one in channels]
        if not deep:
            return np.stack(made, axis=-1), 1.0
        return np.stack([one if one.dtype == np.uint16 else one.astype(np.uint16) * 257 for one in made], axis=-1), 1.0
    numbers = [_as_wide(as_numbers(one), width, height) for one in channels]
    largest = max(1.0, float(max(np.nan_to_num(one, posinf=0.0).max(initial=0.0) for one in numbers)))
    rounded = [np.round(np.clip(np.nan_to_num(one, posinf=largest) / largest, 0.0, 1.0) * 65535.0) for one in numbers]
    return np.stack(rounded, axis=-1).astype(np.uint16), largest


def as_numbers(one: Pixels) -> Pixels:
    """Whole numbers as parts of their largest; others as they are."""
    return one.astype(np.float32) / np.iinfo(one.dtype).max if one.dtype.kind == "u" else one.astype(np.float32)


def recoded(one: Pixels, have: str, need: str) -> Pixels:
    """A channel that is decoded one way, for being decoded another way; untouched where both are the same."""
    if have == need:
        return one
    numbers = as_numbers(one)
    return np.asarray(linear(numbers) if have == "srgb" else srgb(numbers), dtype=np.float32)


def _as_wide(one: Pixels, width: int, height: int) -> Pixels:
    """A channel of another size: repeated where it fits a whole number of times, else interpolated."""
    if one.shape == (height, width):
        return one
    if height % one.shape[0] == 0 and width % one.shape[1] == 0:
        return one.repeat(height // one.shape[0], axis=0).repeat(width // one.shape[1], axis=1)
    source = oiio.ImageBuf(np.ascontiguousarray(one[..., None]))
    grown = oiio.ImageBufAlgo.resize(source, "triangle", roi=oiio.ROI(0, width, 0, height))
    kind = {np.dtype(np.uint8): oiio.UINT8, np.dtype(np.uint16): oiio.UINT16}.get(one.dtype, oiio.FLOAT)
    return np.asarray(grown.get_pixels(kind))[..., 0]


def as_png(pixels: Pixels) -> bytes:
    """A picture of whole numbers as PNG; read again it is the same. Raises PictureError."""
    handle, name = tempfile.mkstemp(suffix=".png")
    os.close(handle)
    try:
        kind = "uint16" if pixels.dtype == np.uint16 else "uint8"
        spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], kind)
        spec.attribute("oiio:UnassociatedAlpha", 1)
        out = oiio.ImageOutput.create(name)
        if (
            out is None
            or not out.open(name, spec)
            or not out.write_image(np.ascontiguousarray(pixels))
            or not out.close()
        ):
            raise PictureError(f"a picture cannot be written: {text_of(oiio.geterror) or 'unknown reason'}.")
        if not np.array_equal(read_raw(name), pixels):
            raise PictureError("a picture that was put together does not read back as it was meant.")
        return Path(name).read_bytes()
    finally:
        Path(name).unlink(missing_ok=True)
