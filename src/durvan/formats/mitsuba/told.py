"""How a scene says, in a comment, how it was made; Mitsuba takes no properties that it does not know."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml

_MARK = "Durvan "


def tell(root: Any, said: Mapping[str, Any]) -> None:
    """Say in a comment how a file was made; Mitsuba takes no properties that it does not know."""
    for one in list(root):
        if not xml.is_element(one) and str(one.text).startswith(_MARK):
            root.remove(one)
    root.insert(0, xml.comment(_MARK + json.dumps(said, sort_keys=True).replace("--", "-\\u002d")))


def said_of(file: Path) -> dict[str, Any]:
    for one in xml.parse(file, comments=True):
        if not xml.is_element(one) and str(one.text).startswith(_MARK):
            try:
                found = json.loads(str(one.text).removeprefix(_MARK))
            except ValueError:
                return {}
            return found if isinstance(found, dict) else {}
    return {}


def carried_before(file: Path) -> dict[str, str]:
    """What a file says of how it was made; nothing of any other."""
    if not file.is_file():
        return {}
    try:
        said = said_of(file).get("told", {})
    except SceneFileError:
        return {}
    return {str(name): str(value) for name, value in said.items()} if isinstance(said, dict) else {}
