"""Small pictures, written on the spot."""

from __future__ import annotations

import os
import struct
import zlib
from pathlib import Path

import numpy as np
import OpenImageIO as oiio


def paint(file: Path, size: int = 16, seed: int = 0, channels: int = 3, kind: str = "uint8") -> str:
    """A picture of noise; its path."""
    file.parent.mkdir(parents=True, exist_ok=True)
    pixels = np.random.default_rng(seed).random((size, size, channels), dtype=np.float32)
    spec = oiio.ImageSpec(size, size, channels, kind)
    spec.attribute("DateTime", "2026:11:01 18:40:00")
    out = oiio.ImageOutput.create(str(file))
    assert out.open(str(file), spec), out.geterror()
    assert out.write_image(pixels)
    out.close()
    return str(file)


def header_only(file: Path, size: int) -> str:
    """A PNG whose header promises size × size pixels, and that holds none."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    head = struct.pack(">IIBBBBB", size, size, 8, 2, 0, 0, 0)
    file.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", b"") + chunk(b"IEND", b""))
    return str(file)


def older(file: str, seconds: float = 3600.0) -> None:
    """Let a file seem to have been changed earlier."""
    said = os.stat(file)
    os.utime(file, (said.st_atime - seconds, said.st_mtime - seconds))
