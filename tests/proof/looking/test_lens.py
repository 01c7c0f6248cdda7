"""Windows onto pictures: where what is seen stands, how values become a display's, and levels."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.formats import views
from durvan.optics.tone import bytes_of, developed
from durvan.proof.looking import lens, tones, ways
from durvan.proof.looking.lens import Cube, Frame, Levels, Toned

OUTSIDE = 0xFF969696


def channels(screen: np.ndarray) -> np.ndarray:
    """Red, green, blue of pixels for a screen."""
    return np.stack([(screen >> 16) & 255, (screen >> 8) & 255, screen & 255], axis=-1)


def picture(width: int = 40, height: int = 24) -> np.ndarray:
    return np.random.default_rng(2).random((height, width, 3)).astype(np.float32)


@pytest.mark.parametrize("exposure, response", [(0.0, ""), (1.5, ""), (-2.0, "shoulder"), (0.0, "gamma")])
def test_dot_for_dot_is_what_a_display_is_sent(exposure, response) -> None:
    rgb = picture() * 4.0
    out = lens.picture(
        Levels.of(rgb), Frame(0.0, 0.0, 1.0), (40, 24), Toned(tones.display_table(exposure, response)), OUTSIDE
    )
    known = bytes_of(developed(rgb * 2.0**exposure, response))
    assert np.abs(channels(out).astype(int) - known).max() <= 1


def test_tables_hold_every_value_in_order() -> None:
    at = tones.values()
    assert at[0] == 0.0 and (np.diff(at) > 0.0).all() and at[1] < 2.0**-19 and at[-1] > 2.0**14
    assert (np.diff(tones.display_table().astype(int)) >= 0).all()


@settings(max_examples=60)
@given(
    st.floats(-500.0, 500.0), st.floats(-500.0, 500.0), st.floats(0.05, 40.0), st.floats(0.0, 800.0), st.floats(0.0, 800.0), st.floats(0.05, 40.0)
)  # fmt: skip
def test_zooming_about_a_place_leaves_it_where_it_is(left, top, zoom, x, y, other) -> None:
    frame = Frame(left, top, zoom)
    near = frame.about(x, y, other)
    assert near.zoom == other and near.at(x, y) == pytest.approx(frame.at(x, y), abs=1e-6)
    moved = frame.moved(10.0, -4.0)
    assert moved.at(x + 10.0, y - 4.0) == pytest.approx(frame.at(x, y), abs=1e-6)


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(20, 2000), st.integers(20, 2000))
def test_the_whole_picture_fits_and_stands_in_the_middle(width, height, wide, tall) -> None:
    frame = Frame.fitting((width, height), (wide, tall))
    a, b = frame.at(0.0, 0.0), frame.at(wide, tall)
    assert a[0] <= 1e-6 and a[1] <= 1e-6 and b[0] >= width - 1e-6 and b[1] >= height - 1e-6
    assert min(-a[0], -a[1]) == pytest.approx(0.0, abs=1e-6)
    assert -a[0] == pytest.approx(b[0] - width, abs=1e-5) and -a[1] == pytest.approx(b[1] - height, abs=1e-5)


def test_large_pixels_are_pixels_and_what_is_beyond_is_the_booth() -> None:
    rgb = np.zeros((2, 2, 3), np.float32)
    rgb[0, 1] = 1.0
    out = channels(
        lens.picture(Levels.of(rgb), Frame(-1.0, -1.0, 8.0), (32, 32), Toned(tones.display_table()), OUTSIDE)
    )
    assert (out[:8] == 0x96).all() and (out[:, 24:] == 0x96).all()
    assert (out[8:16, 16:24] == 255).all() and (out[8:16, 8:16] == 0).all() and (out[16:24, 8:24] == 0).all()


def test_small_pictures_are_means() -> None:
    rgb = np.zeros((64, 64, 3), np.float32)
    rgb[:, ::2] = 1.0
    levels = Levels.of(rgb)
    assert [one.shape[0] for one in levels.levels] == [64]
    out = channels(lens.picture(levels, Frame(0.0, 0.0, 0.5), (32, 32), Toned(tones.display_table()), OUTSIDE))
    assert np.abs(out.astype(int) - bytes_of(developed(0.5))).max() <= 1


@pytest.mark.parametrize("size, count", [((64, 64), 1), ((65, 10), 2), ((3840, 2160), 7), ((1, 1), 1)])
def test_levels_halve_down_to_a_small_one(size, count) -> None:
    levels = Levels.of(np.ones((size[1], size[0]), np.float32))
    assert len(levels.levels) == count and levels.size == size
    assert all(float(one.min()) == float(one.max()) == 1.0 for one in levels.levels)
    level, scale = levels.for_zoom(0.26)
    assert scale == 0.5 ** min(1, count - 1) and level.shape[0] == levels.levels[min(1, count - 1)].shape[0]


def test_no_numbers_are_hatched_and_hide_no_neighbour() -> None:
    rgb = np.full((8, 8, 3), 0.5, np.float32)
    rgb[4, 4, 1] = math.nan
    rgb[2, 2] = math.inf
    out = lens.picture(Levels.of(rgb), Frame(0.0, 0.0, 1.0), (8, 8), Toned(tones.display_table()), OUTSIDE)
    odd = {(int(v), int(u)) for v, u in np.argwhere(out != out[0, 0])}
    assert odd == {(4, 4), (2, 2)}


def test_what_is_clipped_is_marked_at_the_exposure_that_is_shown() -> None:
    rgb = np.full((12, 12, 3), 0.6, np.float32)
    rgb[:6] = 0.0
    for gain, white in ((1.0, False), (2.0, True)):
        toned = Toned(tones.display_table(math.log2(gain)), gain)
        out = lens.picture(Levels.of(rgb), Frame(0.0, 0.0, 1.0), (12, 12), toned, OUTSIDE, clipped=True)
        assert (out[:6] == 0xFFFFFFFF).sum() == 36
        assert (out[6:] == 0xFF000000).any() == white


def test_maps_are_shown_over_their_reach() -> None:
    scale = ways.BY_NAME[ways.STOPS].scale
    assert scale is not None
    values = np.array([[-9.0, -2.0, 0.0, 2.0, 9.0]], np.float32)
    out = channels(
        lens.measured(Levels.of(values), Frame(0.0, 0.0, 1.0), (5, 1), scale.table(), (scale.low, scale.high), OUTSIDE)
    )[0]
    assert tuple(out[0]) == tuple(out[1]) == scale.colours[0] and tuple(out[3]) == tuple(out[4]) == scale.colours[-1]
    assert np.abs(out[2].astype(int) - tones.GREY).max() <= 1


def test_false_colour_has_a_colour_a_stop_and_grey_for_mid_grey() -> None:
    scale = ways.BY_NAME[ways.EXPOSURE].scale
    assert scale is not None
    values = (0.18 * 2.0 ** np.arange(-6, 5, dtype=np.float64))[None].astype(np.float32)
    out = channels(
        lens.measured(
            Levels.of(values), Frame(0.0, 0.0, 1.0), (11, 1), scale.table(), (scale.low, scale.high), OUTSIDE, True
        )
    )[0]
    assert [tuple(int(c) for c in one) for one in out] == list(scale.colours)
    assert tuple(out[6]) == (128, 128, 128)


@pytest.mark.parametrize("way", [way for way in ways.WAYS if way.scale is not None], ids=lambda way: way.name)
def test_scales_tell_more_by_lightness_alone(way) -> None:
    """What is measured is seen by who does not see colours, and in print."""
    table = way.scale.table(256).astype(float)
    light = table @ [0.2126, 0.7152, 0.0722]
    assert (np.diff(light) >= -1.5).all() and light[-1] - light[0] > 80.0


def test_colour_views_are_what_the_library_gives() -> None:
    wanted = views.views_of()[0]
    toned = Toned(tones.display_table(), 1.0, Cube.of(views.cube(wanted), views.axis(tones.values())))
    rgb = np.exp2(np.random.default_rng(1).uniform(-7.0, 3.0, (60, 100, 3))).astype(np.float32)
    out = channels(lens.picture(Levels.of(rgb), Frame(0.0, 0.0, 1.0), (100, 60), toned, OUTSIDE)).astype(float)
    known = np.clip(views.applied(wanted, rgb), 0.0, 1.0) * 255.0
    apart = np.abs(out - known)
    assert apart.mean() < 0.6 and np.percentile(apart, 99.0) < 3.0
