"""Nobody but the maker of names cuts a path's last part off to call something that is made by it."""

from __future__ import annotations

import re
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "durvan"
CUT = re.compile(r"""r(?:split|partition)\(["']/["'](?:, ?1)?\)(?:\[(?:-1|2|1)\])""")
MAKERS = ("crossing/exchange", "formats", "crossing/job", "engine", "delivery", "crossing/translation")
# what reads a file: the names of things that are read, for people, and parts of paths that are no names of what is made
READERS = {
    "formats/mitsuba/networks.py", "formats/mitsuba/reading.py", "formats/mitsuba/bodies.py", "formats/mitsuba/changing.py",
    "formats/mitsuba/materials.py", "formats/mitsuba/readback.py", "formats/gltf/meshes.py", "formats/gltf/reading.py",
    "formats/gltf/readback.py", "formats/pictures.py", "engine/staging.py", "formats/materialx/writing.py", "crossing/job/session.py",
    "crossing/translation/absent.py", "crossing/translation/lobes/folding.py",
}  # fmt: skip


def test_no_name_of_what_is_made_is_the_end_of_a_path() -> None:
    cutting = {
        file.relative_to(SOURCE).as_posix()
        for place in MAKERS
        for file in (SOURCE / place).rglob("*.py")
        if CUT.search(file.read_text(encoding="utf-8"))
    }
    assert cutting <= READERS, cutting - READERS
