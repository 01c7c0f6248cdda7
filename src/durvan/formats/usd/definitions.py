"""Shader definitions in a USD file, as renderers ship them for their own nodes."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pxr import Sdf, UsdShade

from durvan.formats.usd.opening import open_stage
from durvan.scene.graph import Value


@dataclass(frozen=True)
class ShaderInput:
    """An input: its type as USD calls it, its default, and what its metadata say."""

    name: str
    type: str
    default: Value | None
    range: tuple[float, float] | None = None
    unit: str = ""
    meaning: str = ""
    group: str = ""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class ShaderDefinition:
    """A node: its identifier, its role, its inputs and its outputs with their types."""

    name: str
    category: str
    inputs: tuple[ShaderInput, ...]
    outputs: dict[str, str] = field(default_factory=dict)
    meaning: str = ""


def shaders(file: Path) -> list[ShaderDefinition]:
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
        outputs = {one.GetBaseName(): _type(one) for one in shader.GetOutputs()}
        meaning = str(prim.GetMetadata("documentation") or said.get("help", ""))
        out.append(ShaderDefinition(str(name), str(said.get("role", "")), inputs, outputs, meaning))
    return out


def _type(one: Any) -> str:
    said = one.GetSdrMetadata()
    return str(said.get("renderType", "") or (one.GetTypeName().cppTypeName and str(one.GetTypeName())))


def _input(one: Any) -> ShaderInput:
    said = one.GetSdrMetadata()
    attribute = one.GetAttr()
    low, high = (said.get(name) for name in ("uimin", "uimax"))
    bounds = None
    if low is not None and high is not None:
        try:
            bounds = (float(low), float(high))
        except ValueError:
            bounds = None
    allowed = attribute.GetMetadata("allowedTokens")
    meaning = str(one.GetDocumentation() or said.get("help", ""))
    return ShaderInput(
        one.GetBaseName(), str(one.GetTypeName()), _plain(attribute.Get()), bounds, said.get("unit", ""), " ".join(meaning.split()),
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
