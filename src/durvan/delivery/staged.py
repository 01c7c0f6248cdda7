"""A delivery while it is made: everything is written into a folder beside the target, and put in place by renames at the end.

Until `swap` nothing in the target's folder changes, so stopping, failing and dying leave the former delivery as it was. `swap` first
writes down what it is going to do; from then on whoever comes next into that folder does the rest of it (`settle`), so that what is
there is the former delivery or the new one.
"""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from durvan.delivery.beside import Beside
from durvan.delivery.manifest import Manifest, digest, manifest_of, place_of
from durvan.errors import SceneFileError
from durvan.replacing import OURS, here, is_of_the_dead, mode_for, real, replacing, tidy

_SWAP = ".swap.json"  # in the folder beside: what is to be done, whole before it has this name
_MANIFEST = ".manifest.json"


class Staged(Beside):
    """What is made for one target; a context that takes its folder away in the end. `folder` is laid out as the target's own will be,
    `kept` are the files that were changed by others since they were delivered, and where they are now.

    Raises SceneFileError, naming the target, where nothing can be written there.
    """

    def __init__(self, target: Path) -> None:
        self.asked = target
        self.kept: dict[str, str] = {}
        with self._of_target():
            place = real(target)
            settle(place.parent)
            prefix = f".{place.stem[:60]}{OURS}{here()}-{os.getpid()}-"
            folder = Path(tempfile.mkdtemp(prefix=prefix, dir=place.parent))
            super().__init__(place, folder, manifest_of(place).files)

    def __enter__(self) -> Staged:
        return self

    def __exit__(self, *_: object) -> None:
        with suppress(OSError):
            self.main.unlink(missing_ok=True)
        if not (
            self.folder / _SWAP
        ).exists():  # else something went wrong on the way, and whoever comes next does the rest
            shutil.rmtree(self.folder, ignore_errors=True)

    @contextmanager
    def _of_target(self) -> Iterator[None]:
        try:
            yield
        except OSError as problem:
            raise SceneFileError(f"cannot be written: {problem.strerror or problem}.", file=self.asked) from problem

    @property
    def main(self) -> Path:
        """Where the target itself is to be written: in the folder where it will be, so that what it names by relative paths is found."""
        return self.home / f"{self.folder.name}{self.target.suffix}"

    def swap(self, told: Mapping[str, str], goes_on: bool = False) -> Manifest:
        """Put everything in place; what was delivered before and is not made any more goes, unless the target `goes_on` from what it was. Raises
        SceneFileError where somebody has put another file where one is to lie.
        """
        with self._of_target(), _locked(self.home):
            self.main.replace(self.folder / self.target.name)
            before = manifest_of(self.target)
            fresh = {name: digest(self.folder / name) for name in self._names()}
            for name in fresh:
                if name not in before.files and name != self.target.name and os.path.lexists(self.home / name):
                    raise SceneFileError(
                        "was put there by somebody else meanwhile.", file=self.home / name, advice="Carry again."
                    )
            now = Manifest({**(before.files if goes_on else {}), **fresh}, told)
            (self.folder / _MANIFEST).write_text(now.text(), encoding="utf-8")
            said = {"target": self.target.name, "fresh": fresh, "before": dict(before.files), "gone": sorted(before.files.keys() - now.files.keys())}  # fmt: skip
            with replacing(self.folder / _SWAP, durable=True) as at:
                at.write_text(json.dumps(said), encoding="utf-8")
            self.kept = _put(self.folder, self.home, said)
            (self.folder / _SWAP).unlink()
        return now

    def _names(self) -> list[str]:
        """What was made, in an order that does not change: what lies beside first, the target last."""
        found = [one.relative_to(self.folder).as_posix() for one in self.folder.rglob("*") if one.is_file()]
        beside = sorted(name for name in found if name != self.target.name)
        return [*beside, self.target.name] if self.target.name in found else beside


def settle(home: Path) -> None:
    """Do the rest of what processes that died were putting in place in a folder, and take away what they were still making. Raises OSError."""
    with os.scandir(home) as entries:
        left = [Path(one.path) for one in entries if OURS in one.name and one.is_dir() and is_of_the_dead(one.name)]
    for folder in left:
        with _locked(home):
            try:
                said = json.loads((folder / _SWAP).read_text(encoding="utf-8"))
            except (OSError, ValueError):
                said = None
            if said is not None:
                _put(folder, home, said)
            shutil.rmtree(folder, ignore_errors=True)
    tidy(home)


def _put(folder: Path, home: Path, said: Mapping[str, Any]) -> dict[str, str]:
    """Put in place what a folder beside holds; what was done already is passed over. Gives what was kept of others' changes."""
    kept: dict[str, str] = {}
    before = said["before"]
    for name, sha in said["fresh"].items():
        made, place = folder / name, home / name
        if not made.is_file():
            continue  # it is in its place
        place.parent.mkdir(parents=True, exist_ok=True)
        there = digest(place) if place.is_file() else ""
        if there == sha:
            continue  # as it was, with its time of change, by which others tell whether they are up to date
        if there and name in before and there != before[name]:
            kept[name] = _keep(place, there)
        made.chmod(mode_for(place))
        made.replace(place)
    if (folder / _MANIFEST).is_file():
        target = home / said["target"]
        (folder / _MANIFEST).chmod(mode_for(place_of(target)))
        (folder / _MANIFEST).replace(place_of(target))
    for name in said["gone"]:
        place = home / name
        if place.is_file() and digest(place) == before[name]:
            place.unlink()
            with suppress(OSError):
                if place.parent != home:
                    place.parent.rmdir()
    return kept


def _keep(place: Path, sha: str) -> str:
    """Lay aside what somebody made of a file that was delivered; its new name."""
    aside = place.with_name(f"{place.stem}.kept-{sha[:8]}{place.suffix}")
    place.replace(aside)
    return aside.name


@contextmanager
def _locked(folder: Path) -> Iterator[None]:
    """Alone in a folder, among all that deliver to it; where a file system knows no locks, nobody waits."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        with suppress(OSError):
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)
