"""What several tests need: the packs, the demo scene, and small scenes made on the spot."""

from __future__ import annotations

import atexit
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import settings

# Two busy cores make any single try slow now and then; how long something takes is not what these tests are about.
settings.register_profile("durvan", deadline=None)
settings.load_profile("durvan")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_KEPT = tempfile.mkdtemp(prefix="durvan-tests-")  # nothing of the person who runs the tests is read or changed
os.environ["DURVAN_ROOTS"] = str(Path(_KEPT) / "roots.txt")
os.environ["DURVAN_KEPT"] = str(Path(_KEPT) / "kept")
os.environ["DURVAN_PROOF"] = str(Path(_KEPT) / "proof")

atexit.register(shutil.rmtree, _KEPT, ignore_errors=True)

from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry, read
from durvan.scene.model import Scene, Thing
from making import with_files

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="session")
def packs(tmp_path_factory: pytest.TempPathFactory) -> Registry:
    """The built-in packs, whatever lies in the user's folder."""
    return read(tmp_path_factory.mktemp("no_user_packs"))


@pytest.fixture(scope="session")
def lamproom() -> Path:
    """The demo scene."""
    return ROOT / "demo" / "lamproom" / "lamproom.usda"


@pytest.fixture(scope="session")
def lamp_scene(lamproom: Path, packs: Registry) -> Scene:
    """The demo scene, read; not to be changed."""
    return with_files(open_scene(lamproom, packs))


@pytest.fixture(scope="session")
def moved_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The moved variant of the demo scene, built once; not to be changed."""
    sys.path.insert(0, str(ROOT / "demo"))
    from build_moved import build

    folder = tmp_path_factory.mktemp("built") / "moved"
    build(folder)
    return folder


@pytest.fixture
def moved(moved_once: Path, tmp_path: Path) -> Path:
    """The moved variant of the demo scene, in a folder of its own: its scene's file."""
    shutil.copytree(moved_once, tmp_path / "moved")
    return tmp_path / "moved" / "scene" / "lamproom_moved.usda"


@pytest.fixture(scope="session")
def kernels(tmp_path_factory: pytest.TempPathFactory) -> None:
    """The renderer's code, compiled once for all workers; swatches go into a folder of this run."""
    os.environ["DURVAN_SWATCHES"] = str(tmp_path_factory.mktemp("swatches"))
    from durvan.engine import compiling

    compiling.ensure()


@pytest.fixture
def carried(packs: Registry) -> Callable[[Thing, str], Translation]:
    """Translate a thing to a dialect, with centimetres for the stage's unit."""

    def to(thing: Thing, target: str, readings: dict[str, str] | None = None) -> Translation:
        return translate(thing, packs.get(thing.dialect), packs.get(target), 0.01, readings)

    return to
