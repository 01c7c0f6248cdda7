"""Where a file cannot be written to its end, that is said, and neither half a file nor anything hidden is left."""

from __future__ import annotations

import resource
import subprocess
import sys
from pathlib import Path

import pytest

from making import small, write

MANY = "\n".join(
    f"""def Material "More{k}"
{{
token outputs:orvik:surface.connect = </W/More{k}/finish.outputs:out>
def Shader "finish"
{{
uniform token info:id = "orvik.finish"
float inputs:polish = 0.{k + 11}
token outputs:out
}}
}}"""
    for k in range(60)
)


def large() -> str:
    """A scene of many materials."""
    return small().rstrip()[:-1] + MANY + "\n}\n"


WAYS = {
    "text": ("carry", "--to", "pellune", "--out", "t.usda"),
    "crate": ("carry", "--to", "pellune", "--out", "t.usdc"),
    "alone": ("carry", "--to", "pellune", "--out", "t.usda", "--alone"),
    "saved": ("carry", "--to", "pellune", "--out", "t.usda", "--save", "t.durvan"),
    "record": ("record", "--to", "pellune", "--out", "r.html", "--no-pictures"),
    "swatch": ("swatch", "--to", "pellune", "--material", "Paint", "--out", "s.exr"),
}


def run(folder: Path, words: tuple[str, ...], most: int) -> subprocess.CompletedProcess[str]:
    """The command line in a process that may write files of so many bytes alone, as if the disk were full behind them."""

    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

    return subprocess.run(
        [str(Path(sys.executable).with_name("durvan")), words[0], "scene.usda", *words[1:]],
        cwd=folder, preexec_fn=limit, capture_output=True, text=True, check=False,
    )  # fmt: skip


@pytest.mark.parametrize(("way", "share"), [*((way, 0.6) for way in WAYS), ("crate", 0.1)])
@pytest.mark.usefixtures("kernels")
def test_a_full_disk_is_said_and_leaves_nothing(call, monkeypatch, tmp_path: Path, way: str, share: float) -> None:
    write(tmp_path, large())
    words = WAYS[way]
    monkeypatch.chdir(tmp_path)
    status, _, said = call(words[0], "scene.usda", *words[1:])
    assert status == 0, said
    made = [file for file in tmp_path.iterdir() if file.name != "scene.usda"]
    size = max(file.stat().st_size for file in made)
    for file in made:
        file.unlink()
    least = min(int(size * share), size - 1)
    done = run(tmp_path, words, least)
    assert done.returncode == 2 and "cannot be written" in done.stderr, done.stderr
    assert "Traceback" not in done.stderr
    left = [file.name for file in tmp_path.iterdir() if file.name != "scene.usda"]
    assert not left or (way == "saved" and left == ["t.durvan"]), left


@pytest.mark.parametrize("way", ["alone", "record"])
def test_what_was_there_before_stays(call, monkeypatch, tmp_path: Path, way: str) -> None:
    write(tmp_path, small())
    words = WAYS[way]
    out = tmp_path / words[words.index("--out") + 1]
    monkeypatch.chdir(tmp_path)
    assert call(words[0], "scene.usda", *words[1:])[0] == 0
    before = out.read_bytes()
    write(tmp_path, large())
    assert run(tmp_path, words, 900).returncode == 2
    assert out.read_bytes() == before and not list(tmp_path.glob(".*"))
