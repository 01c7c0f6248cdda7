"""The renderer against what can be worked out by hand, and its promises: repeatable, resumable, never stuck."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import small
from durvan.dialects.look import Lobe, Surface, View, record
from durvan.engine import renderer
from durvan.engine.build import Ball, camera
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh

ABOVE = small.towards(0.0, 1.0, 0.001, 2.0)


def level(value: float, built, **more) -> None:
    """A floor seen from straight above has this luminance in its middle."""
    film = small.render(built, 256, (8, 8), View(1.0, 40.0), small.towards(0.0, 1.0, 0.001, 1.0), **more)
    assert film.picture.mean() == pytest.approx(value, rel=0.02)


def test_a_room_that_gives_back_what_it_gets() -> None:
    """Inside an even white sky every matt white thing is as bright as the sky."""
    built = small.world(
        [small.floor(half=50.0)], [small.matt(1.0)], [small.lamp("dome", 1.0)], balls=(Ball((0, 0, 0), 1.0, 0),)
    )
    film = small.render(built, 64, bounces=30)
    assert film.picture.mean() == pytest.approx(1.0, abs=0.02)


def test_lights_give_what_their_units_say() -> None:
    floor, grey = [small.floor(half=0.5, y=0.0)], [small.matt(0.5)]
    over = small.towards(0.0, 1.0, 0.0, 2.0)
    nit = 0.5 / math.pi  # of grey for a lux
    level(nit * 100.0 / 4.0, small.world(floor, grey, [small.lamp("point", 100.0, at=over)]))
    level(nit * 7.0, small.world(floor, grey, [small.lamp("far", 7.0, at=over)]))
    level(nit * 7.0, small.world(floor, grey, [small.lamp("far", 7.0, (20.0, 0.0), over)]))
    disc = math.sin(math.atan(0.4 / 2.0)) ** 2  # of an even disc: π L sin²
    level(nit * math.pi * 10.0 * disc, small.world(floor, grey, [small.lamp("disk", 10.0, (0.4, 0.0), over)]))
    ball = (0.3 / 2.0) ** 2  # of an even ball: π L (r/d)²
    level(nit * math.pi * 10.0 * ball, small.world(floor, grey, [small.lamp("sphere", 10.0, (0.3, 0.0), over)]))
    level(0.5 * 3.0, small.world(floor, grey, [small.lamp("dome", 3.0)]))


def test_decays_agree_at_one_metre() -> None:
    floor, grey = [small.floor(half=0.2, y=0.0)], [small.matt(0.5)]
    for metres in (1.0, 2.0):
        at = small.towards(0.0, 1.0, 0.0, metres)
        found = [
            small.render(
                small.world(floor, grey, [small.lamp("point", 10.0, at=at, decay=decay)]),
                16,
                (4, 4),
                View(0.2, 40.0),
                small.towards(0, 1, 0.001, 5.0),
            ).picture.mean()
            for decay in (2, 1, 0)
        ]
        assert found[1] / found[0] == pytest.approx(metres, rel=0.01)
        assert found[2] / found[0] == pytest.approx(metres**2, rel=0.02)


def test_a_light_without_shadows_casts_none() -> None:
    floor, looks = [small.floor(half=0.2, y=0.0)], [small.matt(0.5)]
    at = small.towards(0.0, 1.0, 0.0, 3.0)
    ball = (Ball((0, 0.5, 0), 0.3, 0),)
    side = small.towards(1.0, 0.2, 0.0, 3.0)
    dark, lit = (
        small.render(
            small.world(floor, looks, [small.lamp("point", 10.0, at=at, shadows=s)], balls=ball),
            16,
            (8, 8),
            View(1.0, 40.0),
            side,
            0,
        ).picture.mean()
        for s in (True, False)
    )
    assert dark < 0.2 * lit


def test_murk_takes_away_by_length() -> None:
    index_one = record(Surface([Lobe(L.REFRACT, 1.0, fresnel=L.DIELECTRIC, first=1.0)], murk=(2.0, 1.0, 0.0)))
    built = small.world([], [index_one], [small.lamp("dome", 1.0)], balls=(Ball((0, 0, 0), 0.5, 0),))
    film = small.render(built, 16, (2, 2), View(0.01, 40.0), small.towards(0, 0, 1, 4.0), bounces=6)
    assert film.picture.mean(axis=(0, 1)) == pytest.approx([math.exp(-2.0), math.exp(-1.0), 1.0], rel=1e-3)


def test_cut_outs_let_light_and_sight_through() -> None:
    built = small.world([], [small.matt(0.0, opacity=0.3)], [small.lamp("dome", 1.0)], balls=(Ball((0, 0, 0), 0.5, 0),))
    film = small.render(built, 4096, (2, 2), View(0.01, 40.0), small.towards(0, 0, 1, 4.0))
    assert film.picture.mean() == pytest.approx(0.7**2, abs=0.02)


def test_light_below_the_surface_comes_out_in_its_colour() -> None:
    """Where it flies no distance to speak of, what scatters is a matt surface of its albedo."""
    deep = record(Surface([Lobe(L.DEEP_DIFFUSE, (0.8, 0.4, 0.2))], reach=0.002, deep=(0.8, 0.4, 0.2)))
    built = small.world([], [deep], [small.lamp("dome", 1.0)], balls=(Ball((0, 0, 0), 0.5, 0),))
    found = small.render(built, 256, (8, 8), View(2.0, 40.0), small.towards(0, 0, 1, 4.0), bounces=3).picture.mean(
        axis=(0, 1)
    )
    assert found == pytest.approx([0.8, 0.4, 0.2], abs=0.02)


def test_the_same_seed_gives_the_same_picture_and_a_film_can_be_gone_on_with() -> None:
    built = small.world([small.floor()], [small.matt()], [small.lamp("dome", 1.0)], balls=(Ball((0, 0, 0), 1.0, 0),))
    whole, again, other = small.render(built, 16), small.render(built, 16), small.render(built, 16, seed=7)
    assert (whole.sums == again.sums).all() and not (whole.sums == other.sums).all()
    parts = small.render(built, 4)
    for _ in range(3):
        assert renderer.expose(built, camera(small.VIEW, small.EYE, 1.0), parts, 4, 4)
    assert parts.samples == 16 and parts.picture == pytest.approx(whole.picture, rel=1e-12)
    asked = iter([False, False, True])
    assert not renderer.expose(built, camera(small.VIEW, small.EYE, 1.0), parts, 4, 4, stop=lambda: next(asked, True))
    assert parts.samples == 16 and parts.picture == pytest.approx(whole.picture, rel=1e-12)


def test_the_lights_passes_make_up_the_whole() -> None:
    lights = [small.lamp("dome", 0.5), small.lamp("rect", 9.0, (1.0, 1.0), small.towards(1, 1, 1, 3.0))]
    glowing = small.matt(0.2, glow=(3.0, 2.0, 1.0))
    built = small.world([small.floor()], [small.matt(), glowing], lights, balls=(Ball((0, 0, 0), 0.5, 0),))
    whole = small.render(built, 32)
    apart = small.render(built, 32, groups=len(built.groups))
    assert apart.picture == pytest.approx(whole.picture, rel=1e-9)
    assert (apart.sums.sum(axis=(0, 1, 3)) > 0.0).all()


def test_the_first_passes_and_clipping() -> None:
    built = small.world([small.floor(1)], [small.matt(), small.matt()], [], balls=(Ball((0, 0, 0), 1.0, 0),))
    eye = small.towards(0.0, 0.0, 1.0, 5.0)
    seen = renderer.first_things(built, camera(View(36.0, 40.0), eye, 1.0), 33, 33)
    assert seen.depth[16, 16] == pytest.approx(4.0, abs=1e-6) and seen.material[16, 16] == 0
    assert seen.normal[16, 16] == pytest.approx([0.0, 0.0, 1.0], abs=1e-6)
    assert seen.material[0, 0] == -1 and seen.material[28, 16] == 1
    assert sum(seen.coverage().values()) == pytest.approx((seen.material >= 0).mean())
    clipped = renderer.first_things(built, camera(View(36.0, 40.0, near=5.5), eye, 1.0), 33, 33)
    assert clipped.depth[16, 16] == pytest.approx(6.0, abs=1e-6)  # the far side of the ball


def test_relief_turns_normals_the_way_it_says() -> None:
    tilt = ex.field((0.5, 0.0, 0.8660254))
    mapped = record(Surface([Lobe(L.DIFFUSE, 0.5)], relief=("normal", tilt)))
    sloped = record(Surface([Lobe(L.DIFFUSE, 0.5)], relief=("height", ex.point("u") * 6.0 * -0.57735)))
    for look in (mapped, sloped):
        built = small.world([small.floor(half=3.0, y=0.0)], [look], [])
        seen = renderer.first_things(built, camera(View(1.0, 40.0), ABOVE, 1.0), 3, 3)
        assert seen.normal[1, 1] == pytest.approx([0.5, 0.8660254, 0.0], abs=2e-3)  # u grows towards +X


def _fan(points: np.ndarray) -> Mesh:
    triangles = np.arange(len(points)).reshape(-1, 3).astype(np.int32)
    return Mesh("m", points, triangles, None, None, np.zeros(len(triangles), np.int32))


@given(seed=st.integers(0, 10_000), count=st.integers(1, 60), size=st.sampled_from([0.01, 0.3, 3.0]))
@settings(max_examples=30, deadline=None)
def test_the_tree_finds_what_a_search_of_everything_finds(seed: int, count: int, size: float) -> None:
    rng = np.random.default_rng(seed)
    points = (rng.normal(size=(count, 1, 3)) + rng.normal(size=(count, 3, 3)) * size).reshape(-1, 3)
    built = small.world([_fan(points)], [small.matt()], [])
    eye = small.towards(*rng.normal(size=3), 6.0)
    cam = camera(small.VIEW, eye, 1.0)
    seen = renderer.first_things(built, cam, 16, 16)
    a, e, f = (points.reshape(-1, 3, 3).astype(np.float32).astype(float)[:, k] for k in range(3))
    e, f = e - a, f - a
    origin = eye[3, :3]
    for y in range(0, 16, 3):
        for x in range(0, 16, 3):
            sx, sy = (x + 0.5) / 16 * 2 - 1, 1 - (y + 0.5) / 16 * 2
            ray = cam[9:12] + sx * cam[3:6] + sy * cam[6:9]
            h = np.cross(ray, f)
            det = (e * h).sum(1)
            t0 = origin - a
            u = (t0 * h).sum(1) / det
            q = np.cross(t0, e)
            v, t = q @ ray / det, (f * q).sum(1) / det
            margin = np.minimum(np.minimum(u, v), 1 - u - v)
            hits = t[(margin > 0) & (t > 0)]
            if (np.abs(margin) < 1e-3).any():
                continue  # at an edge either answer is right
            assert seen.depth[y, x] == pytest.approx(hits.min() if len(hits) else 0.0, rel=1e-3)


def test_many_triangles_in_one_place() -> None:
    points = np.tile(np.array([[-1.0, -1, 0], [1, -1, 0], [0, 1, 0]]), (500, 1))
    built = small.world([_fan(points)], [small.matt()], [])
    seen = renderer.first_things(built, camera(View(1.0, 40.0), small.towards(0.2, 0.2, 1, 3.0), 1.0), 3, 3)
    assert (seen.depth > 0).all()


def test_bad_input_is_said_and_gives_a_finite_picture() -> None:
    nan, inf = float("nan"), float("inf")
    broken = np.full((4, 4, 4), nan, dtype=np.float32)
    four = ex.picture(ex.Lookup("broken"), ex.uv())
    looks = [
        record(
            Surface([Lobe(L.REFLECT, inf, nan, fresnel=L.DIELECTRIC, first=0.0)], opacity=nan, murk=(inf, nan, -1.0))
        ),
        record(
            Surface(
                [Lobe(L.DIFFUSE, ex.join(four[0], four[1], four[2]), four[3])],
                glow=ex.join(*(four[n] for n in range(3))),
            )
        ),
    ]
    flat = _fan(np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [nan, 0, 0], [1, 0, 0], [0, 1, 0]]))
    lights = [
        small.lamp("rect", inf, (1.0, 1.0), small.towards(0, 1, 0.1, 2.0)), small.lamp("sphere", 0.0, (1.0, 0.0)),
        small.lamp("disk", 5.0, (0.0, 0.0)), small.lamp("far", nan), small.lamp("rect", 1.0, (1.0, 1.0), np.zeros((4, 4))),
        small.lamp("dome", (nan, 1.0, 1.0), picture=ex.Lookup("broken")),
    ]  # fmt: skip
    built = small.world(
        [small.floor(1), flat], looks, lights, lambda _: np.nan_to_num(broken), (Ball((0, 0, 0), 1.0, 0),)
    )
    film = small.render(built, 4, eye=np.eye(4))  # the eye is inside the ball
    assert np.isfinite(film.picture).all()
    said = " ".join(built.notes)
    for words in (
        "2 triangles have no area",
        "brighter than can be shown",
        "gives no light",
        "has no size on the stage",
    ):
        assert words in said


def test_nothing_at_all() -> None:
    film = small.render(small.world([], [], []), 2)
    assert (film.picture == 0.0).all()
