"""What a swatch shows: a ball over a tilted tile, or a lock of fibres, on a floor of two greys, under three lightings."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Lamp, Lobe, Record, Surface, View, record
from durvan.engine.build import Ball, Built, build, camera, is_strand
from durvan.engine.displacing import displaced
from durvan.engine.lamps import Placed
from durvan.engine.staging import pixels
from durvan.graph.expression import Lookup
from durvan.optics.lobes import layout
from durvan.scene.shapes import Mesh
from durvan.scene.tubes import tubes

Floats = NDArray[np.float64]
LIGHTINGS = ("booth", "overcast", "raking")
RADIUS = 0.05
VIEW = View(24.0, 50.0)
TURNED = np.array([[0.9063, 0.0, 0.4226], [0.0, 1.0, 0.0], [-0.4226, 0.0, 0.9063]])  # the ball's axes as rows
_FIBRES = 420
_CUT = 60_000  # triangles of a swatch that is displaced


@cache
def tile() -> list[Mesh]:
    """The tilted tile (of the material), a floor of two greys and a wall."""
    tilt = math.radians(12.0)
    c, s = math.cos(tilt), math.sin(tilt)
    half, y = 0.085, -0.062
    points = np.array([[-half, y - half * s, half * c], [half, y - half * s, half * c],
                       [half, y + half * s, -half * c], [-half, y + half * s, -half * c]])  # fmt: skip
    two = np.array([[0, 1, 2], [0, 2, 3]], dtype=np.int32)
    uv = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])[two]
    tile = Mesh("tile", points, two, None, uv, np.zeros(2, np.int32))
    squares: list[NDArray[np.float64]] = []
    triangles: list[list[int]] = []
    owners: list[int] = []
    side = 0.04
    for row in range(-6, 7):
        for column in range(-6, 7):
            x, z, start = column * side, row * side, len(squares) * 4
            squares.append(
                np.array([[x, -0.1, z + side], [x + side, -0.1, z + side], [x + side, -0.1, z], [x, -0.1, z]])
            )
            triangles += [[start, start + 1, start + 2], [start, start + 2, start + 3]]
            owners += [1 + (row + column) % 2] * 2
    floor = Mesh(
        "floor", np.concatenate(squares), np.array(triangles, np.int32), None, None, np.array(owners, np.int32)
    )
    return [tile, floor]


def _facing(x: float, y: float, z: float, distance: float) -> NDArray[np.float64]:
    """A matrix that stands off in a direction and shines back at the middle."""
    back = np.array([x, y, z]) / math.sqrt(x * x + y * y + z * z)
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.99 else np.array([0.0, 0.0, -1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    matrix = np.eye(4)
    matrix[0, :3], matrix[1, :3], matrix[2, :3], matrix[3, :3] = right, np.cross(back, right), back, back * distance
    return matrix


@cache
def skies() -> dict[str, NDArray[np.float32]]:
    """The graded dome (CIE standard overcast sky, CIE S 011, type 1) and an even one; rows from the zenith down."""
    height = 64
    elevation = math.pi / 2.0 - (np.arange(height) + 0.5) / height * math.pi
    graded = np.where(elevation > 0.0, (1.0 + 2.0 * np.sin(elevation)) / 3.0, 0.12)
    return {
        "overcast": np.tile(graded[:, None, None], (1, 128, 4)).astype(np.float32),
        "even": np.ones((2, 4, 4), dtype=np.float32),
    }


def lamps() -> list[Placed]:
    """The lamps of all three lightings."""

    def sky(name: str, strength: float, lighting: int) -> Placed:
        return Placed(name, Lamp("dome", (strength,) * 3, picture=Lookup(f":{name}")), np.eye(4), lighting)

    booth, overcast, raking = range(3)
    # a small sun 75° from the zenith, from the left and a little behind the eye
    far = math.radians(75.0)
    sun = _facing(-math.sin(far) * 0.9, math.cos(far), math.sin(far) * 0.43, 1.0)
    return [
        Placed("key", Lamp("rect", (9.0,) * 3, (0.5, 0.7)), _facing(-1.0, 0.9, 0.9, 0.8), booth),
        Placed("fill", Lamp("rect", (3.0,) * 3, (0.4, 0.8)), _facing(1.0, 0.35, 0.8, 0.9), booth),
        Placed("top", Lamp("rect", (5.0,) * 3, (0.9, 0.5)), _facing(0.05, 1.0, -0.25, 0.8), booth),
        sky("even", 0.25, booth),
        sky("overcast", 1.0, overcast),
        Placed("sun", Lamp("far", (3.0,) * 3, (2.0, 0.0)), sun, raking),
        sky("even", 0.12, raking),
    ]


def _pixels(lookup: Lookup) -> NDArray[np.float32] | None:
    return skies()[lookup.file[1:]] if lookup.file.startswith(":") else pixels(lookup)


def eye() -> NDArray[np.float64]:
    """The camera, as kernels have it."""
    return camera(VIEW, stands(), 1.0)


def stands() -> NDArray[np.float64]:
    """Where the camera stands [4, 4]."""
    matrix = _facing(0.0, 0.36, 1.0, 0.47)
    matrix[3, 1] -= 0.012
    return matrix


def has_other_side(look: Record) -> bool:
    """Whether a look has another side to show; where light may get in, that is what a body is from inside."""
    return look.back is not None and look.base[layout.INSIDE] == 0.0


def world_of(look: Record) -> Built:
    """The scene of a swatch of a look."""
    floor = [record(Surface([Lobe(layout.DIFFUSE, albedo)])) for albedo in (0.12, 0.3)]
    looks = [look, *floor]
    if is_strand(look):
        return build([lock(), *tile()[1:]], looks, lamps(), _pixels, lightings=len(LIGHTINGS))
    if look.moved is not None:
        shapes = [displaced(mesh, looks, _pixels, [], _CUT) for mesh in (ball(), *tile())]
        return build(shapes, looks, lamps(), _pixels, lightings=len(LIGHTINGS))
    shapes = [turned_over(tile()[0]), *tile()[1:]] if has_other_side(look) else tile()
    body = Ball((0.0, 0.0, 0.0), RADIUS, 0, TURNED)
    return build(shapes, looks, lamps(), _pixels, (body,), lightings=len(LIGHTINGS))


def turned_over(mesh: Mesh) -> Mesh:
    """A mesh whose back is seen."""
    assert mesh.uvs is not None
    return replace(mesh, triangles=mesh.triangles[:, ::-1], uvs=mesh.uvs[:, ::-1])


@cache
def ball(rows: int = 48, columns: int = 96) -> Mesh:
    """The ball as a mesh, with the UVs that it has as a body."""
    v, u = np.mgrid[0 : rows + 1, 0 : columns + 1]
    polar, around = (1.0 - v / rows) * math.pi, (u / columns - 0.5) * 2.0 * math.pi
    local = np.stack([np.sin(polar) * np.sin(around), np.cos(polar), np.sin(polar) * np.cos(around)], axis=-1)
    normals = (local @ TURNED).reshape(-1, 3)
    number = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    table = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]).astype(
        np.int32
    )
    uv = np.stack([u / columns, v / rows], axis=-1).reshape(-1, 2)
    return Mesh("ball", RADIUS * normals, table, normals[table], uv[table], np.zeros(len(table), np.int32))


@cache
def lock() -> Mesh:
    """A lock of fibres in the place of ball and tile: it falls over a curve towards the eye, in several layers."""
    chance = np.random.default_rng(11)
    lines, sizes = [], []
    t = np.linspace(0.0, 1.0, 12)
    for _ in range(_FIBRES):
        across, deep, stray = chance.uniform(-0.06, 0.06), chance.uniform(0.0, 0.016), chance.normal(0.0, 0.002, 2)
        bend = 0.062 - deep
        angle = -1.5 + 2.5 * t
        down = np.cos(np.maximum(angle, 0.0)) * bend
        line = np.stack(
            [across + stray[0] * t * 2.0, down - 0.02 - 0.045 * t**3, bend * np.sin(angle) + 0.012 + stray[1] * t],
            axis=1,
        )
        lines.append(line)
        sizes.append(np.full(len(t), 0.0017))
    return tubes("lock", lines, sizes)
