"""From triangles, looks and lamps to the arrays that the kernels work on."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Lamp, Record, View
from durvan.engine.kernels import tree
from durvan.engine.kernels import world as kw
from durvan.engine.kernels.world import World
from durvan.graph.expression import Lookup
from durvan.graph.program import Program, compile_lanes
from durvan.optics.colour import luminance
from durvan.optics.light_shapes import BY_KIND, DOME, FAR, GLOW, SHAPES, SPHERE
from durvan.optics.lobes import layout
from durvan.optics.lobes.tables import tables
from durvan.optics.photometry import latlong_illuminance
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
Pixels = Callable[[Lookup], "NDArray[np.float32] | None"]
GREY = 0.18
_BRIGHTEST = 1e12  # nit; more than that is held to it, and said
_DOME_WIDTH = 1024


@dataclass
class Ball:
    """A solid ball with a material: middle and radius in metres, and its axes as rows."""

    middle: tuple[float, float, float]
    radius: float
    material: int
    axes: Floats = field(default_factory=lambda: np.eye(3))


@dataclass
class Placed:
    """A lamp and where it stands: a world matrix (row vectors, metres) and the name of its prim."""

    name: str
    lamp: Lamp
    matrix: Floats


@dataclass
class Built:
    """A world, how many registers its programs need, its lights' names by group, and what is to be said."""

    world: World
    registers: int
    groups: list[str]
    notes: list[str]
    objects: list[str] = field(default_factory=list)


def build(
    meshes: list[Mesh],
    records: list[Record],
    placed: list[Placed],
    pixels: Pixels,
    balls: tuple[Ball, ...] = (),
    up_axis: str = "Y",
) -> Built:
    """Make a world. `Mesh.material` are places in `records`; `pixels` reads pictures (see `expression.evaluate`)."""
    return _Builder(records, pixels, up_axis).run(meshes, placed, balls)


class _Builder:
    def __init__(self, records: list[Record], pixels: Pixels, up_axis: str) -> None:
        self.records, self.pixels, self.up_axis = records, pixels, up_axis
        self.notes: list[str] = []
        self.numbers: dict[Lookup, int] = {}
        self.code: list[NDArray[np.int32]] = []
        self.start: list[Floats] = []
        self.out: list[tuple[int, int]] = []
        self.registers = 8
        self.shapes: list[Floats] = []
        self.lights: list[Floats] = []
        self.groups: list[str] = []

    def run(self, meshes: list[Mesh], placed: list[Placed], balls: tuple[Ball, ...]) -> Built:
        material = np.array([self._material(record) for record in self.records], dtype=np.int32)
        material = material.reshape(-1, kw.MATERIAL)
        corner, normal, uv, owner = self._triangles(meshes)
        middle, size = _extent(corner, balls)
        dome, frame = self._lamps(placed, middle, size)
        self._glows(corner, owner, meshes, middle, size)
        for ball in balls:
            self.shapes.append(_shape(SPHERE, ball.middle, ball.axes, (ball.radius, 0.0), -1, ball.material))
        low, high = self._bounds(corner)
        count = len(low)
        order = np.zeros(count, dtype=np.int32)
        boxes = np.zeros((max(count, 1), 12), dtype=np.float32)
        children = np.zeros((max(count, 1), 2), dtype=np.int32)
        nodes = tree.build(low, high, order, boxes, children)
        wide = np.zeros((max(nodes, 1), 48), dtype=np.float32)
        kids = np.zeros((max(nodes, 1), 8), dtype=np.int32)
        used = tree.widen(boxes, children, wide, kids) if count else 0
        old = np.zeros(len(corner), dtype=np.int32)
        solids = np.zeros(max(len(self.shapes), 1), dtype=np.int32)
        leaves = np.zeros((max(count, 1), 4), dtype=np.int32)
        blocks = np.zeros((max(count, 1), 72), dtype=np.float32)
        filled = tree.settle(kids[:used], order, corner, old, solids, leaves, blocks)
        moved = np.empty(
            len(corner), dtype=np.int64
        )  # triangles lie in the tree's order: neighbours are near in memory
        moved[old] = np.arange(len(corner))
        for light in self.lights:
            if light[kw.KIND] == GLOW:
                light[kw.TRIANGLE] = moved[int(light[kw.TRIANGLE])]
        lights, summed, far = self._chances(middle, size, dome)
        picture, border, pixels = self._pictures()
        rows, columns = _dome_sums(dome)
        records = np.array([record.base for record in self.records]).reshape(-1, layout.RECORD)
        world = kw.pack(
            {
                kw.A_BOXES: wide[:used], kw.A_CHILDREN: kids[:used], kw.A_SOLIDS: solids,
                kw.A_LEAVES: leaves[:filled], kw.A_BLOCKS: blocks[:filled], kw.A_CORNER: corner[old],
                kw.A_NORMAL: normal[old], kw.A_UV: uv[old], kw.A_OWNER: owner[old],
                kw.A_SHAPES: np.array(self.shapes).reshape(-1, kw.SHAPE), kw.A_BASE: records,
                kw.A_MATERIAL: material, kw.A_CODE: np.concatenate([*self.code, np.zeros((1, 6), np.int32)]),
                kw.A_START: np.concatenate([*self.start, np.zeros(1)]),
                kw.A_OUT: np.array(self.out, dtype=np.int32).reshape(-1, 2), kw.A_PICTURE: picture,
                kw.A_BORDER: border, kw.A_PIXELS: pixels, kw.A_LIGHT: lights, kw.A_LIGHT_SUM: summed, kw.A_FAR: far,
                kw.A_DOME: dome, kw.A_DOME_ROWS: rows, kw.A_DOME_COLUMNS: columns, kw.A_DOME_FRAME: frame,
            },
            {
                kw.N_NODES: used, kw.N_LIGHTS: len(lights), kw.N_FAR: len(far), kw.N_DOME_HEIGHT: dome.shape[0],
                kw.N_DOME_WIDTH: dome.shape[1],
            },
            tables(),
        )  # fmt: skip
        return Built(world, self.registers, self.groups, self.notes, [mesh.path for mesh in meshes])

    # materials

    def _number(self, lookup: Lookup) -> int:
        return self.numbers.setdefault(lookup, len(self.numbers))

    def _program(self, program: Program) -> tuple[int, int, int, int]:
        first = sum(len(part) for part in self.code)
        start = sum(len(part) for part in self.start)
        self.code.append(program.code)
        self.start.append(program.start)
        self.registers = max(self.registers, program.registers + 4)
        return first, len(program.code), start, len(program.start)

    def _material(self, record: Record) -> list[int]:
        row = [0] * kw.MATERIAL
        relief = layout.HEIGHT if record.base[layout.RELIEF] == 2.0 else -1
        places = [place for place in record.lanes if place != relief]
        if places:
            program = compile_lanes([record.lanes[place] for place in places], self._number)
            row[kw.M_CODE : kw.M_CODE + 4] = self._program(program)
            row[kw.M_OUT], row[kw.M_OUT_COUNT] = len(self.out), len(places)
            self.out.extend(zip(places, program.results, strict=True))
        if relief in record.lanes:
            bump = compile_lanes([record.lanes[relief]], self._number)
            row[kw.M_BUMP : kw.M_BUMP + 4] = self._program(bump)
            row[kw.M_BUMP_OUT] = bump.results[0]
        elif relief >= 0:  # a height that is the same everywhere turns nothing
            record.base[layout.RELIEF] = 0.0
        row[kw.M_LOBES] = layout.HEADER + int(record.base[layout.COUNT]) * layout.LOBE
        row[kw.M_FRAME] = int(_needs_frame(record))
        row[kw.M_PLAIN] = int(layout.OPACITY not in record.lanes and record.base[layout.OPACITY] >= 1.0)
        return row

    def _pictures(self) -> tuple[NDArray[np.int32], Floats, NDArray[np.float32]]:
        info, borders, parts = [], [], []
        offset = 0
        for lookup in self.numbers:
            found = self.pixels(lookup)
            if found is None:
                found = np.array([[[0.0, 0.0, 0.0, 1.0]]], dtype=np.float32)
            wraps = [kw.WRAPS.index(how) if how in kw.WRAPS else 0 for how in (lookup.wrap_u, lookup.wrap_v)]
            info.append([offset, found.shape[1], found.shape[0], *wraps])
            borders.append(lookup.border)
            parts.append(found.reshape(-1))
            offset += found.size
        parts.append(np.zeros(4, dtype=np.float32))
        return (
            np.array(info, dtype=np.int32).reshape(-1, 5), np.array(borders, dtype=np.float64).reshape(-1, 4),
            np.concatenate(parts),
        )  # fmt: skip

    # shapes

    def _triangles(
        self, meshes: list[Mesh]
    ) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.int32]]:
        corners, normals, uvs, owners = [], [], [], []
        dropped = 0
        for number, mesh in enumerate(meshes):
            p = mesh.points[mesh.triangles]
            e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
            flat = np.cross(e1, e2)
            length = np.linalg.norm(flat, axis=1)
            good = np.isfinite(length) & (length > 1e-14)
            dropped += int((~good).sum())
            flat = flat[good] / length[good, None]
            corners.append(np.concatenate([p[good, 0], e1[good], e2[good]], axis=1))
            own = mesh.normals[good].reshape(-1, 9) if mesh.normals is not None else np.tile(flat, (1, 3))
            normals.append(own)
            uvs.append(
                np.nan_to_num(mesh.uvs[good].reshape(-1, 6)) if mesh.uvs is not None else np.zeros((int(good.sum()), 6))
            )
            owner = np.full((int(good.sum()), kw.OWNER), -1, dtype=np.int32)
            owner[:, kw.O_MATERIAL] = mesh.material[good]
            owner[:, kw.O_OBJECT] = number
            owners.append(owner)
        if dropped:
            self.notes.append(f"{dropped} triangles have no area and are left out")
        wide = [(corners, 9), (normals, 9), (uvs, 6)]
        out = [
            np.concatenate(parts).astype(np.float32) if parts else np.zeros((0, width), np.float32)
            for parts, width in wide
        ]
        owner = np.concatenate(owners) if owners else np.zeros((0, 3), np.int32)
        return out[0], out[1], out[2], owner

    def _bounds(self, corner: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        a = corner[:, 0:3]
        b, c = a + corner[:, 3:6], a + corner[:, 6:9]
        low = np.minimum(np.minimum(a, b), c)
        high = np.maximum(np.maximum(a, b), c)
        if self.shapes:
            boxes = np.array([_shape_box(shape) for shape in self.shapes], dtype=np.float32)
            low = np.concatenate([low, boxes[:, :3]])
            high = np.concatenate([high, boxes[:, 3:]])
        # room for the rounding of single precision, of the boxes and of the rays that are tested against them
        pad = 4e-7 * np.maximum(np.maximum(np.abs(low), np.abs(high)).max(axis=0), 1e-3) if len(low) else 0.0
        return np.ascontiguousarray(low - pad, dtype=np.float32), np.ascontiguousarray(high + pad, dtype=np.float32)

    # lights

    def _light(self, kind: int, lamp: Lamp, group: int) -> Floats:
        light = np.zeros(kw.LIGHT)
        light[kw.KIND] = kind
        radiance = np.nan_to_num(np.array(lamp.radiance), posinf=_BRIGHTEST, neginf=0.0)
        if (radiance > _BRIGHTEST).any() or not np.isfinite(np.array(lamp.radiance)).all():
            self.notes.append(f"{self.groups[group]}: brighter than can be shown; held to {_BRIGHTEST:g}")
        light[kw.RADIANCE : kw.RADIANCE + 3] = np.clip(radiance, 0.0, _BRIGHTEST)
        light[kw.SIZE : kw.SIZE + 2] = lamp.size
        light[kw.INNER], light[kw.OUTER] = math.radians(lamp.inner), math.radians(lamp.outer)
        if lamp.outer >= 180.0:
            light[kw.OUTER] = math.pi
        light[kw.PROFILE] = float(lamp.profile == "linear")
        light[kw.FOCUS], light[kw.DECAY], light[kw.SHADOWS] = lamp.focus, lamp.decay, float(lamp.shadows)
        light[kw.GROUP] = group
        return light

    def _lamps(self, placed: list[Placed], middle: Floats, size: float) -> tuple[NDArray[np.float32], Floats]:
        dome = np.zeros((1, 1, 3), dtype=np.float32)
        frame = np.eye(3).reshape(-1)
        for one in placed:
            lamp = one.lamp
            self.notes.extend(f"{one.name}: {note}" for note in lamp.notes)
            if not any(part > 0.0 for part in lamp.radiance):
                self.notes.append(f"{one.name}: gives no light")
                continue
            if lamp.shape == "dome":
                if any(light[kw.KIND] == DOME for light in self.lights):
                    self.notes.append(f"{one.name}: a second dome is left out")
                    continue
                dome = self._dome(one)
                frame = _dome_frame(lamp.turn, self.up_axis)
                self.groups.append(one.name)
                self.lights.append(self._light(DOME, Lamp("dome", (1.0, 1.0, 1.0)), len(self.groups) - 1))
                continue
            self._placed(one)
        return dome, np.concatenate([frame, [0.0]])

    def _placed(self, one: Placed) -> None:
        lamp, matrix = one.lamp, one.matrix
        axes = matrix[:3, :3].copy()
        scale = np.linalg.norm(axes, axis=1)
        if not np.isfinite(scale).all() or (scale < 1e-12).any():
            self.notes.append(f"{one.name}: has no size on the stage and is left out")
            return
        axes /= scale[:, None]
        self.groups.append(one.name)
        group = len(self.groups) - 1
        if lamp.shape == "far":
            light = self._light(FAR, lamp, group)
            half = math.radians(min(lamp.size[0], 180.0) / 2.0)
            light[kw.COS_DISC] = math.cos(half) if half > 1e-4 else 1.0
            if half > 1e-4:  # lux at right angles, as even radiance over the disc
                light[kw.RADIANCE : kw.RADIANCE + 3] /= math.pi * math.sin(half) ** 2
            _put_axes(light, matrix[3, :3], axes)
            self.lights.append(light)
            return
        row = SHAPES[lamp.shape]
        size = row.staged(lamp.size, (float(scale[0]), float(scale[1]), float(scale[2])))
        light = self._light(row.kind, lamp, group)
        light[kw.SIZE : kw.SIZE + 2] = size
        light[kw.AREA] = row.area(size)
        if row.has_body and not (size[0] > 0.0 and light[kw.AREA] > 1e-14):
            self.notes.append(f"{one.name}: has no area and gives no light")
            return
        _put_axes(light, matrix[3, :3], axes)
        if row.has_body:
            self.shapes.append(_shape(row.kind, matrix[3, :3], axes, size, len(self.lights), 0))
        self.lights.append(light)

    def _dome(self, one: Placed) -> NDArray[np.float32]:
        lamp = one.lamp
        found = self.pixels(lamp.picture) if lamp.picture is not None else None
        if found is None:
            if lamp.picture is not None:
                self.notes.append(f"{one.name}: its picture cannot be read; it is an even white")
            found = np.ones((2, 4, 4), dtype=np.float32)
        picture = _brought_down(np.maximum(found[..., :3], 0.0))
        if lamp.lux is not None:
            there = latlong_illuminance(picture)
            picture = picture * (lamp.lux / there if there > 0.0 else 0.0)
        return np.ascontiguousarray(np.clip(picture * np.array(lamp.radiance), 0.0, 1e12), dtype=np.float32)

    def _glows(
        self, corner: NDArray[np.float32], owner: NDArray[np.int32], meshes: list[Mesh], middle: Floats, size: float
    ) -> None:
        """Every triangle of a material that glows and lights is a light of its own."""
        places = range(layout.GLOW, layout.GLOW + 3)
        for number, record in enumerate(self.records):
            varies = any(place in record.lanes for place in places)
            if not record.glow_lights or not (varies or record.base[layout.GLOW : layout.GLOW + 3].max() > 0.0):
                continue
            which = np.nonzero(owner[:, kw.O_MATERIAL] == number)[0]
            if not len(which):
                continue
            area = 0.5 * np.linalg.norm(np.cross(corner[which, 3:6], corner[which, 6:9]).astype(np.float64), axis=1)
            self.groups.append(f"glow {number}")
            radiance = record.base[layout.GLOW : layout.GLOW + 3]
            lamp = Lamp("glow", tuple(radiance) if not varies else (1.0, 1.0, 1.0))
            for triangle, size_ in zip(which, area, strict=True):
                light = self._light(GLOW, lamp, len(self.groups) - 1)
                light[kw.AREA], light[kw.TRIANGLE], light[kw.SIZE] = size_, triangle, float(varies)
                light[kw.ORIGIN : kw.ORIGIN + 3] = corner[triangle, :3]
                owner[triangle, kw.O_LIGHT] = len(self.lights)
                self.lights.append(light)

    def _chances(
        self, middle: Floats, size: float, dome: NDArray[np.float32]
    ) -> tuple[Floats, Floats, NDArray[np.int32]]:
        """How likely each light is to be asked: half of it by what it can give in the middle, half evenly by lights."""
        if not self.lights:
            return np.zeros((0, kw.LIGHT)), np.zeros(1), np.zeros(0, dtype=np.int32)
        lights = np.array(self.lights)
        power = np.array([_power(light, middle, size, dome) for light in lights])
        members = np.bincount(lights[:, kw.GROUP].astype(int), minlength=len(self.groups))
        even = 1.0 / members[lights[:, kw.GROUP].astype(int)]
        even /= even.sum()
        chance = 0.5 * even + 0.5 * (power / power.sum() if power.sum() > 0.0 else even)
        lights[:, kw.CHANCE] = chance
        summed = np.concatenate([[0.0], np.cumsum(chance)])
        summed /= summed[-1]
        far = np.nonzero((lights[:, kw.KIND] == DOME) | (lights[:, kw.KIND] == FAR))[0]
        return lights, summed, far.astype(np.int32)


def _needs_frame(record: Record) -> bool:
    """Whether a material looks different when the UVs lie otherwise: by relief, or by a lobe that is stretched."""
    if record.base[layout.RELIEF] != 0.0:
        return True
    for number in range(int(record.base[layout.COUNT])):
        b = layout.HEADER + number * layout.LOBE
        x, y = b + layout.ALPHA_X, b + layout.ALPHA_Y
        if record.lanes.get(x) is not record.lanes.get(y) or record.base[x] != record.base[y]:
            return True
    return False


def _put_axes(light: Floats, origin: Floats, axes: Floats) -> None:
    light[kw.ORIGIN : kw.ORIGIN + 3] = origin
    light[kw.AXIS_X : kw.AXIS_X + 9] = axes.reshape(-1)


def _shape(
    kind: int, origin: Floats | tuple[float, ...], axes: Floats, size: tuple[float, float], light: int, material: int
) -> Floats:
    shape = np.zeros(kw.SHAPE)
    shape[kw.S_KIND], shape[kw.S_LIGHT], shape[kw.S_MATERIAL] = kind, light, material
    shape[kw.S_ORIGIN : kw.S_ORIGIN + 3] = origin
    shape[kw.S_X : kw.S_X + 9] = axes.reshape(-1)
    shape[kw.S_SIZE : kw.S_SIZE + 2] = size
    return shape


def _shape_box(shape: Floats) -> Floats:
    origin, axes = shape[kw.S_ORIGIN : kw.S_ORIGIN + 3], np.abs(shape[kw.S_X : kw.S_X + 9].reshape(3, 3))
    row = BY_KIND[int(shape[kw.S_KIND])]
    assert row.half is not None  # only shapes with a body are put among the solids
    half = row.half((float(shape[kw.S_SIZE]), float(shape[kw.S_SIZE + 1])))
    reach = np.array(half) @ axes + 1e-5
    return np.concatenate([origin - reach, origin + reach])


def _extent(corner: NDArray[np.float32], balls: tuple[Ball, ...]) -> tuple[Floats, float]:
    """The middle and the size of what is there."""
    points = [corner[:, :3].astype(np.float64)] if len(corner) else []
    points += [np.array([ball.middle]) for ball in balls]
    if not points:
        return np.zeros(3), 1.0
    every = np.concatenate(points)
    low, high = np.percentile(every, 2, axis=0), np.percentile(every, 98, axis=0)
    return (low + high) / 2.0, max(float(np.linalg.norm(high - low)), 0.1)


def _power(light: Floats, middle: Floats, size: float, dome: NDArray[np.float32]) -> float:
    """About how many lux a light gives in the middle of the scene."""
    strength = luminance(light[kw.RADIANCE : kw.RADIANCE + 3].tolist())
    kind = int(light[kw.KIND])
    if kind == DOME:
        return latlong_illuminance(dome) + 1e-9
    if kind == FAR:
        half = math.acos(min(light[kw.COS_DISC], 1.0))
        return strength * (math.pi * math.sin(half) ** 2 if light[kw.COS_DISC] < 1.0 else 1.0)
    distance2 = float(np.sum((light[kw.ORIGIN : kw.ORIGIN + 3] - middle) ** 2)) + (0.2 * size) ** 2
    row = BY_KIND.get(kind)
    if row is None:  # a triangle of a mesh that glows
        return float(strength * light[kw.AREA] / 2.0 / distance2)
    return row.lux(strength, (float(light[kw.SIZE]), float(light[kw.SIZE + 1])), distance2)


def _brought_down(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """A sky no wider than is useful for a choice of directions; means of whole blocks keep its light."""
    factor = max(1, picture.shape[1] // _DOME_WIDTH)
    if factor == 1:
        return picture
    height, width = picture.shape[0] // factor * factor, picture.shape[1] // factor * factor
    cut = picture[:height, :width].reshape(height // factor, factor, width // factor, factor, 3)
    return np.asarray(cut.mean(axis=(1, 3)))


def _dome_frame(turn: float, up_axis: str) -> Floats:
    """The dome's axes as rows: +Y is its pole, turned counter-clockwise from above by `turn` degrees."""
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    axes = np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]])
    if up_axis == "Z":
        axes = axes @ np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])
    return axes.reshape(-1)


def _dome_sums(dome: NDArray[np.float32]) -> tuple[Floats, Floats]:
    """Summed chances of the rows and of the columns in each, by luminance and by the size of a row on the sphere."""
    height = dome.shape[0]
    weight = dome.astype(np.float64) @ np.array([0.2126, 0.7152, 0.0722])
    # what is looked up lies between pixels, so a dark one beside a bright one must be asked as well
    near = [np.roll(weight, side, axis=1) for side in (-1, 1)] + [weight[1:], weight[:-1]]
    blurred = weight + near[0] + near[1]
    blurred[:-1] += near[2]
    blurred[1:] += near[3]
    weight = 0.6 * weight + 0.08 * blurred + max(weight.mean(), 1e-30) * 1e-3
    theta = (np.arange(height) + 0.5) / height * math.pi
    weight *= np.sin(theta)[:, None]
    columns = np.concatenate([np.zeros((height, 1)), np.cumsum(weight, axis=1)], axis=1)
    total = columns[:, -1].copy()
    columns /= np.maximum(total, 1e-300)[:, None]
    columns[:, -1] = 1.0
    rows = np.concatenate([[0.0], np.cumsum(total)])
    rows /= max(rows[-1], 1e-300)
    rows[-1] = 1.0
    return rows, columns


def camera(view: View, matrix: Floats, aspect: float) -> Floats:
    """The kernel's camera: `matrix` is the prim's world matrix, `aspect` the picture's width over its height."""
    cam = np.zeros(kw.CAMERA)
    axes = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True), 1e-20)
    half = 0.5 * view.film_width / max(view.focal, 1e-6)
    cam[kw.C_ORIGIN : kw.C_ORIGIN + 3] = matrix[3, :3]
    cam[kw.C_X : kw.C_X + 3] = axes[0] * half
    cam[kw.C_Y : kw.C_Y + 3] = axes[1] * half / aspect
    cam[kw.C_Z : kw.C_Z + 3] = -axes[2]
    cam[kw.C_RIGHT : kw.C_RIGHT + 3], cam[kw.C_UP : kw.C_UP + 3] = axes[0], axes[1]
    cam[kw.C_SHIFT] = 2.0 * view.shift[0] / max(view.film_width, 1e-9)
    cam[kw.C_SHIFT + 1] = 2.0 * view.shift[1] / max(view.film_width / aspect, 1e-9)
    if view.f_number > 0.0 and view.focus > 0.0:
        cam[kw.C_LENS] = view.focal / 1000.0 / (2.0 * view.f_number)
        cam[kw.C_FOCUS] = view.focus
    else:
        cam[kw.C_FOCUS] = 1.0
    cam[kw.C_NEAR], cam[kw.C_FAR] = view.near, view.far
    return cam
