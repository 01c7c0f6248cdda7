"""Definitions of a renderer's nodes, from MaterialX node definitions or USD shader definitions: what a new pack may begin with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.defined import Input, Word, bounds_of, unit_of
from durvan.formats.materialx.definitions import KINDS, value_of
from durvan.scene.graph import Value

_USD = (".usda", ".usdc", ".usd", ".usdz")


def read_words(file: Path) -> list[Word]:
    """All nodes that a file defines, in its order. Raises SceneFileError, also where it defines none."""
    if file.suffix.lower() == ".mtlx":
        found = _of_materialx(file)
    elif file.suffix.lower() in _USD:
        from durvan.formats.usd.definitions import shaders  # USD is loaded where it is needed

        found = shaders(file)
    else:
        raise SceneFileError(
            "holds no definitions: MaterialX (.mtlx) and USD (.usda, .usdc, .usd) files do.", file=file
        )
    if not found:
        raise SceneFileError("defines no node: there is no <nodedef>, and no shader with an identifier.", file=file)
    return found


def _of_materialx(file: Path) -> list[Word]:
    """Node definitions; one that inherits has the inputs of what it inherits from first."""
    defined = {one.get("name", ""): one for one in xml.parse(file) if xml.is_element(one) and one.tag == "nodedef"}
    out = []
    for name, one in defined.items():
        inputs: dict[str, Input] = {}
        for inherited in _line(one, defined):
            inputs |= {child.get("name", ""): _input(child) for child in _children(inherited, "input")}
        outputs: dict[str, str] = {}
        for inherited in _line(one, defined):
            outputs |= {
                c.get("name", "out"): KINDS.get(c.get("type", ""), "any") for c in _children(inherited, "output")
            }
        outputs = outputs or {"out": KINDS.get(one.get("type", ""), "any")}
        out.append(Word(name, one.get("node", ""), tuple(inputs.values()), dict(outputs), one.get("doc", "")))
    return out


def _line(one: Any, defined: dict[str, Any]) -> list[Any]:
    """A definition with those that it inherits from, the farthest first."""
    line = [one]
    while (above := defined.get(line[0].get("inherit", ""))) is not None and above not in line:
        line.insert(0, above)
    return line


def _children(one: Any, tag: str) -> list[Any]:
    return [child for child in one if xml.is_element(child) and child.tag == tag]


def _input(child: Any) -> Input:
    said = child.get("type", "")
    type_ = KINDS.get(said, "any")
    text = child.get("value")
    choices = tuple(part.strip() for part in child.get("enum", "").split(",") if part.strip())
    return Input(
        child.get("name", ""), "token" if choices and type_ == "string" else type_,
        _default(said, text), bounds_of(child.get("uimin") or child.get("uisoftmin"), child.get("uimax") or child.get("uisoftmax")),
        unit_of(child.get("unit", "")), child.get("doc", ""), child.get("uifolder", ""), choices,
    )  # fmt: skip


def _default(type_: str, text: str | None) -> Value | None:
    """A default as a value; none where it is not one."""
    try:
        return value_of(type_, text) if text is not None else None
    except ValueError:
        return None
