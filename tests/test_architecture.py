"""The arrows between the parts, and the core without Qt."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest

from durvan.dialects.registry import Registry
from durvan.engine.engines import Engine
from durvan.formats.table import FORMATS
from durvan.scene.vocabulary import common_ground

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "durvan"
PAGE = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")


def floors(name: str) -> dict[str, int]:
    """A table of docs/architecture.md: which room stands on which floor."""
    block = PAGE.split(f"```\n{name}\n", 1)[1].split("```", 1)[0]
    rows = [line.split(None, 2) for line in block.strip().splitlines()]
    assert all(len(row) == 3 for row in rows), block
    return {room: int(floor) for floor, room, _ in rows}


def imports(file: Path, types_too: bool = True) -> set[str]:
    """Modules that a file imports, also where it does so late, or for its types alone."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    only_types = {
        id(inner)
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"
        for inner in ast.walk(node)
    }
    found = set()
    for node in ast.walk(tree):
        if id(node) in only_types and not types_too:
            continue
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found.update(f"{node.module}.{alias.name}" for alias in node.names)
        elif isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
    return found


def rooms(folder: Path) -> set[str]:
    """What lies in a folder: its modules and packages."""
    files = {file.stem for file in folder.glob("*.py")} - {"__init__"}
    return files | {inner.name for inner in folder.iterdir() if (inner / "__init__.py").is_file()}


@pytest.mark.parametrize(("name", "inside"), [("floors", ""), ("crossing", "crossing"), ("ui", "ui")])
def test_the_page_shows_the_rooms_and_imports_go_down_only(name: str, inside: str) -> None:
    told, folder = floors(name), SOURCE / inside
    assert set(told) == rooms(folder)
    place = len(folder.relative_to(SOURCE).parts)
    prefix = ".".join(("durvan", *folder.relative_to(SOURCE).parts))
    wrong = set()
    for file in folder.rglob("*.py"):
        here = file.relative_to(SOURCE).parts[place].removesuffix(".py")
        for module in imports(file):
            parts = module.split(".")
            there = parts[place + 1] if module.startswith(f"{prefix}.") else ""
            if here in told and there in told and there != here and told[there] >= told[here]:
                wrong.add(f"{file.relative_to(SOURCE)} imports {module}")
    assert wrong == set()


def test_no_module_imports_itself_in_a_circle() -> None:
    graph = {}
    for file in SOURCE.rglob("*.py"):
        parts = ("durvan", *file.relative_to(SOURCE).with_suffix("").parts)
        graph[".".join(parts).removesuffix(".__init__")] = {m for m in imports(file, False) if m.startswith("durvan.")}
    state: dict[str, int] = {}

    def walk(name: str, way: tuple[str, ...]) -> None:
        state[name] = 1
        for other in graph[name] & graph.keys():
            if state.get(other) == 1:
                raise AssertionError(" → ".join((*way, name, other)))
            if other not in state:
                walk(other, (*way, name))
        state[name] = 2

    for name in graph:
        if name not in state:
            walk(name, ())


@pytest.mark.parametrize(
    ("library", "room"), [("PySide6", "ui"), ("pxr", "formats"), ("typer", "cli"), ("rich", "cli")]
)
def test_libraries_stay_in_their_rooms(library: str, room: str) -> None:
    users = {
        file.relative_to(SOURCE).parts[0].removesuffix(".py")
        for file in SOURCE.rglob("*.py")
        if any(module == library or module.startswith(f"{library}.") for module in imports(file))
    }
    assert users == {room}


def constants(file: Path) -> set[str]:
    """Texts that a file works with; docstrings are for people."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    said = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    return {
        n.value
        for n in ast.walk(tree)
        if isinstance(n, ast.Constant) and isinstance(n.value, str) and id(n) not in said
    }


def test_nothing_but_packs_knows_a_renderer(packs: Registry) -> None:
    """No name, prefix, namespace, render context, node type or shader id of any pack stands outside `dialects`, but for those of an open
    format in the folder that reads and writes it.
    """
    words: set[str] = set()
    own: dict[str, set[str]] = {}
    for pack in packs.packs.values():
        said = pack.identity
        mine = {said.name, said.title, said.prefix, said.namespace, said.context, f"{said.name}_network"}
        mine |= set(pack.vocabulary.types) | set(pack.ids)
        words |= mine
        for one in said.formats[: 1 if said.formats[0] != "USD" else 2]:
            own.setdefault(one.lower(), set()).update(mine)
    words -= {"", *common_ground().types, *(one.name for one in FORMATS)}
    assert len(words) > 60
    for file in SOURCE.rglob("*.py"):
        where = file.relative_to(SOURCE).parts
        if where[0] != "dialects":
            allowed = own.get(where[1], set()) if where[0] == "formats" and where[1] != "usd" else set()
            allowed = {*Engine} if where == ("engine", "engines.py") else allowed
            found = {
                text
                for text in constants(file)
                if text in words - allowed or any(p in text for p in ("orvik", "pellune"))
            }
            assert not found, (file, found)


def test_ideas_of_a_dialect_stay_in_its_pack(packs: Registry) -> None:
    """Readings, outputs and parameters that one dialect alone has are decided by nowhere else."""
    owners: dict[str, set[str]] = {}
    for pack in packs.packs.values():
        names = {case.name for kind in pack.compiled.values() for case in kind.cases if case.name}
        names |= {
            name
            for kind in pack.vocabulary.types.values()
            if not pack.identity.common_ground
            for name in kind.parameters
        }
        for name in names:
            owners.setdefault(name, set()).add(pack.name)
    shared = {name for kind in common_ground().types.values() for name in (*kind.parameters, *kind.outputs)}
    shared |= {word for pack in packs.packs.values() for word in pack.identity.abilities}
    alone = {name for name, who in owners.items() if (len(who) == 1 and "_" in name) or " " in name} - shared
    assert {"bare metal", "even reflection", "mirror_tint", "facing_reflect"} <= alone
    for file in (SOURCE / "crossing").rglob("*.py"):
        assert not constants(file) & alone, file


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


def test_processes_are_started_in_one_way() -> None:
    """By `apart`: else what lies in the current folder may be run."""
    starting = {str(file.relative_to(SOURCE)) for file in SOURCE.rglob("*.py") if "sys.executable" in file.read_text()}
    assert starting == {"apart.py"}
    for file in SOURCE.rglob("*.py"):
        for call in ast.walk(ast.parse(file.read_text())):
            if isinstance(call, ast.Call) and ast.unparse(call.func) in ("subprocess.Popen", "subprocess.run"):
                said = ast.unparse(call)
                assert "command(" in said and "env=surroundings(" in said, f"{file}: {said}"
