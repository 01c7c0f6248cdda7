"""From triangles, looks and lamps to the arrays that the kernels work on."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Fog, Record, View
from durvan.engine import embree
from durvan.engine.kernels import rays
from durvan.engine.kernels import world as kw
from durvan.engine.kernels.world import World
from durvan.engine.lamps import Floats, Lamps, Pixels, Placed, shape_row
from durvan.formats.pictures import tiles_of
from durvan.graph.expression import MOST_MORE, POINT_SIZE, TILE_COLUMNS, TILE_ROWS, UDIM, Lookup, More, tile
from durvan.graph.program import Program, compile_lanes
from durvan.optics.frame import EXPAND, frame_aspect, frame_width
from durvan.optics.light_shapes import BY_KIND, RECT, SPHERE
from durvan.optics.lobes import layout
from durvan.optics.lobes.tables import tables
from durvan.scene.shapes import Mesh


@dataclass
class Ball:
    """A solid ball with a material: middle and radius in metres, and its axes as rows."""

    middle: tuple[float, float, float]
    radius: float
    material: int
    axes: Floats = field(default_factory=lambda: np.eye(3))


@dataclass
class Built:
    """A world, how many registers its programs need, its lights' names and paths by group, and what is to be said.

    A group of a material that glows has the path `glow:` and its place in the records. `lights` are the rows of all of them.
    """

    world: World
    registers: int
    groups: list[str]
    notes: list[str]
    objects: list[str] = field(default_factory=list)
    paths: list[str] = field(default_factory=list)
    lights: Floats = field(default_factory=lambda: np.zeros((0, kw.LIGHT)))
    tree: embree.Tree | None = None  # what the world's addresses lead to; it lives as long as this does
    triangles: int = 0

    def past(self, objects: Collection[int]) -> Built:
        """The same world with some objects (by their places in `objects`) hidden from the camera."""
        numbers = self.world.f4.copy()
        start = int(self.world.i4[kw.A_TRIANGLE])
        table = numbers[start : start + self.triangles * kw.TRIANGLE_SIZE].reshape(-1, kw.TRIANGLE_SIZE)
        table[np.isin(table[:, kw.T_OBJECT].astype(int), list(objects)), kw.T_UNSEEN] = 1.0
        return replace(self, world=self.world._replace(f4=numbers))

    def into_layers(self, layer: Sequence[int]) -> None:
        """Have the light of each group go to a layer of the film; `layer` has one for every group of `groups`. A film that was
        begun before tells of other layers then.
        """
        start = int(self.world.i4[kw.A_LIGHT])
        rows = self.world.f8[start : start + self.lights.size].reshape(self.lights.shape)
        rows[:, kw.GROUP] = np.asarray(layer, dtype=np.float64)[self.lights[:, kw.GROUP].astype(int)]


def build(
    meshes: list[Mesh],
    records: list[Record],
    placed: list[Placed],
    pixels: Pixels,
    balls: tuple[Ball, ...] = (),
    up_axis: str = "Y",
    lightings: int = 1,
    fog: Fog | None = None,
) -> Built:
    """Make a world. `Mesh.material` are places in `records`; `pixels` reads pictures (see `expression.evaluate`). With
    several lightings a film has a layer for each.
    """
    notes: list[str] = []
    lamps = Lamps(lightings, pixels, up_axis, notes, [mesh.path for mesh in meshes])
    for one in placed:
        lamps.add(one)
    return _Builder(records, pixels, notes).run(meshes, lamps, balls, fog)


class _Builder:
    def __init__(self, records: list[Record], pixels: Pixels, notes: list[str]) -> None:
        self.records, self.pixels, self.notes = _with_backs(records), pixels, notes
        self.numbers: dict[Lookup, int] = {}
        self.code: list[NDArray[np.int32]] = []
        self.start: list[Floats] = []
        self.out: list[tuple[int, int]] = []
        self.registers = POINT_SIZE
        self.more: dict[More, int] = {}

    def run(self, meshes: list[Mesh], lamps: Lamps, balls: tuple[Ball, ...], fog: Fog | None) -> Built:
        material = np.array([self._material(record) for record in self.records], dtype=np.int32)
        material = material.reshape(-1, kw.MATERIAL)
        for number, record in enumerate(self.records):
            if record.back is not None:
                material[number, kw.M_BACK] = _number_of(self.records, record.back)
        plain = material[:, kw.M_PLAIN] == 1
        points, corners, triangle, more = self._triangles(meshes, plain)
        middle, size = _extent(triangle, balls)
        lamps.add_glows(triangle, self.records)
        solid = int(plain[triangle[:, kw.T_MATERIAL].astype(int)].sum()) if len(triangle) else 0
        points, bodies = _bodies(points, plain, lamps, balls)
        solids, cut = embree.Part(rays.SOLID, corners[:solid]), embree.Part(rays.CUT_OUT, corners[solid:])
        tree = embree.build(points, [solids, cut, *bodies])
        shapes = [part.shapes for part in bodies if part.shapes is not None]
        firsts = [0, solid, *np.cumsum([0, *(len(rows) for rows in shapes)])[:-1].tolist()]
        lit = lamps.tables(middle, size)
        picture, border, pixels, tiles = self._pictures()
        world = kw.pack(
            {
                kw.A_TRIANGLE: triangle, kw.A_SHAPES: np.concatenate(shapes), kw.A_BASE: self._bases(material),
                kw.A_MATERIAL: material, kw.A_CODE: np.concatenate([*self.code, np.zeros((1, 6), np.int32)]),
                kw.A_START: np.concatenate([*self.start, np.zeros(1)]),
                kw.A_OUT: np.array(self.out, dtype=np.int32).reshape(-1, 2), kw.A_PICTURE: picture,
                kw.A_BORDER: border, kw.A_PIXELS: pixels, kw.A_FIRST: np.array(firsts, dtype=np.int32),
                kw.A_FOG: _fog(fog, points), kw.A_MORE: more, kw.A_MORE_KIND: self._kinds_of_more(), kw.A_TILES: tiles,
                **lit,
            },
            {
                kw.N_CUT_OUTS: int(solid < len(corners) or len(shapes[1]) > 0), kw.N_LIGHTINGS: lamps.count,
                kw.N_MORE: len(self._kinds_of_more()), kw.N_FAR: len(lit[kw.A_FAR]), kw.N_FOG: int(fog is not None and fog.density > 0.0),
            },
            tables(), (tree.scene, embree.address_of("rtcIntersect1"), embree.address_of("rtcOccluded1")),
        )  # fmt: skip
        return Built(
            world, self.registers, lamps.groups, self.notes, [mesh.path for mesh in meshes], lamps.paths,
            np.asarray(lit[kw.A_LIGHT], dtype=np.float64), tree, len(triangle),
        )  # fmt: skip

    def _bases(self, material: NDArray[np.int32]) -> Floats:
        """The records as they lie in the world; where nothing changes them, light below the surface is set to walk."""
        made = np.array([record.base for record in self.records]).reshape(-1, layout.RECORD)
        for number in np.nonzero(material[:, kw.M_FIXED] == 1)[0]:
            layout.set_walking(made[number])
        return made

    # materials

    def _number(self, lookup: Lookup) -> int:
        return self.numbers.setdefault(lookup, len(self.numbers))

    def _more_number(self, what: More) -> int:
        if what not in self.more and len(self.more) == MOST_MORE:
            self.notes.append(
                f"more than {MOST_MORE} numbers of meshes are asked for; those of '{what.name}' are not shown"
            )
        return self.more.setdefault(what, len(self.more))

    def _kinds_of_more(self) -> Floats:
        """What stands in on a body for what meshes carry: u (1), v (2) or a number (0), and that number."""
        rows = [(1.0 + what.part if what.uv else 0.0, what.default) for what in list(self.more)[:MOST_MORE]]
        return np.array(rows, dtype=np.float64).reshape(-1, 2)

    def _program(self, program: Program) -> tuple[int, int, int, int]:
        first = sum(len(part) for part in self.code)
        start = sum(len(part) for part in self.start)
        self.code.append(program.code)
        self.start.append(program.start)
        self.registers = max(self.registers, program.registers + 4)
        return first, len(program.code), start, len(program.start)

    def _material(self, record: Record) -> list[int]:
        row = [0] * kw.MATERIAL
        relief = layout.HEIGHT if record.base[layout.RELIEF] in layout.BY_HEIGHT else -1
        places = [place for place in record.lanes if place != relief]
        if places:
            program = compile_lanes([record.lanes[place] for place in places], self._number, self._more_number)
            row[kw.M_CODE : kw.M_CODE + 4] = self._program(program)
            row[kw.M_OUT], row[kw.M_OUT_COUNT] = len(self.out), len(places)
            self.out.extend(zip(places, program.results, strict=True))
        if relief in record.lanes:
            bump = compile_lanes([record.lanes[relief]], self._number, self._more_number)
            row[kw.M_BUMP : kw.M_BUMP + 4] = self._program(bump)
            row[kw.M_BUMP_OUT] = bump.results[0]
        elif relief >= 0:  # a height that is the same everywhere turns nothing
            record.base[layout.RELIEF] = 0.0
        row[kw.M_LOBES] = layout.HEADER + int(record.base[layout.COUNT]) * layout.LOBE
        row[kw.M_FRAME] = int(_needs_frame(record))
        row[kw.M_FIXED] = int(not places and record.base[layout.RELIEF] == 0.0)
        row[kw.M_STRAND] = int(is_strand(record))
        row[kw.M_PLAIN] = int(
            is_solid(record) and not is_strand(record) and (record.back is None or is_solid(record.back))
        )
        row[kw.M_BACK], row[kw.M_REACH] = -1, self._reach(record)
        return row

    def _reach(self, record: Record) -> int:
        """Where among the register contents it stands how far a material looks about, −1 when it does not."""
        if record.looks_about <= 0.0:
            return -1
        self.start.append(np.array([record.looks_about]))
        return sum(len(part) for part in self.start) - 1

    def _tiles(self) -> NDArray[np.int32]:
        """The tables of pictures of tiles; every tile that is there becomes a picture of its own."""
        tables = []
        for lookup in [one for one in self.numbers if UDIM in one.file]:
            table = np.full((TILE_ROWS, TILE_COLUMNS), -1, dtype=np.int32)
            for number in tiles_of(lookup.file):
                row, column = divmod(number - 1001, TILE_COLUMNS)
                if 0 <= row < TILE_ROWS:
                    table[row, column] = self._number(tile(lookup, number))
            tables.append(table.reshape(-1))
        return np.concatenate([*tables, np.zeros(1, dtype=np.int32)])

    def _pictures(self) -> tuple[NDArray[np.int32], Floats, NDArray[np.float32], NDArray[np.int32]]:
        info, borders, parts = [], [], []
        tiles = self._tiles()
        offset = tables = 0
        for lookup in self.numbers:
            found = self.pixels(lookup) if UDIM not in lookup.file else None
            if found is None:
                found = np.array([[[0.0, 0.0, 0.0, 1.0]]], dtype=np.float32)
            wraps = [kw.WRAPS.index(how) if how in kw.WRAPS else 0 for how in (lookup.wrap_u, lookup.wrap_v)]
            is_tiled = UDIM in lookup.file
            info.append(
                [
                    offset,
                    found.shape[1],
                    found.shape[0],
                    *wraps,
                    1 + TILE_ROWS * TILE_COLUMNS * tables if is_tiled else 0,
                ]
            )
            tables += is_tiled
            borders.append(lookup.border)
            parts.append(found.reshape(-1))
            offset += found.size
        parts.append(np.zeros(4, dtype=np.float32))
        return (
            np.array(info, dtype=np.int32).reshape(-1, kw.PICTURE_SIZE), np.array(borders, dtype=np.float64).reshape(-1, 4),
            np.concatenate(parts), tiles,
        )  # fmt: skip

    # shapes

    def _triangles(
        self, meshes: list[Mesh], plain: NDArray[np.bool_]
    ) -> tuple[NDArray[np.float32], NDArray[np.uint32], NDArray[np.float32], NDArray[np.float32]]:
        """Points with a spare one, triangles by their points, what the kernels know of each, and what meshes carry besides; the
        solid ones first.
        """
        points, corners, tables, more = [], [], [], []
        count = dropped = 0
        for number, mesh in enumerate(meshes):
            table, good = _table(mesh, number)
            dropped += int((~good).sum())
            tables.append(table)
            more.append(self._carried(mesh, good))
            corners.append(mesh.triangles[good].astype(np.uint32) + np.uint32(count))
            points.append(np.nan_to_num(mesh.points.astype(np.float32), posinf=0.0, neginf=0.0))
            count += len(mesh.points)
        if dropped:
            self.notes.append(f"{dropped} triangles have no area and are left out")
        table = np.concatenate(tables) if tables else np.zeros((0, kw.TRIANGLE_SIZE), np.float32)
        corner = np.concatenate(corners) if corners else np.zeros((0, 3), np.uint32)
        cut = ~plain[table[:, kw.T_MATERIAL].astype(int)] if len(table) else np.zeros(0, dtype=np.bool_)
        order = np.argsort(cut, kind="stable")
        points.append(np.zeros((1, 3), dtype=np.float32))  # sixteen bytes are read of each point
        carried = np.concatenate(more)[order] if more else np.zeros((0, 3, 0), np.float32)
        return (
            np.concatenate(points), np.ascontiguousarray(corner[order]), np.ascontiguousarray(table[order]),
            np.ascontiguousarray(carried),
        )  # fmt: skip

    def _carried(self, mesh: Mesh, good: NDArray[np.bool_]) -> NDArray[np.float32]:
        """What is asked for of what a mesh carries at the corners of its triangles [t, 3, numbers]; what it does not have has its default."""
        wanted = list(self.more)[:MOST_MORE]
        out = np.zeros((int(good.sum()), 3, len(wanted)), dtype=np.float32)
        for place, what in enumerate(wanted):
            found = mesh.more.get(what.name)
            if found is not None and what.part < found.shape[2]:
                out[:, :, place] = np.nan_to_num(found[good][:, :, what.part])
            elif what.uv and mesh.uvs is not None:
                out[:, :, place] = np.nan_to_num(mesh.uvs[good][:, :, what.part])
            else:
                out[:, :, place] = what.default
        return out


def is_strand(record: Record) -> bool:
    """Whether a look is that of a fibre."""
    return layout.FIBRE in _kinds(record)


def is_solid(record: Record) -> bool:
    """Whether no light comes straight through a look anywhere: nothing of it is cut out, and it is no clear sheet."""
    whole = layout.OPACITY not in record.lanes and record.base[layout.OPACITY] >= 1.0
    return bool(whole and not lets_straight(record))


def lets_straight(record: Record) -> bool:
    """Whether a look is a clear sheet, or has a part of one."""
    return layout.STRAIGHT in _kinds(record)


def _kinds(record: Record) -> list[int]:
    return [
        int(record.base[layout.HEADER + n * layout.LOBE + layout.KIND]) for n in range(int(record.base[layout.COUNT]))
    ]


def _with_backs(records: list[Record]) -> list[Record]:
    """The records, and behind them those of other sides."""
    return [*records, *(record.back for record in records if record.back is not None)]


def _number_of(records: list[Record], wanted: Record) -> int:
    return next(number for number, record in enumerate(records) if record is wanted)


def _fog(fog: Fog | None, points: NDArray[np.float32]) -> Floats:
    """The fog as the kernels take it: it fills the ball about all that stands in the scene, and a little more."""
    row = np.zeros(kw.FOG)
    if fog is None or fog.density <= 0.0:
        return row
    low, high = (points[:-1].min(axis=0), points[:-1].max(axis=0)) if len(points) > 1 else (np.zeros(3), np.ones(3))
    row[kw.F_MIDDLE : kw.F_MIDDLE + 3] = (low + high) / 2.0
    row[kw.F_RADIUS] = 0.5 * float(np.linalg.norm(high.astype(np.float64) - low)) * 1.05 + 0.1
    row[kw.F_DENSITY] = fog.density
    row[kw.F_ALBEDO : kw.F_ALBEDO + 3] = np.clip(fog.albedo, 0.0, 1.0)
    row[kw.F_FORWARD] = min(max(fog.forward, -0.99), 0.99)
    return row


def _bodies(
    points: NDArray[np.float32], plain: NDArray[np.bool_], lamps: Lamps, balls: tuple[Ball, ...]
) -> tuple[NDArray[np.float32], list[embree.Part]]:
    """The bodies as the tree numbers them: balls that are solid, balls with cut-outs, and of each lighting its flat
    panels and its other lights. The corners of panels stand behind the points.
    """
    kinds: list[list[Floats]] = [[], []]
    for ball in balls:
        row = shape_row(SPHERE, ball.middle, ball.axes, (ball.radius, 0.0), -1, ball.material)
        kinds[0 if plain[ball.material] else 1].append(row)
    made = [_part(kinds[0], rays.SOLID), _part(kinds[1], rays.CUT_OUT)]
    for lighting in range(lamps.count):
        bodies = lamps.bodies(lighting)
        mask = rays.LIGHTS << lighting
        points, panels = _with_panels(points, _part([row for row in bodies if row[kw.S_KIND] == RECT], mask))
        made += [panels, _part([row for row in bodies if row[kw.S_KIND] != RECT], mask)]
    return points, made


def _part(shapes: list[Floats], mask: int) -> embree.Part:
    boxes = np.array([_shape_box(shape) for shape in shapes], dtype=np.float32).reshape(-1, 6)
    return embree.Part(mask, None, np.array(shapes).reshape(-1, kw.SHAPE), boxes)


def _with_panels(points: NDArray[np.float32], panels: embree.Part) -> tuple[NDArray[np.float32], embree.Part]:
    """Points with the corners of flat lights behind them, and the lights as two triangles each."""
    assert panels.shapes is not None
    rows = panels.shapes
    right = 0.5 * rows[:, kw.S_SIZE, None] * rows[:, kw.S_X : kw.S_X + 3]
    up = 0.5 * rows[:, kw.S_SIZE + 1, None] * rows[:, kw.S_Y : kw.S_Y + 3]
    middle = rows[:, kw.S_ORIGIN : kw.S_ORIGIN + 3]
    corners = np.stack([middle - right - up, middle + right - up, middle + right + up, middle - right + up], axis=1)
    first = len(points) - 1 + 4 * np.arange(len(rows), dtype=np.uint32)
    two = np.array([[0, 1, 2], [0, 2, 3]], dtype=np.uint32)
    triangles = (first[:, None, None] + two).reshape(-1, 3).astype(np.uint32)
    spare = np.zeros((1, 3), dtype=np.float32)
    every = np.concatenate([points[:-1], corners.reshape(-1, 3).astype(np.float32), spare])
    return every, replace(panels, triangles=triangles)


def _table(mesh: Mesh, number: int) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """What the kernels know of a mesh's triangles that have an area, and which those are."""
    p = mesh.points[mesh.triangles]
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    flat = np.cross(e1, e2)
    length = np.linalg.norm(flat, axis=1)
    good = np.isfinite(length) & (length > 1e-14)
    flat = flat[good] / length[good, None]
    made = np.zeros((int(good.sum()), kw.TRIANGLE_SIZE), dtype=np.float32)
    made[:, kw.T_CORNER : kw.T_CORNER + 9] = np.concatenate([p[good, 0], e1[good], e2[good]], axis=1)
    if mesh.normals is not None:
        made[:, kw.T_NORMAL : kw.T_NORMAL + 9] = mesh.normals[good].reshape(-1, 9)
        made[:, kw.T_SMOOTH] = 1.0
    if mesh.uvs is not None:
        made[:, kw.T_UV : kw.T_UV + 6] = np.nan_to_num(mesh.uvs[good].reshape(-1, 6))
    made[:, kw.T_FLAT : kw.T_FLAT + 3] = flat
    made[:, kw.T_UNSEEN] = float(mesh.unseen)
    made[:, kw.T_MATERIAL], made[:, kw.T_LIGHT], made[:, kw.T_OBJECT] = mesh.material[good], -1.0, number
    return made, good


def _needs_frame(record: Record) -> bool:
    """Whether a material looks different when the UVs lie otherwise: by relief, or by a lobe that is stretched."""
    if record.base[layout.RELIEF] != 0.0 or is_strand(record):
        return True
    for number in range(int(record.base[layout.COUNT])):
        b = layout.HEADER + number * layout.LOBE
        x, y = b + layout.ALPHA_X, b + layout.ALPHA_Y
        if record.lanes.get(x) is not record.lanes.get(y) or record.base[x] != record.base[y]:
            return True
    return False


def _shape_box(shape: Floats) -> Floats:
    origin, axes = shape[kw.S_ORIGIN : kw.S_ORIGIN + 3], np.abs(shape[kw.S_X : kw.S_X + 9].reshape(3, 3))
    row = BY_KIND[int(shape[kw.S_KIND])]
    assert row.half is not None  # only shapes with a body are put among the solids
    half = row.half((float(shape[kw.S_SIZE]), float(shape[kw.S_SIZE + 1])))
    reach = np.array(half) @ axes + 1e-5
    return np.concatenate([origin - reach, origin + reach])


def _extent(triangle: NDArray[np.float32], balls: tuple[Ball, ...]) -> tuple[Floats, float]:
    """The middle and the size of what is there."""
    points = [triangle[:, kw.T_CORNER : kw.T_CORNER + 3].astype(np.float64)] if len(triangle) else []
    points += [np.array([ball.middle]) for ball in balls]
    if not points:
        return np.zeros(3), 1.0
    every = np.concatenate(points)
    low, high = np.percentile(every, 2, axis=0), np.percentile(every, 98, axis=0)
    return (low + high) / 2.0, max(float(np.linalg.norm(high - low)), 0.1)


def camera(view: View, matrix: Floats, aspect: float, fits: str = EXPAND) -> Floats:
    """The kernel's camera: `matrix` is the prim's world matrix, `aspect` the picture's width over its height, `fits` how a film of
    another aspect fits it (see `optics.frame`).
    """
    cam = np.zeros(kw.CAMERA)
    axes = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True), 1e-20)
    film = frame_width(view.film_width, view.film_height, aspect, fits)
    aspect = frame_aspect(view.film_width, view.film_height, aspect, fits)
    half = 0.5 * film / max(view.focal, 1e-6)
    cam[kw.C_ORIGIN : kw.C_ORIGIN + 3] = matrix[3, :3]
    cam[kw.C_X : kw.C_X + 3] = axes[0] * half
    cam[kw.C_Y : kw.C_Y + 3] = axes[1] * half / aspect
    cam[kw.C_Z : kw.C_Z + 3] = -axes[2]
    cam[kw.C_RIGHT : kw.C_RIGHT + 3], cam[kw.C_UP : kw.C_UP + 3] = axes[0], axes[1]
    cam[kw.C_SHIFT] = 2.0 * view.shift[0] / max(film, 1e-9)
    cam[kw.C_SHIFT + 1] = 2.0 * view.shift[1] / max(film / aspect, 1e-9)
    if view.f_number > 0.0 and view.focus > 0.0:
        cam[kw.C_LENS] = view.focal / 1000.0 / (2.0 * view.f_number)
        cam[kw.C_FOCUS] = view.focus
    else:
        cam[kw.C_FOCUS] = 1.0
    cam[kw.C_NEAR], cam[kw.C_FAR] = view.near, view.far
    return cam
