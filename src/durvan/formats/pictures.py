"""Pictures: what their headers say, and what light a picture of surroundings holds."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from pxr import Ar

from durvan.optics.photometry import latlong_illuminance
from durvan.scene.model import Picture, PictureState

_LARGEST = 64_000_000  # pixels that are read whole; above that a picture is judged by its header only


def look(written: str, resolved: str) -> Picture:
    """What can be told of a picture without reading its pixels. Never raises: the state says what is wrong."""
    if not resolved or not _exists(resolved):
        return Picture(written, resolved, PictureState.ABSENT)
    if "<UDIM>" in resolved:
        return Picture(written, resolved, PictureState.IN_PLACE)
    with _on_disk(resolved) as file:
        source = oiio.ImageInput.open(file) if file else None
        if source is None:
            oiio.geterror()
            return Picture(written, resolved, PictureState.UNREADABLE)
        spec = source.spec()
        found = Picture(written, resolved, PictureState.IN_PLACE)
        found.width, found.height, found.channels = spec.width, spec.height, spec.nchannels
        found.depth = str(spec.format)
        source.close()
    return found


@contextmanager
def _on_disk(resolved: str) -> Iterator[str]:
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
    if "[" in resolved:
        return Path(resolved.split("[", 1)[0]).is_file()
    if "<UDIM>" in resolved:
        place = Path(resolved)
        pattern = place.name.replace("<UDIM>", "[1-9][0-9][0-9][0-9]")
        return place.parent.is_dir() and any(place.parent.glob(pattern))
    try:
        return Path(resolved).is_file()
    except OSError:
        return False


def map_lux(resolved: str) -> float:
    """Illuminance in lux on level ground under a latitude–longitude picture whose 1 is 1 nit; 0 when it cannot be read."""
    with _on_disk(resolved) as file:
        source = oiio.ImageInput.open(file) if file else None
        if source is None:
            oiio.geterror()
            return 0.0
        spec = source.spec()
        small = spec.width * spec.height <= _LARGEST and spec.nchannels >= 3
        pixels = source.read_image(oiio.FLOAT) if small else None
        source.close()
    if pixels is None:
        return 0.0
    lit = np.asarray(pixels, dtype=np.float32)[..., :3]
    if str(spec.format) in ("uint8", "uint16"):
        lit = np.where(lit <= 0.04045, lit / 12.92, ((lit + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return latlong_illuminance(lit)
