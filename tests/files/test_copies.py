"""Tiled copies: what they hold, what is left when things go wrong, and what is done again."""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from labelled import fractal, normals, save
from painted import header_only, older, paint

from durvan.errors import PictureError, Stopped
from durvan.files.copies import DEFAULTS, Settings, Task, Use, copy_path, is_current
from durvan.files.facts import facts
from durvan.files.prepare import prepare
from durvan.files.pyramid import _Halver, _sizes, make
from durvan.formats.pictures import pixels
from durvan.progress import Step


def task(original: str, use: Use = Use.DATA, where: str = "beside", **how: str) -> Task:
    return Task(original, copy_path(original, where), use, Settings(**how) if how else DEFAULTS[use])


def level(path: str, number: int) -> np.ndarray:
    return np.asarray(oiio.ImageBuf(path, 0, number).get_pixels(oiio.FLOAT))


@pytest.mark.parametrize(
    ("ending", "kind"), [("png", "uint8"), ("png", "uint16"), ("exr", "half"), ("exr", "float"), ("tif", "float")]
)
def test_a_copy_is_tiled_and_its_levels_are_means(tmp_path, ending, kind) -> None:
    original = paint(tmp_path / f"a.{ending}", 200, 1, 3, kind)
    one = task(original)
    assert make(one) == os.path.getsize(one.copy)
    told = facts(one.copy)
    assert told is not None and told.tile == 64 and told.mips == 8 and told.depth == kind and one.current
    assert np.array_equal(level(one.copy, 0), level(original, 0))
    whole = level(original, 0)
    wanted = (whole[0::2, 0::2] + whole[1::2, 0::2] + whole[0::2, 1::2] + whole[1::2, 1::2]) / 4
    assert np.abs(level(one.copy, 1) - wanted).max() < 1 / 250


def test_levels_agree_with_the_picture_librarys_own(tmp_path) -> None:
    original = paint(tmp_path / "a.exr", 256, 3, 3, "float")
    one = task(original)
    make(one)
    assert oiio.ImageBufAlgo.make_texture(oiio.MakeTextureMode(0), original, str(tmp_path / "ref.exr"))
    for number in (1, 2, 5):
        assert np.abs(level(one.copy, number) - level(str(tmp_path / "ref.exr"), number)).max() < 2e-3


def test_colours_are_filtered_in_linear_light_and_stay_encoded(tmp_path) -> None:
    checks = np.indices((128, 128)).sum(axis=0) % 2
    original = str(save(tmp_path / "checks.png", np.repeat(checks[..., None], 3, -1).astype(np.float32)))
    colour, data = task(original, Use.COLOUR, str(tmp_path / "c")), task(original, Use.DATA, str(tmp_path / "d"))
    make(colour)
    make(data)
    assert np.allclose(level(colour.copy, 1), 0.7354, atol=0.003)  # half the light of white, encoded
    assert np.allclose(level(data.copy, 1), 0.5, atol=0.003)


def test_normals_keep_their_length_in_every_level(tmp_path) -> None:
    original = str(save(tmp_path / "n.png", normals(fractal(np.random.default_rng(1)), 40.0, True), "uint16"))
    one = task(original, Use.NORMAL)
    make(one)
    for number in (1, 3, 5):
        length = np.linalg.norm(level(one.copy, number) * 2 - 1, axis=-1)
        assert np.abs(length - 1).max() < 1e-3


@given(st.integers(1, 70), st.integers(1, 70), st.sampled_from(["box", "tent"]), st.integers(1, 40))
@settings(max_examples=60)
def test_strips_of_any_height_give_the_same_levels(width, height, kind, strip) -> None:
    lines = np.random.default_rng(0).random((height, width, 2), dtype=np.float32)
    if (width, height) == (1, 1):
        return
    sizes = _sizes(width, height)

    def run(step: int) -> np.ndarray:
        halver = _Halver(sizes[0], sizes[1], kind)
        return np.concatenate(
            [halver.take(lines[top : top + step], top + step >= height) for top in range(0, height, step)]
        )

    whole = run(height)
    assert whole.shape == (sizes[1][1], sizes[1][0], 2)
    # a strip is a row of tiles at least, so that what the filters need of the next lines is there
    assert np.allclose(run(max(strip, 6)), whole, atol=1e-6)
    assert lines.min() - 1e-6 <= whole.min() and whole.max() <= lines.max() + 1e-6


def test_odd_sizes_keep_the_mean(tmp_path) -> None:
    original = paint(tmp_path / "odd.exr", 101, 7, 1, "float")
    one = task(original)
    make(one)
    told = facts(one.copy)
    assert told is not None and told.mips == 7
    assert abs(float(level(one.copy, 6)[0, 0, 0]) - float(level(original, 0).mean())) < 0.02


def test_where_copies_belong() -> None:
    assert (
        copy_path("/a/tex/oak.png", "beside") == "/a/tex/oak.tiled.tif"
        and copy_path("/a/sky.hdr", "beside") == "/a/sky.tiled.exr"
    )
    one, other = copy_path("/a/tex/oak.png", "/out"), copy_path("/b/tex/oak.png", "/out")
    assert one != other and one.startswith("/out/tex-") and one.endswith("/oak.tiled.tif")


def test_only_what_is_missing_or_out_of_date_is_made(tmp_path) -> None:
    files = [paint(tmp_path / f"{n}.png", 32, n) for n in range(3)]
    tasks = [task(file) for file in files]
    assert set(prepare(tasks, 2).made) == set(files)
    assert set(prepare(tasks, 2).current) == set(files)
    paint(tmp_path / "1.png", 48, 9)
    again = prepare(tasks, 1)
    assert set(again.made) == {files[1]} and len(again.current) == 2
    other = [task(file, Use.DATA, filter="tent") for file in files]
    assert len(prepare(other, 2).made) == 3
    older(files[0])
    assert not is_current(tasks[0].copy, files[0])


def test_a_bad_picture_is_told_and_the_others_are_made(tmp_path) -> None:
    good = paint(tmp_path / "good.png", 64)
    cut = Path(paint(tmp_path / "cut.png", 64))
    cut.write_bytes(cut.read_bytes()[:2000])
    huge = header_only(tmp_path / "huge.png", 3000)
    done = prepare([task(good), task(str(cut)), task(huge), task(str(tmp_path / "none.png"))], 2)
    assert set(done.made) == {good} and len(done.failed) == 3
    assert sorted(file.name for file in tmp_path.iterdir()) == ["cut.png", "good.png", "good.tiled.tif", "huge.png"]


def test_a_stop_keeps_what_is_finished_and_goes_on_from_there(tmp_path) -> None:
    tasks = [task(paint(tmp_path / f"{n}.png", 256, n)) for n in range(8)]

    def stop_after_three(step: Step) -> None:
        if step.done >= 3:
            raise Stopped

    with pytest.raises(Stopped):
        prepare(tasks, 1, stop_after_three)
    kept = [one for one in tasks if os.path.exists(one.copy)]
    assert 3 <= len(kept) < 8 and all(one.current for one in kept)
    assert not [name for name in os.listdir(tmp_path) if name.startswith(".part")]
    done = prepare(tasks, 2)
    assert len(done.made) == 8 - len(kept) and len(done.current) == len(kept)


FULL = """
    import resource, signal, sys
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)  # as a full disk, writing past the limit fails
    from durvan.files.copies import DEFAULTS, Task, Use, copy_path
    from durvan.files.prepare import prepare
    from durvan.errors import PictureError
    tasks = [Task(f, copy_path(f, "beside"), Use.DATA, DEFAULTS[Use.DATA]) for f in sys.argv[1:]]
    resource.setrlimit(resource.RLIMIT_FSIZE, (150_000, 150_000))
    try:
        prepare(tasks, 1)
    except PictureError as problem:
        print("told:", problem)
"""


def test_a_full_disk_leaves_nothing_half_written_and_it_can_go_on(tmp_path) -> None:
    small, large = paint(tmp_path / "small.png", 64), paint(tmp_path / "large.png", 512)
    before = {file: Path(file).read_bytes() for file in (small, large)}
    done = subprocess.run(
        [sys.executable, "-c", textwrap.dedent(FULL), small, large], capture_output=True, text=True, check=True
    )
    assert "told:" in done.stdout and "large.png" in done.stdout
    assert sorted(os.listdir(tmp_path)) == ["large.png", "small.png", "small.tiled.tif"]
    assert {file: Path(file).read_bytes() for file in before} == before
    again = prepare([task(small), task(large)], 1)
    assert set(again.current) == {small} and set(again.made) == {large}


def test_a_folder_that_cannot_be_written_to_is_told(tmp_path) -> None:
    original = paint(tmp_path / "a.png", 32)
    (tmp_path / "file").touch()
    with pytest.raises(PictureError) as told:
        make(Task(original, str(tmp_path / "file" / "a.tiled.tif"), Use.DATA, Settings()))
    assert "a.png" in str(told.value)


MEMORY = """
    import sys
    from durvan.files.audit import judge
    from durvan.files.copies import DEFAULTS, Task, Use
    from durvan.files.pyramid import make

    def peak():  # in kB; the most since it was set back
        return next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM"))

    open("/proc/self/clear_refs", "w").write("5")
    before = peak()
    make(Task(sys.argv[1], sys.argv[1] + ".tiled.tif", Use.DATA, DEFAULTS[Use.DATA]))
    assert not judge(sys.argv[1]).problem
    print((peak() - before) / 1000)
"""


@pytest.mark.slow
def test_a_large_picture_is_prepared_and_judged_in_little_memory(tmp_path) -> None:
    file = str(tmp_path / "large.tif")
    out = oiio.ImageOutput.create(file)
    assert out.open(file, oiio.ImageSpec(16384, 4096, 3, "uint8"))
    for top in range(0, 4096, 64):
        out.write_scanlines(top, top + 64, 0, np.full((64, 16384, 3), top // 16, np.uint8))
    out.close()
    done = subprocess.run(
        [sys.executable, "-c", textwrap.dedent(MEMORY), file], capture_output=True, text=True, check=True
    )
    assert float(done.stdout) < 300  # MB; whole, as numbers to be filtered, it would be 805


def test_the_renderer_reads_the_mip_that_is_large_enough(tmp_path) -> None:
    original = paint(tmp_path / "a.exr", 256, 1, 3, "float")
    make(task(original))
    copy = copy_path(original, "beside")
    seen = pixels(copy, 1.0, most=64)
    assert (
        seen is not None
        and seen.shape[:2] == (64, 64)
        and np.allclose(seen[..., :3], level(copy, 2)[..., :3], atol=1e-6)
    )
    assert pixels(copy, 1.0).shape[0] == 256
