"""`durvan proof`: why two pictures differ, and a status for pipelines."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from durvan.cli.main import app
from durvan.errors import PictureError
from durvan.proof import writing
from proof.made import Made, picture


@pytest.fixture(scope="module")
def pictures(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("pictures")
    writing.save(picture(seed=1), folder / "source.exr")
    writing.save(picture(seed=2), folder / "same.exr")
    dim = Made(lights={"lamp": (2.0**-0.8,) * 3}, gain=(1.3, 1.3, 1.3))
    writing.save(picture(dim, seed=3), folder / "dim.exr")
    return folder


def run(*words: object):
    return CliRunner().invoke(app, ["proof", *map(str, words)])


def test_causes_are_told_with_numbers(pictures: Path) -> None:
    done = run(pictures / "source.exr", pictures / "dim.exr")
    assert done.exit_code == 1, done.output
    assert "source.exr → dim.exr, 160 × 120 pixels" in done.output and "stops apart" in done.output
    assert "the light lamp is 0.8" in done.output and "the target is 0.4" in done.output


def test_pictures_that_differ_by_noise_alone_are_fine(pictures: Path) -> None:
    done = run(pictures / "source.exr", pictures / "same.exr")
    assert done.exit_code == 0 and "Nothing is otherwise than by noise." in done.output


def test_the_threshold_is_ones_own(pictures: Path) -> None:
    assert run(pictures / "source.exr", pictures / "dim.exr", "--over", 3.0).exit_code == 0
    assert run(pictures / "source.exr", pictures / "dim.exr", "--over", 0.01).exit_code == 1


def test_the_same_as_data(pictures: Path) -> None:
    data = json.loads(run(pictures / "source.exr", pictures / "dim.exr", "--json").output)
    causes = {one["kind"]: one for one in data["causes"]}
    assert set(causes) == {"light", "exposure"} and data["width"] == 160
    assert causes["light"]["name"] == "lamp" and causes["light"]["stops"] == pytest.approx([0.8] * 3, abs=0.05)
    whole = sum(one["share"] for one in data["causes"]) + data["noise"] + data["unexplained"]
    assert whole == pytest.approx(1.0, abs=0.02)


def test_what_is_no_picture_is_a_misuse(pictures: Path, tmp_path: Path) -> None:
    (tmp_path / "a.exr").write_text("nothing")
    done = run(pictures / "source.exr", tmp_path / "a.exr")
    assert isinstance(done.exception, PictureError) and "a.exr" in str(done.exception)
