"""What a file is, told by its first bytes: size, kind of picture, resolution, depth, tiles, mips; and its checksum.

Reading a header is dear beside asking the disk when a file was changed, so facts are kept for as long as it was not.
"""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import OpenImageIO as oiio

from durvan.errors import ProfileError
from durvan.files.paths import ending
from durvan.foreign import text_of
from durvan.formats import profiles
from durvan.regular import why_not

SCENES = (".usd", ".usda", ".usdc", ".usdz")
CACHES = (".abc", ".vdb", ".obj", ".ply", ".gltf", ".glb", ".fbx")
CONFIGS = (".ocio", ".ocioz")
PROFILES = (".ies",)
COPY_OF = "tiled copy of "  # begins the description of a copy; then the original's name, and how it was made
HUGE = 8192  # pixels on a side from which a picture without tiles is slow to render
_BLOCK = 1 << 20


@dataclass(frozen=True, slots=True)
class Facts:
    """A file's size in bytes and time of change (ns), and of a picture what its header says.

    `problem` says why it cannot be read; `format` is what it really is, `tile` 0 when it is stored in lines.
    `decode` is the colour space that its header states, if any; `made_from` and `made_as` are what a tiled copy says of itself.
    """

    size: int = 0
    changed: int = 0
    format: str = ""
    width: int = 0
    height: int = 0
    channels: int = 0
    depth: str = ""
    tile: int = 0
    mips: int = 1
    decode: str = ""
    made_from: str = ""
    made_as: str = ""
    alpha: bool = False
    problem: str = ""

    @property
    def picture(self) -> bool:
        """Whether it is a picture that opens."""
        return self.width > 0 and not self.problem

    @property
    def prepared(self) -> bool:
        """Whether it is tiled with smaller copies of itself."""
        return self.tile > 0 and self.mips > 1


Stamp = tuple[str, int, int]
_known: dict[Stamp, Facts] = {}
_sums: dict[Stamp, str] = {}
_lock = threading.Lock()
_MOST_KEPT = 100_000


def stamp(path: str) -> Stamp | None:
    """A file's path, size and time of change; None when there is no such file."""
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        return None
    return (path, found.st_size, found.st_mtime_ns) if os.path.isfile(path) else None


def facts(path: str) -> Facts | None:
    """What a file is; None when there is none. Never raises: `problem` says what is wrong."""
    key = stamp(path)
    if key is None:
        return None
    with _lock:
        known = _known.get(key)
    if known is None:
        known = _read(*key)
        with _lock:
            if len(_known) >= _MOST_KEPT:
                _known.clear()
            _known[key] = known
    return known


def remember(path: str, found: Facts) -> None:
    """Put facts by that were learnt in another way, such as that the pixels break off."""
    key = stamp(path)
    if key is not None:
        with _lock:
            _known[key] = found


def facts_of_all(paths: Iterable[str], workers: int = 0) -> dict[str, Facts]:
    """Facts of many files at once; those that are not there are left out."""
    wanted = list(dict.fromkeys(paths))
    if len(wanted) < 16:
        found = [facts(path) for path in wanted]
    else:
        with ThreadPoolExecutor(workers or min(8, (os.cpu_count() or 1) * 2), "durvan-facts") as pool:
            found = list(pool.map(facts, wanted))
    return {path: said for path, said in zip(wanted, found, strict=True) if said is not None}


def checksum(path: str, stop: Callable[[], bool] = lambda: False) -> str:
    """SHA-256 of a file's bytes, in hexadecimal; empty when it cannot be read, or was stopped."""
    key = stamp(path)
    if key is None:
        return ""
    with _lock:
        known = _sums.get(key)
    if known:
        return known
    digest = hashlib.sha256()
    try:
        with open(path, "rb") as stream:
            while block := stream.read(_BLOCK):
                digest.update(block)
                if stop():
                    return ""
    except OSError:
        return ""
    with _lock:
        if len(_sums) >= _MOST_KEPT:
            _sums.clear()
        _sums[key] = digest.hexdigest()
    return digest.hexdigest()


def same_bytes(paths: list[str]) -> bool:
    """Whether files hold the same; their sizes are compared first."""
    found = [stamp(path) for path in paths]
    if any(one is None for one in found) or len({one[1] for one in found if one is not None}) > 1:
        return False
    sums = {checksum(path) for path in paths}
    return len(sums) == 1 and "" not in sums


def _read(path: str, size: int, changed: int) -> Facts:
    if size == 0:
        return Facts(size, changed, problem="is empty")
    suffix = ending(path)
    if suffix in SCENES + CACHES + CONFIGS:
        return Facts(size, changed, suffix[1:])
    if suffix in PROFILES:
        return Facts(size, changed, "ies", problem=_profile_problem(path))
    return _header(path, size, changed)


def _header(path: str, size: int, changed: int) -> Facts:
    source, problem = opened(path)
    if source is None:
        return Facts(size, changed, problem=problem)
    spec = source.spec()
    mips = 1
    while spec.tile_width and mips < 32 and source.seek_subimage(0, mips):
        mips += 1
    text = spec.get_string_attribute
    described = text("ImageDescription") if text("ImageDescription").startswith(COPY_OF) else ""
    original, _, settings = described.removeprefix(COPY_OF).partition("\n")
    found = Facts(
        size, changed, source.format_name(), spec.width, spec.height, spec.nchannels, str(spec.format),
        spec.tile_width, mips, text("oiio:ColorSpace"), original, settings,
        spec.alpha_channel >= 0, _broken_off(path, size, source.format_name()),
    )  # fmt: skip
    source.close()
    text_of(oiio.geterror)
    return found


def opened(path: str, config: oiio.ImageSpec | None = None) -> tuple[oiio.ImageInput | None, str]:
    """A picture opened by the picture library, or why it cannot be."""
    reason = why_not(path)
    if reason:
        return None, reason
    try:
        source = oiio.ImageInput.open(path, config) if config is not None else oiio.ImageInput.open(path)
    except (TypeError, UnicodeError):
        return None, "has a name that is no UTF-8, which the picture library cannot open"
    return source, "" if source is not None else _tidy(text_of(oiio.geterror), path)


def _tidy(message: str, path: str) -> str:
    said = " ".join(message.replace(path, "").replace('""', "").split()).strip(" :.")
    return f"cannot be read as a picture ({said[:160]})" if said else "cannot be read as a picture"


def _broken_off(path: str, size: int, kind: str) -> str:
    """Why a picture is not whole, by how its last bytes should look; empty when they do, or when that cannot be told."""
    ends = {"png": (b"IEND", 12), "jpeg": (b"\xff\xd9", 4096)}.get(kind)
    if ends is None:
        return ""
    try:
        with open(path, "rb") as stream:
            stream.seek(max(0, size - ends[1]))
            return "" if ends[0] in stream.read() else "breaks off before its end"
    except OSError as problem:
        return f"cannot be read ({problem.strerror})"


def _profile_problem(path: str) -> str:
    """What is wrong with a light profile (IES LM-63), or with the light that it gives."""
    try:
        profile = profiles.read(path)
    except ProfileError as problem:
        return f"{problem.what.rstrip('.')} ({problem.inside})" if problem.inside else problem.what.rstrip(".")
    return "" if profile.candela.any() else "holds no light: every intensity is 0"
