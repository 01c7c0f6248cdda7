"""What surfaces can be besides plain: two-sided, let through, looked about, rounded, moved, with more than one set of UVs."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import small
from durvan.dialects.look import Lobe, Surface, View, record
from durvan.engine import displacing, renderer
from durvan.engine.build import camera
from durvan.formats import pictures
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh
from durvan.scene.tubes import tubes
from small import floor, lamp, matt, world

pytestmark = pytest.mark.usefixtures("kernels")
DOWN = small.towards(0.0, 1.0, 0.0, 4.0)
UP = small.towards(0.0, -1.0, 0.0, 4.0)
SUN = lamp("far", math.pi, (0.0, 0.0), DOWN)
EVEN = lamp("dome", 1.0)


def look(*lobes: Lobe, **more):
    return record(Surface(list(lobes), **more))


def middle(built, eye, samples: int = 64, size: int = 4) -> np.ndarray:
    return small.render(built, samples, (size, size), View(36.0, 200.0), eye).picture.mean(axis=(0, 1))


def square(side: float = 1.0, y: float = 0.0, **more) -> Mesh:
    return replace(floor(0, y, side), **more)


def test_a_sheet_lets_through_what_its_tint_says() -> None:
    sheet = look(Lobe(L.DIFFUSE, 0.2), Lobe(L.THROUGH, (0.5, 0.3, 0.1)))
    built = world([square(3.0)], [sheet], [SUN])
    assert middle(built, UP) == pytest.approx([0.5, 0.3, 0.1], rel=0.01)  # π lux, over π
    assert middle(built, DOWN) == pytest.approx([0.2] * 3, rel=0.01)


def test_each_side_has_its_own_look() -> None:
    made = matt(0.7, 0.1, 0.1)
    made.back = matt(0.1, 0.1, 0.6)
    for lights, eye, meant in (([SUN], DOWN, (0.7, 0.1, 0.1)), ([lamp("far", math.pi, at=UP)], UP, (0.1, 0.1, 0.6))):
        assert middle(world([square(3.0)], [made], lights), eye) == pytest.approx(meant, rel=0.01)


def test_a_hole_in_the_back_alone_lets_light_through_from_there() -> None:
    made = matt(0.7)
    made.back = matt(0.2, opacity=0.25)
    below = square(3.0, y=-1.0, material=np.full(2, 1, np.int32))
    under = world([square(3.0), below], [made, matt(0.5)], [lamp("far", math.pi, at=UP), SUN])
    # from above the front is whole; the sun from below meets the back of the upper sheet, three quarters of it are open
    assert middle(under, DOWN) == pytest.approx([0.7] * 3, rel=0.02)


def test_how_open_a_place_is() -> None:
    """Under a wide ceiling at height h, what lies within a reach R about a place is shut off where cos > h/R: (h/R)² is open."""
    height, reach = 0.3, 1.0
    made = record(Surface([Lobe(L.DIFFUSE, ex.point("open"))], looks_about=reach))
    ceiling = square(50.0, y=height, material=np.full(2, 1, np.int32), unseen=True)
    built = world([square(50.0), ceiling], [made, matt(0.0)], [lamp("far", math.pi, shadows=False, at=DOWN)])
    assert middle(built, DOWN, 256)[0] == pytest.approx((height / reach) ** 2, abs=0.01)
    alone = world([square(50.0)], [made], [SUN])
    assert middle(alone, DOWN)[0] == pytest.approx(1.0, rel=0.01)


def normals_of(built, eye, size: int = 41) -> np.ndarray:
    """The shading normals that a camera sees, over a picture."""
    return renderer.first_things(built, camera(View(36.0, 50.0), eye, 1.0), size, size).normal


def cube(half: float = 1.0) -> Mesh:
    points, triangles = [], []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            corners = np.zeros((4, 3))
            corners[:, axis] = sign
            corners[:, (axis + 1) % 3] = np.array([-1, 1, 1, -1]) * sign
            corners[:, (axis + 2) % 3] = [-1, -1, 1, 1]
            start = 4 * len(points)
            points.append(corners * half)
            triangles += [[start, start + 1, start + 2], [start, start + 2, start + 3]]
    return Mesh("cube", np.concatenate(points), np.array(triangles, np.int32), None, None, np.zeros(12, np.int32))


def test_edges_are_rounded_and_faces_stay_flat() -> None:
    eye = small.towards(1.0, 0.0, 1.0, 8.0)
    sharp = normals_of(world([cube()], [matt(0.5)], [EVEN]), eye)
    soft = normals_of(world([cube()], [matt(0.5, rounding=0.35)], [EVEN]), eye)
    row = 20
    seen = np.nonzero(np.linalg.norm(soft[row], axis=-1) > 0.5)[0]
    edge = seen[np.argmin(np.abs(seen - 20))]
    turned = math.degrees(
        math.acos(float(np.clip(soft[row, edge] @ np.array([1.0, 0.0, 1.0]) / math.sqrt(2.0), -1, 1)))
    )
    assert turned < 25.0  # the edge looks between both faces
    flat = seen[len(seen) // 4]
    assert soft[row, flat] == pytest.approx(sharp[row, flat], abs=1e-6)
    assert abs(sharp[row, edge]) @ np.ones(3) == pytest.approx(1.0, abs=1e-6)


def ball(rows: int = 48, columns: int = 96, radius: float = 1.0) -> Mesh:
    v, u = np.mgrid[0 : rows + 1, 0 : columns + 1]
    polar, around = math.pi * v / rows, 2.0 * math.pi * u / columns
    n = np.stack([np.sin(polar) * np.cos(around), np.cos(polar), np.sin(polar) * np.sin(around)], -1).reshape(-1, 3)
    place = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
    a, b, c, d = place[:-1, :-1], place[:-1, 1:], place[1:, 1:], place[1:, :-1]
    t = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]).astype(
        np.int32
    )
    uv = np.stack([u / columns, 1.0 - v / rows], -1).reshape(-1, 2)
    return Mesh("ball", n * radius, t, n[t], uv[t], np.zeros(len(t), np.int32))


def moved(metres) -> list:
    made = matt(0.5)
    made.moved = ex.field(metres).lanes[0]
    return [made]


def test_what_is_moved_evenly_grows_by_as_much() -> None:
    out = displacing.displaced(ball(), moved(0.2), lambda _: None, [])
    assert np.linalg.norm(out.points, axis=1) == pytest.approx(1.2, abs=0.004)
    longest = np.linalg.norm(np.diff(out.points[out.triangles], axis=1), axis=2).max()
    assert longest <= 1.35 * displacing.EDGE * 2.0 * math.sqrt(3.0)


def test_no_gap_opens_where_uvs_part() -> None:
    wave = ex.point("u") * 0.3
    out = displacing.displaced(ball(), moved(wave), lambda _: None, [])
    edges = np.sort(
        np.concatenate([out.triangles[:, [0, 1]], out.triangles[:, [1, 2]], out.triangles[:, [2, 0]]]), axis=1
    )
    edges = edges[edges[:, 0] != edges[:, 1]]
    _, counts = np.unique(edges, axis=0, return_counts=True)
    assert (counts >= 2).all()  # every edge has a triangle on both sides


def test_a_height_map_moves_a_plane_where_it_says() -> None:
    step = 1.0 - ex.below(ex.point("u"), 0.5)
    out = displacing.displaced(square(1.0), moved(step * 0.5 - 0.1), lambda _: None, [])
    right, left = out.points[out.points[:, 0] > 0.1], out.points[out.points[:, 0] < -0.1]
    assert right[:, 1] == pytest.approx(0.4, abs=1e-6)
    assert left[:, 1] == pytest.approx(-0.1, abs=1e-6)


def test_a_kilometre_is_bounded_work_and_finite() -> None:
    notes: list[str] = []
    out = displacing.displaced(
        ball(), moved(ex.noise(ex.join(*(ex.point(n) for n in "xyz")), 3) * 1000.0), lambda _: None, notes, 20_000
    )
    assert len(out.triangles) <= 20_000 and np.isfinite(out.points).all()
    assert any("finer ones would be too many" in note for note in notes)
    assert np.isfinite(small.render(world([out], moved(0.0), [EVEN]), 4).picture).all()


def test_what_nobody_moves_stays_the_same_mesh() -> None:
    mesh = ball()
    assert displacing.displaced(mesh, [matt(0.5)], lambda _: None, []) is mesh


def test_corners_carry_colours_and_other_uvs() -> None:
    colours = np.zeros((2, 3, 3))
    colours[..., 0] = floor(0).uvs[..., 0]
    other = floor(0).uvs * 0.0 + [0.25, 0.75]
    mesh = square(3.0, more={"paint": colours, "second": other})
    tints = ex.join(ex.more("paint", 3)[0], ex.more("second", 2, uv=True))
    built = world([mesh], [look(Lobe(L.DIFFUSE, tints))], [SUN])
    assert middle(built, DOWN) == pytest.approx([0.5, 0.25, 0.75], abs=0.01)


def test_a_mesh_without_them_has_what_stands_in() -> None:
    tints = ex.join(ex.more("paint", 1, 0.4), ex.more("second", 2, uv=True))
    built = world([square(3.0)], [look(Lobe(L.DIFFUSE, tints))], [SUN])
    assert middle(built, DOWN) == pytest.approx([0.4, 0.5, 0.5], abs=0.01)


def test_more_than_there_is_room_for_is_told() -> None:
    many_ = ex.join(*(ex.more(f"set{n}", 1, 0.1) for n in range(ex.MOST_MORE)))
    tint = sum((many_[n] for n in range(1, ex.MOST_MORE)), many_[0])
    built = world([square()], [look(Lobe(L.DIFFUSE, tint + ex.more("last", 1, 0.2)))], [SUN])
    assert any("are not shown" in note for note in built.notes)
    assert middle(built, DOWN)[0] == pytest.approx(1.0, abs=0.01)


def test_tiles_stand_in_their_squares(tmp_path: Path) -> None:
    for number, tint in ((1001, (0.8, 0.1, 0.1)), (1002, (0.1, 0.7, 0.1)), (1012, (0.1, 0.1, 0.6))):
        pictures.save(tmp_path / f"wall.{number}.exr", np.full((4, 4, 3), tint, np.float32), depth="float")
    lookup = ex.Lookup(f"{tmp_path}/wall.<UDIM>.exr", 1.0, border=(0.3, 0.3, 0.3, 1.0))
    read = lambda one: pictures.pixels(one.file, one.decode)  # noqa: E731 - short
    for shift, meant in (
        ((0, 0), (0.8, 0.1, 0.1)),
        ((1, 0), (0.1, 0.7, 0.1)),
        ((1, 1), (0.1, 0.1, 0.6)),
        ((5, 5), (0.3, 0.3, 0.3)),
    ):
        place = ex.uv() * 0.2 + ex.field((shift[0] + 0.4, shift[1] + 0.4))
        built = world(
            [square(3.0)], [look(Lobe(L.DIFFUSE, ex.Field(ex.picture(lookup, place).lanes[:3])))], [SUN], read
        )
        assert middle(built, DOWN) == pytest.approx(meant, abs=0.01)
        one = ex.evaluate([ex.picture(lookup, place)], {"u": np.array([0.5]), "v": np.array([0.5])}, read)[0]
        assert one[0, :3] == pytest.approx(meant, abs=0.01)
    assert pictures.tiles_of(lookup.file) == [1001, 1002, 1012]


def test_light_goes_through_fibres_and_not_into_them() -> None:
    """A white fibre in an even light cannot be told from it, wherever the eye meets it."""
    line = np.array([[-2.0, 0.0, 0.0], [0.0, 0.0, 0.0], [2.0, 0.0, 0.0]])
    hair = look(Lobe(L.FIBRE, 1.0, 0.3, 0.3, 0.3, first=0.0, second=1.55))
    built = world([tubes("hair", [line], [np.full(3, 1.5)])], [hair], [EVEN])
    picture = small.render(built, 512, (5, 5), View(36.0, 200.0), DOWN, bounces=16).picture
    assert picture == pytest.approx(1.0, abs=0.03)


def test_tubes_are_as_thick_and_as_long_as_they_are_said_to_be() -> None:
    line = np.array([[0.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 2.0, 0.0]])
    mesh = tubes("hair", [line], [np.array([0.2, 0.2, 0.1])])
    assert np.linalg.norm(mesh.points[mesh.points[:, 1] < 0.5][:, [0, 2]], axis=1) == pytest.approx(0.1)
    assert np.linalg.norm(mesh.points[mesh.points[:, 1] > 1.5][:, [0, 2]], axis=1) == pytest.approx(0.05)
    p = mesh.points[mesh.triangles]
    face = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    assert (np.einsum("ij,ij->i", face, mesh.normals.mean(axis=1)) > 0.0).all()  # they look outwards
    assert mesh.uvs[..., 0].max() == 1.0 and mesh.uvs[..., 1].max() == 1.0
