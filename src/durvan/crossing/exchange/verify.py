"""Read back what was written and hold it against what was meant: values, their types, and where links go."""

from __future__ import annotations

from pathlib import Path

from durvan.errors import SceneFileError
from durvan.formats.table import Port
from durvan.scene.written import Written, differences


def check(file: Path, meant: Written, port: Port) -> int:
    """How many properties were found as meant. Raises SceneFileError at the first that is not."""
    for one in differences(meant, port.read_back(file)):
        inside = f"{one.path}.{one.name}" if one.name else one.path
        raise SceneFileError(f"reads {one.found}, was meant to be {one.meant}.", file=file, inside=inside)
    return sum(len(thing.properties) + len(thing.ends) + len(thing.outputs) for thing in meant.things.values())
