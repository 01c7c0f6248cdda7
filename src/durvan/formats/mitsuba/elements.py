"""Values and places as elements of a Mitsuba scene file."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.formats import xml
from durvan.scene.graph import Value

Floats = NDArray[np.float64]
_TAGS = {
    "float": "float", "int": "integer", "bool": "boolean", "token": "string", "string": "string", "file": "string",
    "color": "rgb", "vector3": "vector", "vector2": "vector",
}  # fmt: skip


def text_of(value: Value) -> str:
    """A value as a file says it: the shortest number that reads as the same."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, tuple):
        return ", ".join(text_of(part) for part in value)
    if isinstance(value, float):
        return repr(value + 0.0)
    return str(value)


def put(parent: Any, name: str, value: Value, type_: str = "") -> Any:
    """A property of an object. `type_` is a parameter's type; without one it is the value's own."""
    if not type_ or type_ == "any":
        if isinstance(value, bool):
            type_ = "bool"
        elif isinstance(value, tuple):
            type_ = "color"
        else:
            type_ = "string" if isinstance(value, str) else "int" if isinstance(value, int) else "float"
    tag = _TAGS.get(type_, "string")
    if tag == "rgb" and not isinstance(value, tuple):
        value = (float(value),) * 3 if not isinstance(value, str) else value
    if tag == "float" and isinstance(value, int | float):
        value = float(value)
    return xml.element(tag, parent, name=name, value=text_of(value))


def thing(parent: Any | None, tag: str, plugin: str, id_: str = "", name: str = "") -> Any:
    """An object."""
    said = {"type": plugin}
    if id_:
        said["id"] = id_
    if name:
        said["name"] = name
    return xml.element(tag, parent, **said)


def refer(parent: Any, id_: str, name: str = "") -> Any:
    """A reference to an object with an id."""
    return xml.element("ref", parent, **({"name": name} if name else {}), id=id_)


def stand(parent: Any, matrix: Floats, name: str = "to_world") -> None:
    """A transform, of a matrix [4, 4] for row vectors; none where it changes nothing."""
    if np.allclose(matrix, np.eye(4), rtol=0.0, atol=1e-15):
        return
    held = xml.element("transform", parent, name=name)
    xml.element("matrix", held, value=" ".join(repr(float(part) + 0.0) for part in matrix.T.reshape(-1)))
