"""Small scenes for tests of the renderer."""

from __future__ import annotations

import numpy as np

from durvan.dialects.look import Lamp, Lobe, Surface, View, record
from durvan.engine import renderer
from durvan.engine.build import Ball, Built, build, camera
from durvan.engine.lamps import Placed
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh

VIEW = View(36.0, 40.0)


def towards(x: float, y: float, z: float, distance: float) -> np.ndarray:
    """A place at a distance in a direction, that faces the middle along −Z."""
    back = np.array([x, y, z]) / np.linalg.norm([x, y, z])
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.99 else np.array([0.0, 0.0, -1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    out = np.eye(4)
    out[0, :3], out[1, :3], out[2, :3], out[3, :3] = right, np.cross(back, right), back, back * distance
    return out


EYE = towards(0.0, 0.5, 1.0, 5.0)


def floor(material: int = 0, y: float = -1.0, half: float = 3.0) -> Mesh:
    p = np.array([[-half, y, half], [half, y, half], [half, y, -half], [-half, y, -half]])
    t = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    uv = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])[t]
    return Mesh("floor", p, t, None, uv, np.full(2, material, np.int32))


def matt(*colour: float, **surface):
    tint = colour if len(colour) == 3 else (colour or (0.5,)) * 3
    return record(Surface([Lobe(L.DIFFUSE, tint)], **surface))


def lamp(shape: str, radiance, size=(0.0, 0.0), at=None, **more) -> Placed:
    place = np.eye(4) if at is None else at
    tint = radiance if isinstance(radiance, tuple) else (radiance,) * 3
    return Placed(shape, Lamp(shape, tint, size, **more), place)


def world(meshes, looks, lights, pixels=lambda _: None, balls: tuple[Ball, ...] = ()) -> Built:
    return build(meshes, looks, lights, pixels, balls)


def render(
    built: Built,
    samples: int = 64,
    size: tuple[int, int] = (32, 32),
    view: View = VIEW,
    eye=EYE,
    bounces: int = 4,
    seed: int = 0,
    groups: int = 1,
):
    film = renderer.Film.empty(*size, groups, seed)
    assert renderer.expose(built, camera(view, eye, size[0] / size[1]), film, samples, bounces)
    return film
