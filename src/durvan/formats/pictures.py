"""Pictures: their pixels, and what light a picture of surroundings holds."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from pxr import Ar

from durvan.foreign import text_of
from durvan.optics import sky
from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.photometry import latlong_illuminance
from durvan.optics.tone import linear
from durvan.regular import why_not
from durvan.replacing import replacing

_LARGEST = 64_000_000  # pixels that are read whole; above that a picture is judged by its header only


@contextmanager
def on_disk(resolved: str) -> Iterator[str]:
    """A path that a picture library can open: of what lies in a package, a copy for as long as it is needed."""
    if "[" not in resolved:
        yield resolved
        return
    asset = Ar.GetResolver().OpenAsset(Ar.ResolvedPath(resolved))
    data = asset.GetBuffer() if asset is not None else None
    if data is None:
        yield ""
        return
    with tempfile.NamedTemporaryFile(suffix=Path(resolved.rstrip("]")).suffix) as copy:
        copy.write(bytes(data))
        copy.flush()
        yield copy.name


def _exists(resolved: str) -> bool:
    return not why_not(resolved.split("[", 1)[0])


def map_lux(resolved: str) -> float:
    """Illuminance in lux on level ground under a latitude–longitude picture whose 1 is 1 nit; 0 when it cannot be read."""
    made = sky.of_name(resolved)
    if made is not None:
        return latlong_illuminance(made)
    if not _exists(resolved):
        return 0.0
    with on_disk(resolved) as file:
        source = oiio.ImageInput.open(file) if file else None
        if source is None:
            text_of(oiio.geterror)
            return 0.0
        spec = source.spec()
        small = spec.width * spec.height <= _LARGEST and spec.nchannels >= 3
        pixels = source.read_image(oiio.FLOAT) if small else None
        source.close()
    if pixels is None:
        return 0.0
    lit = np.asarray(pixels, dtype=np.float32)[..., :3]
    if str(spec.format) in ("uint8", "uint16"):
        lit = linear(lit)
    return latlong_illuminance(lit)


@lru_cache(maxsize=256)
def _mean(resolved: str, stamp: int) -> float:
    del stamp
    found = pixels(resolved, "auto")
    if found is None:
        return 1.0
    return float(np.maximum(found[..., :3], 0.0).mean(axis=(0, 1), dtype=np.float64) @ np.array(REC709_LUMINANCE))


def mean_luminance(resolved: str) -> float:
    """Mean relative luminance of a picture as a renderer takes it; 1, that of a white one, when it cannot be read."""
    try:
        return _mean(resolved, Path(resolved).stat().st_mtime_ns)
    except (OSError, ValueError):
        return 1.0


def pixels(resolved: str, decode: str | float, most: int = 2048) -> NDArray[np.float32] | None:
    """A picture's linear Rec.709 values [height, width, 4], top row first; None when it cannot be read.

    `decode` is "srgb" (IEC 61966-2-1), a gamma number, or "auto": as sRGB when it is stored in whole numbers. Pictures
    wider or higher than `most` are brought down to it. Numbers that are none become 0.
    """
    made = sky.of_name(resolved)
    if made is not None:
        return np.concatenate([made, np.ones((*made.shape[:2], 1), np.float32)], axis=-1)
    if not resolved or not _exists(resolved):
        return None
    with on_disk(resolved) as file:
        buffer = oiio.ImageBuf(file, 0, _level(file, most)) if file else None
        if buffer is None or buffer.has_error or not buffer.spec().width or not buffer.spec().height:
            text_of(oiio.geterror)
            return None
        spec = buffer.spec()
        whole = str(spec.format) in ("uint8", "uint16")
        if max(spec.width, spec.height) > most:
            factor = most / max(spec.width, spec.height)
            size = oiio.ROI(0, max(1, round(spec.width * factor)), 0, max(1, round(spec.height * factor)))
            buffer = oiio.ImageBufAlgo.resize(buffer, "triangle", roi=size)
        found = buffer.get_pixels(oiio.FLOAT)
    if found is None or found.size == 0:
        return None
    return _decoded(np.asarray(found, dtype=np.float32), "srgb" if decode == "auto" and whole else decode)


def tiles_of(pattern: str) -> list[int]:
    """The numbers of the tiles that are there of a picture of tiles; "<UDIM>" in the path stands for them."""
    folder, _, name = pattern.replace("\\", "/").rpartition("/")
    before, _, after = name.partition("<UDIM>")
    found = []
    with suppress(OSError, ValueError):
        for file in Path(folder or ".").iterdir():
            number = file.name[len(before) : len(file.name) - len(after)]
            fits = file.name.startswith(before) and file.name.endswith(after)
            if fits and len(number) == 4 and number.isdecimal() and 1001 <= int(number) <= 2000:
                found.append(int(number))
    return sorted(found)


def _level(file: str, most: int) -> int:
    """The mip of a tiled picture that is just large enough; 0 for one without mips."""
    source = oiio.ImageInput.open(file)
    if source is None:
        return 0
    level = 0
    while source.seek_subimage(0, level + 1):
        spec = source.spec()
        if max(spec.width, spec.height) < most:
            break
        level += 1
    source.close()
    return level


def _decoded(found: NDArray[np.float32], decode: str | float) -> NDArray[np.float32]:
    height, width, channels = found.shape
    out = np.ones((height, width, 4), dtype=np.float32)
    out[..., :3] = found[..., :3] if channels >= 3 else found[..., :1]
    if channels in (2, 4):
        out[..., 3] = found[..., channels - 1]
    out = np.nan_to_num(out, nan=0.0, posinf=6e4, neginf=0.0)
    if decode == "srgb":
        out[..., :3] = linear(out[..., :3])
    elif isinstance(decode, int | float) and decode != 1.0:
        out[..., :3] = np.maximum(out[..., :3], 0.0) ** float(decode)
    return out


def save(
    file: Path, values: NDArray[np.float32], names: tuple[str, ...] = (), depth: str = "half", space: str = ""
) -> None:
    """Write a picture [height, width, channels] by replacing: linear into .exr of a depth ("half", "float"), else as it is in
    8 bits; a colour `space` is written into its header. Raises OSError.
    """
    kind = depth if file.suffix == ".exr" else "uint8"
    spec = oiio.ImageSpec(values.shape[1], values.shape[0], values.shape[2], kind)
    if names:
        spec.channelnames = names
    if space:
        spec.attribute("oiio:ColorSpace", space)
        spec.attribute("ColorSpace", space)
    with replacing(file) as part:
        made = oiio.ImageOutput.create(str(part))
        if made is None or not made.open(str(part), spec):
            raise OSError(f"{file}: {text_of(oiio.geterror) or 'this kind of picture cannot be written'}")
        written = made.write_image(np.ascontiguousarray(values, dtype=np.float32))
        if not (made.close() and written):
            raise OSError(f"{file}: {text_of(made.geterror) or 'it could not be written to its end'}")


def png(values: NDArray[np.floating[Any]]) -> bytes:
    """A picture [height, width, 3] between 0 and 1 as a PNG. Raises OSError."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "picture.png"
        save(file, values.astype(np.float32))
        return file.read_bytes()
