"""Pictures: what their headers say, and what light a picture of surroundings holds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from durvan.optics.photometry import latlong_illuminance
from durvan.scene.model import Picture, PictureState

_LARGEST = 64_000_000  # pixels that are read whole; above that a picture is judged by its header only


def look(written: str, resolved: str) -> Picture:
    """What can be told of a picture without reading its pixels. Never raises: the state says what is wrong."""
    if not resolved or not _exists(resolved):
        return Picture(written, resolved, PictureState.ABSENT)
    if "[" in resolved or "<UDIM>" in resolved:
        return Picture(written, resolved, PictureState.IN_PLACE)
    source = oiio.ImageInput.open(resolved)
    if source is None:
        oiio.geterror()
        return Picture(written, resolved, PictureState.UNREADABLE)
    spec = source.spec()
    found = Picture(written, resolved, PictureState.IN_PLACE)
    found.width, found.height, found.channels, found.depth = (
        spec.width,
        spec.height,
        spec.nchannels,
        str(spec.format),
    )
    source.close()
    return found


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
    source = oiio.ImageInput.open(resolved)
    if source is None:
        oiio.geterror()
        return 0.0
    spec = source.spec()
    pixels = source.read_image(oiio.FLOAT) if spec.width * spec.height <= _LARGEST and spec.nchannels >= 3 else None
    source.close()
    if pixels is None:
        return 0.0
    lit = np.asarray(pixels, dtype=np.float32)[..., :3]
    if str(spec.format) in ("uint8", "uint16"):
        lit = np.where(lit <= 0.04045, lit / 12.92, ((lit + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return latlong_illuminance(lit)
