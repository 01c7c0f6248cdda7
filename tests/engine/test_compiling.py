"""Compiled kernels are known by everything that they are made from."""

from __future__ import annotations

from pathlib import Path

import pytest

from durvan.engine import compiling
from durvan.optics import jit


def test_every_source_counts(tmp_path: Path) -> None:
    names = {file.name for file in jit.sources()}
    assert {"jit.py", "layout.py", "stack.py", "paths.py", "surfaces.py", "rays.py", "bodies.py", "world.py"} <= names
    one, two = tmp_path / "a.py", tmp_path / "b.py"
    one.write_text("A = 1")
    two.write_text("B = 1")
    before = jit.fingerprint_of([one, two])
    assert before == jit.fingerprint_of([one, two])
    two.write_text("B = 2")  # numba alone would not notice an edit in another module
    assert jit.fingerprint_of([one, two]) != before


def test_flags_and_versions_count(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = jit.fingerprint_of([])
    monkeypatch.setitem(jit.FLAGS, "fastmath", True)
    assert jit.fingerprint_of([]) != before
    monkeypatch.undo()
    monkeypatch.setattr(jit.numba, "__version__", "0.0")
    assert jit.fingerprint_of([]) != before


def test_what_is_ready_is_not_compiled_again(monkeypatch: pytest.MonkeyPatch) -> None:
    assert compiling.ready()
    monkeypatch.setattr(compiling.subprocess, "Popen", None)
    told = []
    compiling.ensure(told.append)
    assert told == []


def test_the_same_sources_elsewhere_are_not_ready(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A second copy of the program, or a fresh checkout, is compiled for before anything waits for it unawares."""
    import os
    import shutil

    copies = []
    for number, file in enumerate(jit.sources()):
        copies.append(Path(shutil.copy2(file, tmp_path / f"{number}{file.name}")))
    assert compiling.ready()
    monkeypatch.setattr(compiling, "sources", lambda: copies)
    assert not compiling.ready()
    monkeypatch.undo()
    was = jit.sources()[0].stat()
    monkeypatch.setattr(compiling, "sources", lambda: [tmp_path / jit.sources()[0].name])
    moved = shutil.copy2(jit.sources()[0], tmp_path)
    before = compiling._mark()
    os.utime(moved, (was.st_atime, was.st_mtime + 5.0))
    assert compiling._mark() != before


def test_older_ones_are_forgotten(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import os

    for number in range(5):
        folder = tmp_path / f"old{number}"
        (folder / "deeper").mkdir(parents=True)
        (folder / "deeper" / "code.nbc").write_bytes(b"x")
        os.utime(folder, (number, number))
    (tmp_path / "now").mkdir()
    monkeypatch.setattr(compiling, "kernel_folder", lambda: tmp_path / "now")
    compiling.forget_old(keep=3)
    assert sorted(f.name for f in tmp_path.iterdir()) == ["now", "old3", "old4"]
