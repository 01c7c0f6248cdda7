"""Shapes for the demo scene: points, faces, normals and UVs of lathed, boxed, bent and piped things, in centimetres."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

Point = tuple[float, float, float]


@dataclass
class Shape:
    """A mesh of quads and triangles with a UV for each point."""

    points: list[Point] = field(default_factory=list)
    uvs: list[tuple[float, float]] = field(default_factory=list)
    faces: list[tuple[int, ...]] = field(default_factory=list)

    def join(self, other: Shape) -> Shape:
        """This shape and another as one."""
        start = len(self.points)
        self.points += other.points
        self.uvs += other.uvs
        self.faces += [tuple(corner + start for corner in face) for face in other.faces]
        return self

    def moved(self, x: float, y: float, z: float, turn: float = 0.0) -> Shape:
        """A copy turned about the up axis (degrees) and then shifted."""
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        points = [(c * a + s * b + x, h + y, -s * a + c * b + z) for a, h, b in self.points]
        return Shape(points, list(self.uvs), list(self.faces))


def sheet(across: int, up: int, place: Callable[[float, float], Point], flip: bool = False) -> Shape:
    """A grid of `across` × `up` quads over the unit square, put in space by `place(u, v)`."""
    shape = Shape()
    for row in range(up + 1):
        for column in range(across + 1):
            u, v = column / across, row / up
            shape.points.append(place(u, v))
            shape.uvs.append((u, v))
    wide = across + 1
    for row in range(up):
        for column in range(across):
            a = row * wide + column
            face = (a, a + 1, a + wide + 1, a + wide)
            shape.faces.append(tuple(reversed(face)) if flip else face)
    return shape


def lathe(profile: Sequence[tuple[float, float]], around: int = 32) -> Shape:
    """A profile of (radius, height) pairs, bottom to top, turned about the up axis; outside is outside."""
    last = len(profile) - 1

    def place(u: float, v: float) -> Point:
        radius, height = profile[round(v * last)]
        angle = -2.0 * math.pi * u
        return (radius * math.cos(angle), height, radius * math.sin(angle))

    return sheet(around, last, place)


def ring(middle: float, height: float, outline: Sequence[tuple[float, float]], around: int = 48) -> Shape:
    """A closed outline of (radius, height) offsets, counter-clockwise, swept round at a middle radius."""
    return lathe([(middle + r, height + h) for r, h in [*outline, outline[0]]], around)


def box(width: float, height: float, depth: float) -> Shape:
    """A box standing on the ground at the origin."""
    w, d = width / 2, depth / 2
    shape = Shape()
    sides = [
        ((-w, 0, d), (w, 0, d), (w, height, d), (-w, height, d)),
        ((w, 0, -d), (-w, 0, -d), (-w, height, -d), (w, height, -d)),
        ((w, 0, d), (w, 0, -d), (w, height, -d), (w, height, d)),
        ((-w, 0, -d), (-w, 0, d), (-w, height, d), (-w, height, -d)),
        ((-w, height, d), (w, height, d), (w, height, -d), (-w, height, -d)),
        ((-w, 0, -d), (w, 0, -d), (w, 0, d), (-w, 0, d)),
    ]
    for corners in sides:
        start = len(shape.points)
        shape.points += [(float(x), float(y), float(z)) for x, y, z in corners]
        shape.uvs += [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)]
        shape.faces.append((start, start + 1, start + 2, start + 3))
    return shape


def pipe(path: Sequence[Point], radius: float, around: int = 10) -> Shape:
    """A round pipe along points."""

    def direction(index: int) -> Point:
        a, b = path[max(index - 1, 0)], path[min(index + 1, len(path) - 1)]
        d = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
        size = math.sqrt(sum(part * part for part in d)) or 1.0
        return (d[0] / size, d[1] / size, d[2] / size)

    def place(u: float, v: float) -> Point:
        index = round(v * (len(path) - 1))
        d = direction(index)
        helper = (0.0, 1.0, 0.0) if abs(d[1]) < 0.9 else (1.0, 0.0, 0.0)
        side = _unit(_cross(d, helper))
        over = _cross(side, d)
        c, s = math.cos(2 * math.pi * u), math.sin(2 * math.pi * u)
        p = path[index]
        return tuple(p[k] + radius * (c * side[k] + s * over[k]) for k in range(3))  # type: ignore[return-value]

    return sheet(around, len(path) - 1, place)


def _cross(a: Point, b: Point) -> Point:
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


def _unit(a: Point) -> Point:
    size = math.sqrt(sum(part * part for part in a)) or 1.0
    return (a[0] / size, a[1] / size, a[2] / size)


def circle(radius: float, height: float, steps: int = 48, start: float = 0.0, end: float = 360.0) -> list[Point]:
    """Points along an arc about the up axis, angles in degrees."""
    out = []
    for step in range(steps + 1):
        angle = math.radians(start + (end - start) * step / steps)
        out.append((radius * math.cos(angle), height, radius * math.sin(angle)))
    return out
