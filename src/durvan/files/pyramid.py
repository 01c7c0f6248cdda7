"""One picture's tiled copy with smaller and smaller pictures of itself (mips), through OpenImageIO's readers and writers.

The pyramid is made strip by strip, so that a picture of any size takes little memory, can be stopped, and is filtered
as its use asks: colours in linear light, normals brought back to unit length, heights as they are.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from durvan.errors import PictureError
from durvan.files import facts, paths
from durvan.files.copies import Task, Use, made_as
from durvan.foreign import text_of
from durvan.optics.tone import linear, srgb
from durvan.progress import Report, Step, silent
from durvan.replacing import replacing

TILE = 64
_STRIP = 128  # lines that are held at once: two rows of tiles, so that every mip gets whole lines
Lines = NDArray[np.float32]


def make(task: Task, report: Report = silent) -> int:
    """Make one copy; its size in bytes. Raises PictureError; a stop or an error leaves nothing half-written behind."""
    key = facts.stamp(task.original)
    if key is None:
        raise PictureError("is not there.", file=task.original)
    try:
        with replacing(Path(task.copy), make_folder=True) as fresh:
            with ExitStack() as stack:
                _Pyramid(task, key, str(fresh), stack, report).run()
            _sound(str(fresh), task)
        return os.path.getsize(task.copy)
    except OSError as problem:
        raise PictureError(
            f"its copy cannot be written: {problem.strerror or problem}.", file=task.original
        ) from problem


def _sound(fresh: str, task: Task) -> None:
    """A copy that does not read back takes nobody's place: a full disk is not always told when a file is closed."""
    found = oiio.ImageInput.open(fresh)
    whole = found is not None
    if found is not None:
        last = 0
        while found.seek_subimage(0, last + 1):
            last += 1
        for level in (last, 0):
            whole = whole and found.seek_subimage(0, level)
            whole = whole and found.read_tiles(0, level, *_last_tile(found.spec()), oiio.FLOAT) is not None
        found.close()
    if not whole:
        raise PictureError(f"its copy does not read back ({text_of(oiio.geterror)[:200].strip()}).", file=task.original)


class _Pyramid:
    """Reads strips of a picture, writes them as tiles, and halves them into the next level, and so on down."""

    def __init__(self, task: Task, key: facts.Stamp, out: str, stack: ExitStack, report: Report) -> None:
        self.task, self.out, self.stack, self.report = task, out, stack, report
        config = oiio.ImageSpec()
        config.attribute("oiio:UnassociatedAlpha", 1)
        source, problem = facts.opened(task.original, config)
        if source is None:
            raise PictureError(f"{problem}.", file=task.original)
        self.source = source
        stack.callback(self.source.close)
        writer = oiio.ImageOutput.create(out)
        if writer is None:
            raise PictureError(f"no copy can be made ({text_of(oiio.geterror)[:160].strip()}).", file=task.original)
        self.writer = writer
        self.spec = self.source.spec()
        self.scratch: list[BinaryIO] = []
        self.sizes = _sizes(self.spec.width, self.spec.height)
        self.made_as = made_as(key, f"{task.use} {task.settings.key}")
        self.encoded = task.use is Use.COLOUR and str(self.spec.format) in ("uint8", "uint16")

    def run(self) -> None:
        self._open(0)
        self.stack.callback(self.writer.close)
        height = self.sizes[0][1]
        halvers = [
            _Halver(size, following, self.task.settings.filter)
            for size, following in zip(self.sizes, self.sizes[1:], strict=False)
        ]
        self.scratch = [self.stack.enter_context(tempfile.TemporaryFile()) for _ in halvers]  # noqa: SIM115 - the stack closes them
        for top, lines in self._strips():
            self._write(lines, top)
            self._down(halvers, 0, self._linear(lines), top + len(lines) >= height)
            self.report(
                Step(f"Preparing {paths.shown(os.path.basename(self.task.original))}", top + len(lines), height)
            )
        for level, file in enumerate(self.scratch, 1):
            self._open(level)
            self._lower(level, file)
        if not self.writer.close():
            raise OSError(0, self._trouble())

    def _trouble(self) -> str:
        return text_of(self.writer.geterror)[:200].strip() or "the disk took no more"

    def _open(self, level: int) -> None:
        width, height = self.sizes[level]
        depth = self.task.settings.depth
        of = str(self.spec.format) if depth == "same" else depth
        exr = self.out.endswith(".exr")
        if exr and of not in ("half", "float"):
            of = "half"
        if not exr and of == "half":
            of = "float"
        spec = oiio.ImageSpec(width, height, self.spec.nchannels, of)
        spec.channelnames = self.spec.channelnames
        spec.alpha_channel = self.spec.alpha_channel
        spec.tile_width = spec.tile_height = TILE
        spec.tile_depth = 1
        compression = self.task.settings.compression
        spec.attribute("compression", compression if exr or compression != "dwaa" else "zip")
        wrap = self.task.settings.wrap
        for name, said in (
            ("textureformat", "LatLong Environment" if self.task.use is Use.SURROUNDINGS else "Plain Texture"),
            ("wrapmodes", f"{wrap},{wrap}"), ("Software", "durvan"),
            ("ImageDescription", f"{facts.COPY_OF}{os.path.basename(self.task.original)}\n{self.made_as}"),  # TIFF keeps only this
        ):  # fmt: skip
            spec.attribute(name, said)
        if str(self.spec.get_string_attribute("oiio:ColorSpace")):
            spec.attribute("oiio:ColorSpace", self.spec.get_string_attribute("oiio:ColorSpace"))
        spec.attribute("oiio:UnassociatedAlpha", 1)
        spec.attribute("openexr:levelmode", 1)
        spec.attribute("openexr:roundingmode", 0)
        lower = "AppendMIPLevel" if exr else "AppendSubimage"  # TIFF keeps its mips as pictures of their own
        if not self.writer.open(self.out, spec, lower if level else "Create"):
            raise OSError(0, self._trouble())

    def _strips(self) -> Iterator[tuple[int, NDArray[Any]]]:
        """Lines of the picture as they are stored, from the top, a strip at a time."""
        height = self.spec.height
        of = self.spec.format
        for top in range(0, height, _STRIP):
            low, high = self.spec.y + top, self.spec.y + min(top + _STRIP, height)
            if self.spec.tile_width:
                high_tile = self.spec.y + min(
                    -(-(high - self.spec.y) // self.spec.tile_height) * self.spec.tile_height, height
                )
                low_tile = self.spec.y + (low - self.spec.y) // self.spec.tile_height * self.spec.tile_height
                x, wide = self.spec.x, self.spec.width
                found = self.source.read_tiles(0, 0, x, x + wide, low_tile, high_tile, 0, 1, 0, self.spec.nchannels, of)
                found = found[low - low_tile : high - low_tile] if found is not None else None
            else:
                found = self.source.read_scanlines(0, 0, low, high, 0, 0, self.spec.nchannels, of)
            if found is None:
                why = text_of(self.source.geterror)[:160].strip()
                raise PictureError(f"breaks off at line {top} of {height} ({why}).", file=self.task.original)
            yield top, np.asarray(found)

    def _write(self, lines: NDArray[Any], top: int) -> None:
        height, wide = lines.shape[:2]
        done = self.writer.write_tiles(0, wide, top, top + height, 0, 1, np.ascontiguousarray(lines))
        if not done:
            raise OSError(0, self._trouble())

    # values for filtering, and back

    def _linear(self, lines: NDArray[Any]) -> Lines:
        scaled = _as_float(lines)
        if self.encoded:
            colours = scaled[..., : min(3, scaled.shape[2])] if scaled.shape[2] >= 3 else scaled[..., :1]
            colours[...] = _light_of(lines[..., : colours.shape[2]], colours)
        return scaled

    def _stored(self, lines: Lines) -> NDArray[Any]:
        out = lines
        if self.task.use is Use.NORMAL and lines.shape[2] >= 3:
            out = _renormalised(out, signed=str(self.spec.format) not in ("uint8", "uint16"))
        if self.encoded:
            out = out.copy()
            colours = out[..., : min(3, out.shape[2])] if out.shape[2] >= 3 else out[..., :1]
            colours[...] = srgb(colours)
        return out

    # the levels below

    def _down(self, halvers: list[_Halver], level: int, lines: Lines, last: bool) -> None:
        if level < len(halvers):
            fewer = halvers[level].take(lines, last)
            if len(fewer):
                self.scratch[level].write(np.ascontiguousarray(fewer, dtype=np.float32).tobytes())
            if len(fewer) or last:
                self._down(halvers, level + 1, fewer, last)

    def _lower(self, level: int, file: BinaryIO) -> None:
        width, height = self.sizes[level]
        row = width * self.spec.nchannels
        file.seek(0)
        for top in range(0, height, _STRIP):
            many = min(_STRIP, height - top)
            raw = file.read(many * row * 4)
            lines = np.frombuffer(raw, np.float32).reshape(many, width, self.spec.nchannels)
            self._write(self._stored(lines), top)
            self.report(Step(f"Preparing {paths.shown(os.path.basename(self.task.original))}", height, height))


def _last_tile(spec: oiio.ImageSpec) -> tuple[int, int, int, int, int, int, int, int]:
    x = (spec.width - 1) // spec.tile_width * spec.tile_width
    y = (spec.height - 1) // spec.tile_height * spec.tile_height
    return (x, min(x + spec.tile_width, spec.width), y, min(y + spec.tile_height, spec.height), 0, 1, 0, spec.nchannels)


def _sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Width and height of every level, down to one pixel; halves are rounded down."""
    out = [(width, height)]
    while out[-1] != (1, 1):
        out.append((max(1, out[-1][0] // 2), max(1, out[-1][1] // 2)))
    return out


def _as_float(lines: NDArray[Any]) -> Lines:
    if lines.dtype == np.uint8:
        return lines.astype(np.float32) * np.float32(1 / 255)
    if lines.dtype == np.uint16:
        return lines.astype(np.float32) * np.float32(1 / 65535)
    return lines.astype(np.float32)


_EIGHT = linear(np.arange(256, dtype=np.float32) / np.float32(255))


def _light_of(lines: NDArray[Any], scaled: Lines) -> Lines:
    return _EIGHT[lines] if lines.dtype == np.uint8 else linear(scaled)


def _renormalised(lines: Lines, signed: bool) -> Lines:
    """Normals at unit length again: stored in 0 to 1, or as they are when `signed` and any is negative."""
    out = lines.copy()
    as_is = signed and bool((lines[..., :3] < 0).any())
    vectors = lines[..., :3] if as_is else lines[..., :3] * 2 - 1
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    unit = np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), np.array((0, 0, 1), np.float32))
    out[..., :3] = unit if as_is else unit * 0.5 + 0.5
    return out


class _Halver:
    """Takes the lines of one level as they come and gives those of the next."""

    def __init__(self, size: tuple[int, int], following: tuple[int, int], kind: str) -> None:
        self.width, self.height = size
        self.out_width, self.out_height = following
        self.tent = kind == "tent" and min(size) >= 4
        self.kept: Lines | None = None
        self.taken = 0
        self.given = 0

    def take(self, lines: Lines, last: bool) -> Lines:
        """Lines of the next level that can be told now."""
        across = self._across(lines)
        held = across if self.kept is None else np.concatenate([self.kept, across])
        first = self.taken - (len(held) - len(across))  # which line the first held one is
        self.taken += len(across)
        out = []
        if self.height == 1:
            many = 1 if last else 0
        elif last:
            many = self.out_height - self.given
        else:
            spare = 3 if not self.tent else 4  # what an odd end and the tent's feet still need
            many = max(0, min((self.taken - spare) // 2, self.out_height) - self.given)
        if many > 0:
            out.append(self._downwards(held, first, self.given, many))
            self.given += many
        keep = max(0, 2 * self.given - 1 - first)
        self.kept = held[keep:].copy() if not last else None
        return out[0] if out else np.empty((0, self.out_width, lines.shape[2]), np.float32)

    def _across(self, lines: Lines) -> Lines:
        wide = lines.shape[1]
        if wide == 1:
            return lines
        even = lines[:, 0 : 2 * self.out_width : 2]
        odd = lines[:, 1 : 2 * self.out_width : 2]
        if self.tent:
            before = np.concatenate([lines[:, -1:], odd[:, :-1]], axis=1)  # it wraps round, as tiling pictures do
            after = np.concatenate([even[:, 1:], lines[:, :1]], axis=1)
            return np.asarray((before + 3 * even + 3 * odd + after) * np.float32(0.125))
        out = (even + odd) * np.float32(0.5)
        if wide % 2:  # the last column belongs to the last pair
            out[:, -1] = (lines[:, -3] + lines[:, -2] + lines[:, -1]) / 3
        return out

    def _downwards(self, held: Lines, first: int, start: int, many: int) -> Lines:
        if self.height == 1:
            return held[:1]
        at = 2 * start - first
        even, odd = held[at : at + 2 * many : 2], held[at + 1 : at + 2 * many : 2]
        if self.tent:
            rows = np.arange(2 * start - 1, 2 * (start + many) - 1, 2)
            before = held[np.clip(rows, max(first, 0), None) - first]
            after = held[np.minimum(rows + 3, first + len(held) - 1) - first]
            return np.asarray((before + 3 * even + 3 * odd + after) * np.float32(0.125))
        out = (even + odd) * np.float32(0.5)
        if self.height % 2 and start + many == self.out_height:
            out[-1] = (held[-3] + held[-2] + held[-1]) / 3
        return out
