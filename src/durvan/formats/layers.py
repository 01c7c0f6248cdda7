"""Pictures with many layers: which there are, in which part of the file, and their pixels, each read when it is asked for."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from durvan.errors import PictureError
from durvan.foreign import text_of
from durvan.regular import why_not

Pixels = NDArray[np.float32]
LARGEST = 200_000_000  # pixels of a layer
SOON = 120_000_000  # bytes that are read within a moment
_ROWS = {
    "none": 1,
    "rle": 1,
    "zips": 1,
    "zip": 16,
    "pxr24": 16,
    "piz": 32,
    "b44": 32,
    "b44a": 32,
    "dwaa": 32,
    "dwab": 256,
}
_WHOLE = ("uint8", "uint16", "uint32", "int8", "int16", "int32")


@dataclass(frozen=True)
class Layer:
    """Where a layer is: its part of the file, and the names of its channels with their places there."""

    name: str
    part: int
    channels: tuple[str, ...]
    places: tuple[int, ...]


@dataclass(frozen=True)
class Window:
    """Where a part's pixels lie in the picture: left and top corner, width and height."""

    left: int
    top: int
    width: int
    height: int


@dataclass(frozen=True)
class Layered:
    """A picture file: size of the picture, layers by name ("" the main one), what its parts say of themselves, whether it is stored in
    whole numbers, and how much wider than high a pixel is.
    """

    file: Path
    width: int
    height: int
    layers: dict[str, Layer]
    windows: tuple[Window, ...]
    attributes: dict[str, Any]
    whole: bool
    pixel_aspect: float
    weights: tuple[
        int, ...
    ] = ()  # bytes that each part comes to when it is read; a layer that lies among others is read with them
    blocks: tuple[int, ...] = ()  # rows that are stored together in each part; 0 where they are not, as in tiles
    tops: tuple[int, ...] = ()  # where each part's rows are counted from

    def soon(self, name: str, most: int = SOON) -> Pixels | None:
        """A first impression of a layer that lies among many others, of about so many bytes: some blocks of rows, and between them what lies
        between; None where all of it is read as soon. Raises PictureError.
        """
        layer = self.layers[name]
        rows, window = self.blocks[layer.part], self.windows[layer.part]
        every = math.ceil(self.weights[layer.part] / most)
        if every < 2 or not rows or window.height < 4 * rows * every:
            return None
        firsts = [*range(0, window.height - rows, rows * every), (window.height - 1) // rows * rows]
        known: list[Pixels] = []
        at: list[int] = []
        source = _opened(self.file)
        try:
            for first in firsts:
                end = min(first + rows, window.height)
                found = source.read_scanlines(
                    layer.part, 0, first + self.tops[layer.part], end + self.tops[layer.part], 0, min(layer.places), max(layer.places) + 1, oiio.FLOAT
                )  # fmt: skip
                if found is None:
                    return None  # reading all of it says what is wrong
                known.append(np.asarray(found, dtype=np.float32).reshape(end - first, window.width, -1))
                at.extend(range(first, end))
        finally:
            source.close()
        values = np.concatenate(known)[..., [place - min(layer.places) for place in layer.places]]
        return self._framed(_between(values, np.array(at), window.height), window)

    def read(self, name: str) -> Pixels:
        """A layer's pixels [height, width, channels], the picture's frame; 0 where the file has none. Raises PictureError."""
        layer = self.layers[name]
        source = _opened(self.file)
        try:
            first, end = min(layer.places), max(layer.places) + 1
            found = source.read_image(layer.part, 0, first, end, oiio.FLOAT)
        finally:
            source.close()
        if found is None:
            said = text_of(source.geterror).splitlines()[0:1] or ["its pixels are not all there"]
            raise PictureError(
                f"cannot be read to its end: {said[0][:200]}.", file=self.file, inside=name or "main layer"
            )
        window = self.windows[layer.part]
        values = np.asarray(found, dtype=np.float32).reshape(window.height, window.width, end - first)
        values = values[..., [place - first for place in layer.places]]
        return self._framed(values, window)

    def _framed(self, values: Pixels, window: Window) -> Pixels:
        if (window.left, window.top, window.width, window.height) == (0, 0, self.width, self.height):
            return np.ascontiguousarray(values)
        out = np.zeros((self.height, self.width, values.shape[2]), dtype=np.float32)
        left, top = max(window.left, 0), max(window.top, 0)
        right = min(window.left + window.width, self.width)
        low = min(window.top + window.height, self.height)
        if right > left and low > top:
            out[top:low, left:right] = values[
                top - window.top : low - window.top, left - window.left : right - window.left
            ]
        return out


def _between(values: Pixels, at: NDArray[np.int64], height: int) -> Pixels:
    """Rows that stand at some heights, and all between them in a straight line."""
    wanted = np.arange(height)
    after = np.clip(np.searchsorted(at, wanted), 1, len(at) - 1)
    low, high = at[after - 1], at[after]
    share = np.clip((wanted - low) / np.maximum(high - low, 1), 0.0, 1.0).astype(np.float32)[:, None, None]
    return np.asarray(values[after - 1] * (1.0 - share) + values[after] * share, dtype=np.float32)


def _opened(file: Path) -> Any:
    source = oiio.ImageInput.open(str(file))
    if source is None:
        said = text_of(oiio.geterror).splitlines()[0:1] or ["it is no picture"]
        raise PictureError(f"cannot be read as a picture: {said[0][:200]}.", file=file)
    return source


def open_layers(file: Path) -> Layered:
    """What a file holds; no pixels are read. Raises PictureError."""
    reason = why_not(file)
    if reason:
        raise PictureError(f"{reason}.", file=str(file)[:300])
    source = _opened(file)
    try:
        specs: list[Any] = []
        while source.seek_subimage(len(specs), 0):
            specs.append(source.spec())
    finally:
        source.close()
    first = specs[0]
    for number, spec in enumerate(specs):
        if spec.deep:
            raise PictureError(
                "is a deep picture, many values a pixel; flatten it first.", file=file, inside=f"part {number + 1}"
            )
        if spec.width * spec.height > LARGEST or first.full_width * first.full_height > LARGEST:
            size = f"{spec.full_width} × {spec.full_height}"
            raise PictureError(
                f"is too large to be compared: {size} pixels, {LARGEST // 10**6} million at most.", file=file
            )
    windows = tuple(Window(spec.x - first.full_x, spec.y - first.full_y, spec.width, spec.height) for spec in specs)
    attributes: dict[str, Any] = {}
    for spec in reversed(specs):
        attributes.update({item.name: item.value for item in spec.extra_attribs})
    return Layered(
        file, first.full_width, first.full_height, _layers(specs), windows, attributes,
        str(first.format) in _WHOLE, float(attributes.get("PixelAspectRatio", 1.0)) or 1.0,
        tuple(spec.image_bytes(True) for spec in specs), tuple(_rows_together(spec) for spec in specs), tuple(spec.y for spec in specs),
    )  # fmt: skip


def _rows_together(spec: Any) -> int:
    if spec.tile_width or spec.format == "uint8":
        return 0
    return _ROWS.get(str(spec.getattribute("compression") or "none").partition(":")[0], 0)


def _layers(specs: list[Any]) -> dict[str, Layer]:
    found: dict[str, tuple[int, list[str], list[int]]] = {}
    for part, spec in enumerate(specs):
        title = str(spec.getattribute("oiio:subimagename") or "")
        for place, channel in enumerate(spec.channelnames):
            layer, _, short = str(channel).rpartition(".")
            name = layer
            if part > 0 and (not layer or title):
                name = title if not layer or layer == title else f"{title}.{layer}"
            _, channels, places = found.setdefault(name, (part, [], []))
            if found[name][0] == part:
                channels.append(short)
                places.append(place)
    return {name: _ordered(Layer(name, part, tuple(c), tuple(p))) for name, (part, c, p) in found.items()}


def _ordered(layer: Layer) -> Layer:
    """Its channels in the order that colours have, whatever the file's."""
    order = {"R": 0, "G": 1, "B": 2, "A": 3, "r": 0, "g": 1, "b": 2, "a": 3, "X": 0, "Y": 1, "Z": 2}
    rows = sorted(zip(layer.channels, layer.places, strict=True), key=lambda row: (order.get(row[0], 9), row[1]))
    return Layer(layer.name, layer.part, tuple(name for name, _ in rows), tuple(place for _, place in rows))
