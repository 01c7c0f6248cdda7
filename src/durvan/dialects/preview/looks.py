"""What USD Preview Surface and its nodes look like, from its specification (2.6)."""

from __future__ import annotations

from durvan.dialects.look import Inputs, Surface
from durvan.dialects.shared import preview_looks, usd_looks
from durvan.dialects.shared.looks import outputs, uvs
from durvan.graph import expression as ex
from durvan.graph.expression import Field

light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings

NAMES = ("rgb", "r", "g", "b", "a", "")


def surface(kind: str, get: Inputs) -> Surface:
    """UsdPreviewSurface, the one surface there is."""
    del kind
    return preview_looks.surface(get)


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Textures, transforms and readers of UVs; other readers give their fallback."""
    word = kind.removeprefix("preview.")
    if word == "texture":
        space = get.word("sourceColorSpace")
        light = get.word("file").lower().endswith((".exr", ".hdr"))
        decoded = space == "sRGB" or (space == "auto" and not light)
        return outputs(preview_looks.texture(get, "srgb" if decoded else 1.0), NAMES)
    if word == "transform":
        return {"result": preview_looks.moved(get)}
    if word == "reader":
        return {"result": uvs(get, "varname")}
    if word == "reader_float3":
        return {"result": ex.more(get.word("varname"), 3, get.numbers("fallback"))}
    if word.startswith("reader_"):
        return {"result": get("fallback")}
    return None
