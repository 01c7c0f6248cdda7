"""The two forms of glTF on disk: JSON with buffers beside it, and one binary file; read safely, every length checked."""

from __future__ import annotations

import base64
import binascii
import json
import math
import os
import re
import struct
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from durvan.errors import SceneFileError
from durvan.formats.gltf.lenient import listed
from durvan.regular import why_not

LARGEST = 8_000_000_000  # bytes of a file, and of a buffer
_MAGIC, _JSON, _BIN = 0x46546C67, 0x4E4F534A, 0x004E4942
_HALVES = re.compile(rb"\\u[dD][89abAB]|\\u[dD][c-fC-F]")


@dataclass
class Asset:
    """A file's document, and what its buffers are: `inside` is the binary chunk. `remarks` say what is odd about the file itself."""

    file: Path
    document: dict[str, Any]
    inside: bytes | None = None
    remarks: list[str] = field(default_factory=list)
    _buffers: dict[int, bytes] = field(default_factory=dict)

    def many(self, name: str) -> list[dict[str, Any]]:
        """A list of the document; empty where there is none. Raises SceneFileError for what is no list of objects."""
        found = self.document.get(name, [])
        if not isinstance(found, list) or not set(map(type, found)) <= {dict}:
            raise SceneFileError(f"has '{name}' that is no list of objects.", file=self.file, inside=f"/{name}")
        return found

    def one(self, name: str, index: object, inside: str) -> dict[str, Any]:
        """An entry of a list by its number. Raises SceneFileError with where it was asked for."""
        rows = self.document.get(name, [])
        if (
            not isinstance(index, int)
            or isinstance(index, bool)
            or not isinstance(rows, list)
            or not 0 <= index < len(rows)
        ):
            count = len(rows) if isinstance(rows, list) else 0
            raise SceneFileError(f"asks for {name} {index!r}, and there are {count}.", file=self.file, inside=inside)
        found = rows[index]
        if not isinstance(found, dict):
            raise SceneFileError(f"has {name} {index} that is no object.", file=self.file, inside=f"/{name}/{index}")
        return found

    def buffer(self, index: int) -> bytes:
        """The bytes of a buffer. Raises SceneFileError where they are not there, or too few."""
        known = self._buffers.get(index)
        if known is None:
            known = self._buffers[index] = self._read_buffer(index)
        return known

    def _read_buffer(self, index: int) -> bytes:
        inside = f"/buffers/{index}"
        said = self.one("buffers", index, inside)
        length, uri = said.get("byteLength"), said.get("uri")
        if not isinstance(length, int) or length < 0 or length > LARGEST:
            raise SceneFileError(f"has a buffer of the length {length!r}.", file=self.file, inside=inside)
        if uri is None:
            if index != 0 or self.inside is None:
                raise SceneFileError("has a buffer without a place.", file=self.file, inside=inside)
            data = self.inside
        else:
            data = self.bytes_of(uri, inside)
        if len(data) < length:
            raise SceneFileError(
                f"has a buffer of {len(data)} bytes where {length} are said.", file=self.file, inside=inside
            )
        return data

    def view(self, index: object, inside: str) -> tuple[bytes, int, int, int]:
        """A buffer view: the buffer's bytes, where the view begins and how long it is, and its stride (0: packed)."""
        said = self.one("bufferViews", index, inside)
        inside = f"/bufferViews/{index}"
        buffer = said.get("buffer")
        if not isinstance(buffer, int):
            raise SceneFileError(f"is of buffer {buffer!r}, which is none.", file=self.file, inside=inside)
        data = self.buffer(buffer)
        start, length, stride = said.get("byteOffset", 0), said.get("byteLength", 0), said.get("byteStride", 0)
        if not all(isinstance(n, int) and n >= 0 for n in (start, length, stride)) or start + length > len(data):
            raise SceneFileError(
                f"has a buffer view from {start!r} of {length!r} bytes in a buffer of {len(data)}.",
                file=self.file,
                inside=inside,
            )
        return data, start, length, stride

    def place(self, uri: str) -> str:
        """Where a path leads that is written in the document; empty for an address of a network."""
        return (
            ""
            if is_address(uri)
            else os.path.normpath(os.path.join(os.path.dirname(os.path.abspath(self.file)), unquote(uri)))
        )

    def bytes_of(self, uri: object, inside: str) -> bytes:
        """What a URI holds or leads to. Raises SceneFileError; an address is never fetched, and nothing outside of the folder read."""
        if not isinstance(uri, str):
            raise SceneFileError(f"has a URI that is no text: {uri!r:.60}.", file=self.file, inside=inside)
        if uri.startswith("data:"):
            return data_of(uri, self.file, inside)
        if is_address(uri):
            raise SceneFileError(
                f"lies at an address of a network, which is never read: {uri[:80]}.", file=self.file, inside=inside
            )
        if "\0" in unquote(uri):
            raise SceneFileError(f"leads nowhere, as no path holds a zero: {uri[:80]}.", file=self.file, inside=inside)
        place = os.path.realpath(self.place(uri))
        folder = os.path.realpath(os.path.dirname(os.path.abspath(self.file)))
        if os.path.commonpath([place, folder]) != folder:
            raise SceneFileError(
                f"lies outside of the file's folder, which is not read: {uri[:80]}.", file=self.file, inside=inside
            )
        reason = why_not(place, LARGEST)
        if reason:
            raise SceneFileError(f"{uri[:80]}: {reason}.", file=self.file, inside=inside)
        return Path(place).read_bytes()


def is_address(uri: str) -> bool:
    """Whether a URI has a scheme, so that it is no path of a file."""
    head, colon, _ = uri.partition(":")
    return (
        bool(colon)
        and len(head) > 1
        and head.isascii()
        and head[0].isalpha()
        and all(c.isalnum() or c in "+-." for c in head)
    )


def data_of(uri: str, file: Path, inside: str) -> bytes:
    """The bytes of a data URI. Raises SceneFileError."""
    head, comma, body = uri.partition(",")
    if not comma:
        raise SceneFileError("has a data URI without data.", file=file, inside=inside)
    if not head.endswith(";base64"):
        return unquote(body).encode("latin-1", "replace")
    try:
        return base64.b64decode(body.encode("ascii"), validate=True)
    except (binascii.Error, UnicodeEncodeError) as problem:
        raise SceneFileError(f"has a data URI that is not base64: {problem}.", file=file, inside=inside) from problem


def read_asset(file: Path) -> Asset:
    """A file's document, checked to be glTF 2. Raises SceneFileError with the reason and the place."""
    reason = why_not(file, LARGEST)
    if reason:
        raise SceneFileError(f"{reason}.", file=str(file)[:300])
    data = Path(file).read_bytes()
    if not data:
        raise SceneFileError("is empty.", file=file)
    asset = _binary(data, file) if data[:4] == b"glTF" else Asset(file, _json(data, file))
    _check(asset)
    return asset


def _json(data: bytes, file: Path) -> dict[str, Any]:
    try:
        found = json.loads(data.decode("utf-8-sig") if data[:3] == b"\xef\xbb\xbf" else data)
    except UnicodeDecodeError as problem:
        raise SceneFileError(f"is not UTF-8: {problem.reason} at byte {problem.start}.", file=file) from problem
    except json.JSONDecodeError as problem:
        raise SceneFileError(f"is not JSON: {problem.msg}.", file=file, inside=f"line {problem.lineno}") from problem
    except RecursionError as problem:
        raise SceneFileError("is nested too deep to be read.", file=file) from problem
    if not isinstance(found, dict):
        raise SceneFileError("holds no object.", file=file)
    if _HALVES.search(data):
        found = _with_whole_characters(found)
    document: dict[str, Any] = found
    return document


def _with_whole_characters(value: Any) -> Any:
    """A value in which halves of characters, which JSON can spell and no text can hold, are replaced."""
    if isinstance(value, str):
        return value.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    if isinstance(value, list):
        return [_with_whole_characters(one) for one in value]
    if isinstance(value, dict):
        return {_with_whole_characters(name): _with_whole_characters(one) for name, one in value.items()}
    return value


def _binary(data: bytes, file: Path) -> Asset:
    if len(data) < 20:
        raise SceneFileError(f"is cut off: a binary glTF has at least 20 bytes, this one {len(data)}.", file=file)
    _, version, length = struct.unpack_from("<III", data)
    if version != 2:
        raise SceneFileError(f"is binary glTF {version}; Durvan reads 2.", file=file, inside="byte 4")
    if length > len(data):
        raise SceneFileError(f"is cut off: it says {length} bytes and has {len(data)}.", file=file, inside="byte 8")
    document: dict[str, Any] | None = None
    inside: bytes | None = None
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise SceneFileError(
                f"has a chunk of {size} bytes where {length - at - 8} are left.", file=file, inside=f"byte {at}"
            )
        body = data[at + 8 : at + 8 + size]
        if document is None:
            if kind != _JSON:
                raise SceneFileError("does not begin with a JSON chunk.", file=file, inside=f"byte {at}")
            document = _json(body, file)
        elif kind == _BIN and inside is None:
            inside = body
        at += 8 + size
    if document is None:
        raise SceneFileError("has no JSON chunk.", file=file)
    asset = Asset(file, document, inside)
    if length < len(data):
        asset.remarks.append(f"{len(data) - length} bytes follow after its end.")
    return asset


_KNOWN = {
    "KHR_lights_punctual", "KHR_materials_clearcoat", "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_ior",
    "KHR_materials_specular", "KHR_materials_sheen", "KHR_materials_iridescence", "KHR_materials_anisotropy",
    "KHR_materials_emissive_strength", "KHR_materials_dispersion", "KHR_materials_diffuse_transmission", "KHR_materials_unlit",
    "KHR_texture_transform", "KHR_materials_variants", "KHR_mesh_quantization", "EXT_mesh_gpu_instancing", "KHR_draco_mesh_compression",
    "KHR_xmp_json_ld", "EXT_texture_webp", "KHR_node_visibility",
}  # fmt: skip


def _check(asset: Asset) -> None:
    said = asset.document.get("asset")
    version = said.get("version") if isinstance(said, dict) else None
    if not isinstance(version, str):
        raise SceneFileError("says no version of glTF.", file=asset.file, inside="/asset/version")
    if version.split(".")[0] != "2":
        raise SceneFileError(f"is glTF {version[:20]}; Durvan reads 2.", file=asset.file, inside="/asset/version")
    required = asset.document.get("extensionsRequired", [])
    unknown = [str(name)[:80] for name in listed(required) if not isinstance(name, str) or name not in _KNOWN]
    if unknown:
        asset.remarks.append(f"It needs {', '.join(unknown)}, which Durvan does not know; what they say is not shown.")


def text_of(document: dict[str, Any], **layout: Any) -> str:
    """A document as JSON, which has no word for numbers that are not finite: they must not be there."""
    return json.dumps(document, ensure_ascii=False, allow_nan=False, **layout)


def without_unsaid(value: Any, place: str, left: list[str]) -> Any:
    """A value without what JSON has no word for, numbers that are not finite; `left` gets where they stood."""
    if isinstance(value, float) and not math.isfinite(value):
        left.append(place)
        return None
    if isinstance(value, list):
        found = [without_unsaid(one, f"{place}/{n}", left) for n, one in enumerate(value)]
        return [0.0 if one is None and value[n] is not None else one for n, one in enumerate(found)]
    if isinstance(value, dict):
        found = [(name, one, without_unsaid(one, f"{place}/{name}", left)) for name, one in value.items()]
        return {name: new for name, one, new in found if new is not None or one is None}
    return value


def pack(document: dict[str, Any], inside: bytes | None) -> bytes:
    """A binary file of a document and its buffer."""
    text = text_of(document, separators=(",", ":")).encode("utf-8")
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), _JSON) + text
    if inside:
        body = inside + b"\0" * (-len(inside) % 4)
        chunks += struct.pack("<II", len(body), _BIN) + body
    return struct.pack("<III", _MAGIC, 2, 12 + len(chunks)) + chunks
