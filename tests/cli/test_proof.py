"""`durvan proof`: why two pictures differ, and a status for pipelines."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from durvan.cli.main import app
from durvan.errors import PictureError
from durvan.formats.pictures import save as save_picture
from durvan.optics.tone import srgb
from durvan.proof import writing
from durvan.proof.reading import open_picture
from proof.made import Made, picture, without


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


def test_all_of_it_as_a_page(pictures: Path, tmp_path: Path) -> None:
    page = tmp_path / "proof.html"
    done = run(pictures / "source.exr", pictures / "dim.exr", "--html", page)
    assert done.exit_code == 1, (done.output, done.exception)
    text = page.read_text()
    assert "The light lamp is 0.8" in text and "source.exr → dim.exr" in text and "without: The light lamp" in text
    assert text.count("data:image/png;base64,") >= 8 and "http" not in text
    refused = run(pictures / "source.exr", pictures / "dim.exr", "--html", tmp_path / "nowhere" / "p.html")
    assert "cannot be written" in str(refused.exception)


def test_names_in_a_page_are_only_text(pictures: Path, tmp_path: Path) -> None:
    odd = tmp_path / "<b>bold&.exr"
    odd.write_bytes((pictures / "dim.exr").read_bytes())
    page = tmp_path / "p.html"
    run(pictures / "source.exr", odd, "--html", page)
    assert "<b>bold" not in page.read_text() and "&lt;b&gt;bold&amp;" in page.read_text()


def stripped(file: Path, folder: Path) -> Path:
    """The pixels alone."""
    out = folder / f"plain-{file.name}"
    writing.save(without(open_picture(file).picture, "materials", "objects", "lights"), out)
    return out


def test_ids_come_from_another_file(pictures: Path, tmp_path: Path) -> None:
    writing.save(picture(Made(materials={"cloth": (0.4, 0.4, 0.4)}), seed=4), tmp_path / "cloth.exr")
    plain = [stripped(file, tmp_path) for file in (pictures / "source.exr", tmp_path / "cloth.exr")]
    blind = json.loads(run(*plain, "--json").output)
    assert not any(one["name"] == "cloth" for one in blind["causes"])
    seeing = json.loads(run(*plain, "--json", "--ids", pictures / "source.exr").output)
    assert any(one["name"] == "cloth" for one in seeing["causes"])


def test_colours_are_ids_where_there_are_no_others(pictures: Path, tmp_path: Path) -> None:
    writing.save(picture(Made(materials={"cloth": (0.4, 0.4, 0.4)}), seed=4), tmp_path / "cloth.exr")
    plain = [stripped(file, tmp_path) for file in (pictures / "source.exr", tmp_path / "cloth.exr")]
    where = open_picture(pictures / "source.exr").picture.materials
    assert where is not None
    colours = np.array([[n * 40, 255 - n * 30, 90] for n in range(len(where.names))]) / 255.0
    save_picture(tmp_path / "ids.png", colours[where.numbers].astype(np.float32))
    data = json.loads(run(*plain, "--json", "--ids", tmp_path / "ids.png").output)
    cloth = where.names.index("cloth")
    wanted = "#" + "".join(f"{round(255 * c):02x}" for c in colours[cloth])
    assert any(one["name"] == wanted for one in data["causes"])
    assert any("colours are taken" in remark for remarks in data["remarks"].values() for remark in remarks)


def test_ids_that_do_not_lie_on_the_picture_are_refused(pictures: Path, tmp_path: Path) -> None:
    save_picture(tmp_path / "ids.png", np.zeros((50, 20, 3), np.float32))
    done = run(pictures / "source.exr", pictures / "same.exr", "--ids", tmp_path / "ids.png")
    assert isinstance(done.exception, PictureError) and "of other shapes" in str(done.exception)
    save_picture(tmp_path / "noise.png", np.random.default_rng(1).random((120, 160, 3)).astype(np.float32))
    done = run(pictures / "source.exr", pictures / "same.exr", "--ids", tmp_path / "noise.png")
    assert isinstance(done.exception, PictureError) and "colours, so they are no ids" in str(done.exception)


def test_a_response_that_is_burnt_in_is_told_and_taken_out(pictures: Path, tmp_path: Path) -> None:
    one = open_picture(pictures / "same.exr").picture
    save_picture(tmp_path / "coded.exr", srgb(one.rgb).astype(np.float32), depth="float")
    data = json.loads(run(pictures / "source.exr", tmp_path / "coded.exr", "--json").output)
    assert any(
        "display's own curve" in remark or "gamma" in remark for remark in data["remarks"][str(tmp_path / "coded.exr")]
    )
    assert data["apart_stops"] < 0.3 and not any(one["kind"] == "response" for one in data["causes"])
    left = json.loads(run(pictures / "source.exr", tmp_path / "coded.exr", "--json", "--as-they-are").output)
    assert left["apart_stops"] > 2.0 * data["apart_stops"] and left["remarks"][str(tmp_path / "coded.exr")] == []
