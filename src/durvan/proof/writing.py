"""A picture with all that is known of it as one file: an OpenEXR of parts, a layer each, that any program can read."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from durvan.errors import PictureError
from durvan.foreign import text_of
from durvan.proof import cryptomatte
from durvan.proof.picture import Picture, Pixels
from durvan.replacing import replacing

MADE = "durvan:made"  # in the header: what a picture was made from


@dataclass(frozen=True)
class _Part:
    name: str
    values: Pixels
    channels: tuple[str, ...]
    header: Mapping[str, str] = field(default_factory=dict)


def save(
    picture: Picture, file: Path, more: Mapping[str, Pixels] | None = None, made: Mapping[str, Any] | None = None
) -> None:
    """Write a picture; `more` are further layers [height, width, 1 or 3] by name, `made` is what it was made from, which goes into the
    header. Raises PictureError.
    """
    header = {MADE: json.dumps(made, ensure_ascii=False, sort_keys=True)} if made else {}
    parts = [_Part("", picture.rgb, ("R", "G", "B"), header)]
    parts += [_Part(f"light:{name}", read(), ("R", "G", "B")) for name, read in picture.lights.items()]
    if picture.variance is not None:
        parts.append(_Part("variance", picture.variance[..., None], ("Y",)))
    for title, ids in (("CryptoMaterial", picture.materials), ("CryptoObject", picture.objects)):
        if ids is not None:
            values = cryptomatte.channels(ids)
            parts.append(_Part(f"{title}00", values, ("R", "G", "B", "A"), cryptomatte.header(title, ids)))
    for name, values in (more or {}).items():
        channels = ("X", "Y", "Z") if values.shape[2] == 3 else ("Z",)
        parts.append(_Part(name, values, channels))
    _write(parts, file)


def _write(parts: list[_Part], file: Path) -> None:
    specs = [_spec(part) for part in parts]
    with replacing(file) as at:
        made = oiio.ImageOutput.create(str(at))
        if made is None:
            raise PictureError(f"cannot be written: {text_of(oiio.geterror)[:200]}.", file=file)
        good = made.open(str(at), tuple(specs))
        for number, part in enumerate(parts):
            if good and number:
                good = made.open(str(at), specs[number], "AppendSubimage")
            good = good and made.write_image(np.ascontiguousarray(part.values, dtype=np.float32))
        said = "" if good else text_of(made.geterror)
        if not (made.close() and good):
            raise PictureError(f"cannot be written: {said[:200] or 'the disk did not take it'}.", file=file)


def _spec(part: _Part) -> Any:
    height, width = part.values.shape[:2]
    spec = oiio.ImageSpec(width, height, len(part.channels), "float")  # half has no word for what is bright
    prefix = f"{part.name}." if part.name else ""
    spec.channelnames = tuple(prefix + channel for channel in part.channels)
    spec.attribute("oiio:subimagename", part.name or "picture")
    spec.attribute("compression", "zip")
    for name, value in part.header.items():
        spec.attribute(name, value)
    return spec
