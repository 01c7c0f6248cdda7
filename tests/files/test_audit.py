"""What pictures are by their pixels: each test alone, and all on the labelled pictures."""

from __future__ import annotations

import os
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from labelled import RATES, bricks, encoded, fractal, make, normals, save, share
from painted import paint

from durvan.errors import PictureError
from durvan.files import facts, kept, thumbs
from durvan.files.audit import Auditor, Verdict, judge
from durvan.files.looker import Looker
from durvan.files.sample import sample


def test_how_often_the_verdicts_are_right(tmp_path) -> None:
    pictures = list(make(tmp_path))
    assert len(pictures) >= 200
    judged = [(one, judge(str(one.file))) for one in pictures]
    wrong = {}
    for name, (truth, said, among, missed, false) in RATES.items():
        found = share(judged, truth, said, among)
        if found[0] > missed or found[1] > false:
            wrong[name] = found
    assert wrong == {}
    # what cannot be told is not said
    assert {verdict.green for one, verdict in judged if one.hard == "ridges along one axis"} == {""}


@pytest.mark.parametrize("up", [True, False])
@pytest.mark.parametrize("shape", [fractal, bricks])
def test_green_of_normals_stored_as_they_are(tmp_path, up, shape) -> None:
    signed = normals(shape(np.random.default_rng(3)), 12.0, up) * 2 - 1
    verdict = judge(str(save(tmp_path / "n.exr", signed, "half")))
    assert verdict.normal and verdict.green == ("up" if up else "down")


def test_turning_green_round_turns_the_verdict_round(tmp_path) -> None:
    picture = normals(fractal(np.random.default_rng(9)), 8.0, True)
    first = judge(str(save(tmp_path / "a.png", picture)))
    picture[..., 1] = 1 - picture[..., 1]
    second = judge(str(save(tmp_path / "b.png", picture)))
    assert (first.green, second.green) == ("up", "down") and first.curl == pytest.approx(1 / second.curl, rel=0.05)


def test_constants_levels_and_means(tmp_path) -> None:
    flat = judge(str(save(tmp_path / "flat.png", np.full((32, 32, 3), 0.5, np.float32))))
    assert flat.constant and flat.grey and flat.mean == pytest.approx((0.5, 0.5, 0.5), abs=0.01)
    steps = np.round(fractal(np.random.default_rng(1)) * 255) / 255
    blown = judge(str(save(tmp_path / "steps.png", steps, "uint16")))
    assert blown.depth == "uint16" and blown.levels <= 256


def test_nothing_is_read_from_numbers_that_are_none(tmp_path) -> None:
    assert (
        "no number" in judge(str(save(tmp_path / "nan.exr", np.full((8, 8, 3), np.nan, np.float32), "float"))).problem
    )
    half = np.full((8, 8, 3), 0.5, np.float32)
    half[0] = np.inf
    assert judge(str(save(tmp_path / "inf.exr", half, "float"))).mean == pytest.approx((0.5, 0.5, 0.5))


def test_a_picture_that_breaks_off_is_unreadable_from_then_on(tmp_path) -> None:
    cut = tmp_path / "cut.exr"
    data = Path(paint(tmp_path / "whole.exr", 400, 1, 3, "half")).read_bytes()
    cut.write_bytes(data[: len(data) // 2])
    before = facts.facts(str(cut))
    assert before is not None and before.picture  # its header is whole
    verdict, after = judge(str(cut)), facts.facts(str(cut))
    assert "breaks off" in verdict.problem and after is not None and after.problem == verdict.problem.rstrip(".")


def test_samples_cover_a_large_picture_from_first_line_to_last(tmp_path) -> None:
    lines = np.linspace(0, 1, 1500, dtype=np.float32)[:, None, None] * np.ones((1, 1200, 1), np.float32)
    seen = sample(str(save(tmp_path / "ramp.png", lines, "uint16")))
    assert not seen.whole and min(p.min() for p in seen.patches) == 0.0 and max(p.max() for p in seen.patches) == 1.0
    assert sum(patch.size for patch in seen.patches) < 700_000
    with pytest.raises(PictureError):
        sample(str(tmp_path / "none.png"))


def test_an_auditor_judges_each_state_of_a_file_once(tmp_path) -> None:
    file = paint(tmp_path / "a.png", 32, 1)
    auditor, told = Auditor(2), []
    auditor.judge_all([file, file, str(tmp_path / "none.png")], lambda path, verdict: told.append(path))
    assert told == [file] and auditor.known(file) is auditor.judge(file)
    first = auditor.known(file)
    paint(tmp_path / "a.png", 40, 2)
    assert auditor.known(file) is None and auditor.judge(file) is not first
    assert auditor.judge(str(tmp_path / "none.png")) is None


# a process of its own


def test_a_looker_answers_and_survives_what_breaks_it(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("DURVAN_KEPT", str(tmp_path))
    good, seen, judged, done = paint(tmp_path / "a.png", 32, 1), [], {}, threading.Event()

    def take(path: str, verdict: Verdict | None) -> None:
        judged[path] = verdict
        if len(judged) == 3:
            done.set()

    looker = Looker(seen.append, take)
    looker.test([good])
    looker.view(good)
    until = time.monotonic() + 30.0
    while not (judged and seen) and time.monotonic() < until:  # whichever of both comes first
        time.sleep(0.05)
    assert judged[good] == judge(good) and seen == [good] and thumbs.known(good) is not None
    looker._process.kill()  # as a picture would that breaks the picture library
    looker._process.wait()
    (tmp_path / "bad.png").write_text("words")
    looker.test([str(tmp_path / "bad.png"), str(tmp_path / os.fsdecode(b"\xff.png"))])
    assert done.wait(30.0)
    assert "cannot be read" in judged[str(tmp_path / "bad.png")].problem
    looker.close()
    assert not [thread for thread in threading.enumerate() if thread.name == "durvan-looker"]
    looker.view(good)  # nobody listens any more, and nothing is started
    assert looker._thread is not None and not looker._thread.is_alive()


# small views


def test_small_views(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("DURVAN_KEPT", str(tmp_path))
    wide = np.linspace(0, 1, 1000, dtype=np.float32)[None, :, None] * np.ones((500, 1, 3), np.float32)
    file = str(save(tmp_path / "wide.png", encoded(wide)))
    seen = thumbs.thumbnail(file)
    assert seen is not None and seen.shape == (125, 250, 3) and seen[60, 0, 0] < 20 and seen[60, -1, 0] > 240
    assert len(list((tmp_path / "thumbs").rglob("*.npy"))) == 1
    assert np.array_equal(thumbs.thumbnail(file), seen)
    sky = str(save(tmp_path / "sky.exr", wide * 500, "half"))
    bright = thumbs.thumbnail(sky)
    assert bright is not None and 100 < bright.mean() < 230
    (tmp_path / "bad.png").write_text("words")
    assert thumbs.thumbnail(str(tmp_path / "bad.png")) is None and thumbs.thumbnail("/none.png") is None
    for number in range(5):
        paint(tmp_path / f"more{number}.png", 8, number)
        thumbs.thumbnail(str(tmp_path / f"more{number}.png"))
    kept.tidy(thumbs.KIND, 3)
    assert len(list((tmp_path / "thumbs").rglob("*.npy"))) == 3
