"""Shader definitions in a USD file, as renderers ship them for their own nodes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pxr import Sdf, UsdShade

from durvan.formats.defined import Input, Word, bounds_of, unit_of
from durvan.formats.usd.opening import open_stage
from durvan.scene.graph import Value

_TYPES = {
    "float": "float", "double": "float", "int": "int", "bool": "bool", "string": "string", "token": "token", "asset": "file",
    "color3f": "color", "color4f": "vector4", "float2": "vector2", "float3": "vector3", "vector3f": "vector3", "normal3f": "normal",
    "point3f": "vector3", "terminal": "surface",
}  # fmt: skip


def shaders(file: Path) -> list[Word]:
    """Every shader of a file that has an identifier or is defined by its name. Raises SceneFileError."""
    stage = open_stage(file).stage
    out = []
    for prim in stage.TraverseAll():
        if prim.GetTypeName() != "Shader":
            continue
        shader = UsdShade.Shader(prim)
        name = shader.GetIdAttr().Get() or prim.GetName()
        said = prim.GetMetadata("sdrMetadata") or {}
        inputs = tuple(_input(one) for one in shader.GetInputs())
        outputs = {
            end: "surface" if end == "surface" else _type(one)
            for one in shader.GetOutputs()
            if (end := one.GetBaseName())
        }
        meaning = str(prim.GetMetadata("documentation") or said.get("help", ""))
        out.append(Word(str(name), str(said.get("role", "")), inputs, outputs, meaning))
    return out


def _type(one: Any) -> str:
    return _TYPES.get(one.GetSdrMetadata().get("renderType", "") or str(one.GetTypeName()), "any")


def _input(one: Any) -> Input:
    said = one.GetSdrMetadata()
    attribute = one.GetAttr()
    allowed = attribute.GetMetadata("allowedTokens")
    meaning = str(one.GetDocumentation() or said.get("help", ""))
    return Input(
        one.GetBaseName(), _TYPES.get(str(one.GetTypeName()), "any"), _plain(attribute.Get()), bounds_of(said.get("uimin"), said.get("uimax")), unit_of(said.get("unit", "")), " ".join(meaning.split()),
        one.GetDisplayGroup() or said.get("page", ""), tuple(str(token) for token in allowed or ()),
    )  # fmt: skip


def _plain(value: Any) -> Value | None:
    if value is None or isinstance(value, str | bool | int | float):
        return value
    if isinstance(value, Sdf.AssetPath):
        return str(value.path)
    try:
        return tuple(float(part) for part in value)
    except (TypeError, ValueError):
        return str(value)
