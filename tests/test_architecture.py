"""The arrows between the parts, and the core without Qt."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "durvan"
# Each part may import from those on lower floors and from its own; formats and dialects share a floor.
# Files stand on formats: what a layer names and what a picture holds is read there.
FLOORS = {
    "errors": 0, "progress": 0, "replacing": 0, "apart": 0, "scene": 1, "optics": 1, "graph": 2, "formats": 3, "dialects": 3, "files": 4,
    "engine": 5, "crossing": 6, "record": 7, "cli": 8, "ui": 8, "__init__": 0,
}  # fmt: skip


def imports(file: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
        elif isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
    return found


def part(file: Path) -> str:
    return file.relative_to(SOURCE).parts[0].removesuffix(".py")


def test_imports_go_down_only() -> None:
    wrong = []
    for file in SOURCE.rglob("*.py"):
        here = part(file)
        for module in imports(file):
            if not module.startswith("durvan."):
                continue
            there = module.split(".")[1]
            lazy_window = here == "cli" and there == "ui"  # the command `open` starts the window
            if FLOORS[there] > FLOORS[here] or (FLOORS[there] == FLOORS[here] and there != here and not lazy_window):
                if {here, there} == {"optics", "scene"} or (here, there) == ("formats", "dialects"):
                    continue
                wrong.append(f"{file.relative_to(SOURCE)} imports {module}")
    assert wrong == []


def test_only_the_window_knows_qt() -> None:
    for file in SOURCE.rglob("*.py"):
        if part(file) != "ui":
            assert not any(module.startswith("PySide6") for module in imports(file)), file


def test_nothing_but_packs_knows_a_renderer() -> None:
    names = ("orvik", "pellune")
    for file in SOURCE.rglob("*.py"):
        inside = file.relative_to(SOURCE)
        if inside.parts[0] == "dialects":
            continue
        text = file.read_text(encoding="utf-8").lower()
        assert not any(name in text for name in names), file


def test_the_core_runs_where_qt_cannot_be_imported(lamproom: Path, tmp_path: Path) -> None:
    code = (
        "import sys\n"
        "class No:\n"
        "    def find_spec(self, name, *rest):\n"
        "        if name.startswith('PySide6'): raise ImportError(name)\n"
        "sys.meta_path.insert(0, No())\n"
        "sys.argv = ['durvan', 'carry', sys.argv[1], '--to', 'pellune', '--out', sys.argv[2]]\n"
        "from durvan.cli.main import run\n"
        "run()\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(lamproom), str(tmp_path / "x.usda")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1, done.stderr
    assert (tmp_path / "x.usda").is_file()
