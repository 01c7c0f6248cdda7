"""Cameras that are turned, have another lens or stand elsewhere: found from pictures alone, taken out, and told in numbers."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.proof.aligning import Details
from durvan.proof.causes.analysis import CAMERA, analyse
from durvan.proof.causes.saying import lines
from durvan.proof.mending import predicted
from durvan.proof.picture import Ids, Picture
from durvan.proof.reading import open_picture
from durvan.proof.standing import Stance, nearness_of, stood, taken_back
from durvan.proof.standing import stances as stances_of
from durvan.proof.writing import save

WIDTH, HEIGHT = 300, 220
_WAVES = np.random.default_rng(4).normal(size=(60, 2)) * 0.35
_PHASES = np.random.default_rng(5).uniform(0.0, 2.0 * math.pi, 60)


def places() -> tuple[np.ndarray, np.ndarray]:
    """X and Y of each pixel from the middle."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    return x + 0.5 - WIDTH / 2.0, y + 0.5 - HEIGHT / 2.0


def cloth(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A pattern that is known everywhere, so that no picture has to be moved to make one that was."""
    stops = sum(np.cos(a * x + b * y + c) for (a, b), c in zip(_WAVES, _PHASES, strict=True)) / 8.0
    return np.repeat(0.3 * np.exp2(stops)[..., None], 3, axis=2)


def seen(values: np.ndarray, seed: int = 1, noise: float = 0.02, **more) -> Picture:
    r = np.random.default_rng(seed)
    grainy = values * (1.0 + noise * r.standard_normal((HEIGHT, WIDTH, 1)))
    variance = (values.mean(axis=2) * noise) ** 2
    return Picture(grainy.astype(np.float32), variance=variance.astype(np.float32), **more)


def stances(source: Picture, target: Picture) -> Iterator[Stance]:
    return stances_of(source, Details.of(source.rgb, target.rgb))


def rolled(roll: float, larger: float, right: float, down: float) -> np.ndarray:
    """The cloth turned about the middle, made larger, and shifted then."""
    x, y = places()
    x, y = x - right, y - down
    c, s = math.cos(math.radians(roll)) / larger, math.sin(math.radians(roll)) / larger
    return cloth(c * x + s * y, -s * x + c * y)


@given(st.floats(-3.0, 3.0), st.floats(0.95, 1.05), st.floats(-5.0, 5.0), st.floats(-5.0, 5.0))
@settings(max_examples=12, deadline=None)
def test_a_turned_picture_is_found_and_laid_back(roll: float, larger: float, right: float, down: float) -> None:
    if abs(roll) < 0.3 and abs(larger - 1.0) < 0.01:
        roll = 0.7
    source, target = seen(rolled(0.0, 1.0, 0.0, 0.0)), seen(rolled(roll, larger, right, down), 2)
    found = next(stances(source, target))
    assert (found.roll, found.larger) == (pytest.approx(roll, abs=0.05), pytest.approx(larger, abs=0.002))
    assert (found.shift.right, found.shift.down) == (pytest.approx(right, abs=0.2), pytest.approx(down, abs=0.2))
    there = stood(source, found)
    inside = np.isfinite(there.rgb).all(axis=2)
    apart = np.abs(np.log2(there.rgb[inside] / target.rgb[inside]))
    assert inside.mean() > 0.75 and np.median(apart) < 0.12 < np.median(np.abs(np.log2(source.rgb / target.rgb)))


def test_a_camera_turned_aside_skews() -> None:
    x, y = places()
    focal, angle = 400.0, math.radians(2.0)  # a pinhole's, turned to the right
    ray = np.stack([x, y, np.full_like(x, focal)], -1) @ np.array(
        [[math.cos(angle), 0.0, -math.sin(angle)], [0.0, 1.0, 0.0], [math.sin(angle), 0.0, math.cos(angle)]]
    )
    source = seen(cloth(x, y))
    target = seen(cloth(focal * ray[..., 0] / ray[..., 2], focal * ray[..., 1] / ray[..., 2]), 2)
    cause = analyse(source, target).causes[0]
    assert cause.kind == CAMERA and cause.stance is not None and not cause.stance.elsewhere
    assert cause.stance.shift.right == pytest.approx(-focal * math.tan(angle), abs=0.5)
    assert cause.stance.skew > 0.5 and "skewed" in lines(analyse(source, target))[0]


def deep(right: float, ahead: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """A board before a wall twice as far, seen by a camera that has moved: what it sees, and its depths."""
    x, y = places()
    near, far = ahead * 2.0, ahead * 1.0  # nearness, as far as the middle counts
    bx, by = (x - right * near) / ahead, y / ahead
    board = (np.abs(bx) < 70.0) & (np.abs(by) < 60.0)
    wall = cloth(x - right * far + 300.0, y)
    return np.where(board[..., None], cloth(bx, by), wall), np.where(board, 2.0, 4.0)[..., None].astype(np.float32)


@pytest.mark.parametrize("right", [4.0, -3.0])
def test_what_is_near_lies_otherwise_than_what_is_far(right: float) -> None:
    """With depths the camera is found elsewhere, its picture lies on the other, and it owns the difference."""
    first, depth = deep(0.0)
    source, target = seen(first, depth=lambda: depth), seen(deep(right)[0], 2)
    found = list(stances(source, target))[-1]
    assert found.elsewhere and found.nearness is not None
    assert found.reach() == (pytest.approx(abs(right), abs=0.3), pytest.approx(2.0 * abs(right), abs=0.3))
    there = stood(source, found)
    inside = np.isfinite(there.rgb).all(axis=2)
    assert 0.85 < inside.mean() < 1.0
    assert np.median(np.abs(np.log2(there.rgb[inside] / target.rgb[inside]))) < 0.12
    analysis = analyse(source, target)
    assert [one.kind for one in analysis.causes] == [CAMERA] and analysis.causes[0].share > 0.8
    assert "stands elsewhere" in lines(analysis)[0]
    back = predicted(source, target, analysis.causes[0])
    assert back is not None
    good = np.isfinite(back).all(axis=2)
    assert np.median(np.abs(np.log2(back[good] / source.rgb[good]))) < 0.12


def test_without_depths_nobody_says_that_it_stands_elsewhere() -> None:
    source, target = seen(deep(0.0)[0]), seen(deep(4.0)[0], 2)
    assert not any(one.elsewhere for one in stances(source, target))


@pytest.mark.parametrize("noise", [0.0, 0.05, 0.4])
def test_what_stands_still_is_not_moved(noise: float) -> None:
    first, depth = deep(0.0)
    source, target = seen(first, 1, noise, depth=lambda: depth), seen(first, 2, noise)
    assert CAMERA not in [one.kind for one in analyse(source, target).causes]


@pytest.mark.parametrize("size", [(1, 1), (20, 16), (48, 300)])
def test_small_pictures_say_nothing(size: tuple[int, int]) -> None:
    values = np.random.default_rng(0).random((size[1], size[0], 3)).astype(np.float32)
    assert not list(stances(Picture(values), Picture(values)))


def test_all_that_is_known_is_moved_with_it() -> None:
    first, depth = deep(0.0)
    board = (depth[..., 0] < 3.0).astype(np.int32)
    source = seen(
        first,
        depth=lambda: depth,
        materials=Ids(board, ("wall", "board")),
        lights={"sun": lambda: first.astype(np.float32)},
    )
    stance = Stance((0.0, 0.0, 0.0, math.radians(90.0) * 0.02, *[0.0] * 5), size=(WIDTH, HEIGHT))
    there = stood(source, stance)
    gone = np.isnan(there.rgb).all(axis=2)
    assert 0.0 < gone.mean() < 0.2 and there.materials is not None and there.variance is not None
    assert (there.materials.numbers[gone] == -1).mean() > 0.9 and np.isnan(there.lights["sun"]()[gone]).all()
    moved_board = there.materials.numbers == 1
    assert moved_board.sum() == pytest.approx(board.sum(), rel=0.02) and (moved_board != (board == 1)).any()
    again = taken_back(there.rgb, stance)
    good = np.isfinite(again).all(axis=2)
    assert good.mean() > 0.85 and np.median(np.abs(np.log2(again[good] / source.rgb[good]))) < 0.05


def test_depths_are_read_from_files(tmp_path: Path) -> None:
    first, depth = deep(0.0)
    save(seen(first), tmp_path / "a.exr", {"depth": depth, "normal": np.repeat(depth, 3, axis=2)})
    opened = open_picture(tmp_path / "a.exr").picture
    assert opened.depth is not None and np.array_equal(opened.depth(), depth)
    save(seen(first), tmp_path / "b.exr", {"normal": np.repeat(depth, 3, axis=2)})
    assert open_picture(tmp_path / "b.exr").picture.depth is None


def test_nearness_is_of_what_is_there() -> None:
    z = np.array([[1.0, 2.0, 4.0], [0.0, np.inf, np.nan]], np.float32)
    assert nearness_of(z).tolist() == [[2.0, 1.0, 0.5], [0.0, 0.0, 0.0]]
    assert not nearness_of(np.zeros((2, 2), np.float32)).any()
    assert replace(Stance((3.0, 4.0, *[0.0] * 7))).reach() == (5.0, 5.0)
