"""Lights as the kernels take them: rows by lightings, skies with their sums, bodies, and who is asked how often.

A lighting is a set of lights of its own over the same things. A scene has one; a swatch has several, and paths serve them all.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Lamp, Record
from durvan.engine.kernels import world as kw
from durvan.graph.expression import Lookup
from durvan.optics import sun
from durvan.optics.colour import REC709_LUMINANCE, luminance
from durvan.optics.light_shapes import BY_KIND, DOME, FAR, GLOW, RECT, SHAPES
from durvan.optics.lobes import layout
from durvan.optics.photometry import latlong_illuminance
from durvan.optics.profile import tilt_of

Floats = NDArray[np.float64]
Pixels = Callable[[Lookup], "NDArray[np.float32] | None"]
_BRIGHTEST = 1e12  # nit; more than that is held to it, and said
_DOME_WIDTH = 1024


@dataclass
class Placed:
    """A lamp and where it stands: a world matrix (row vectors, metres), the name and path of its prim, and its lighting."""

    name: str
    lamp: Lamp
    matrix: Floats
    lighting: int = 0
    path: str = ""


class Lamps:
    """Gathers the lights of a world, lighting by lighting. `groups` names what a film keeps apart: each light, or, of
    several lightings, each of those.
    """

    def __init__(
        self, lightings: int, pixels: Pixels, up_axis: str, notes: list[str], objects: Sequence[str] = ()
    ) -> None:
        self.count, self.pixels, self.up_axis, self.notes, self.objects = lightings, pixels, up_axis, notes, objects
        self.meshes: list[Placed] = []
        self.profiles: list[Floats] = []
        self.lists: list[NDArray[np.int32]] = []
        self.groups: list[str] = [f"lighting {number}" for number in range(lightings)] if lightings > 1 else []
        self.paths: list[str] = []
        self.glows = np.zeros((0, kw.LIGHT))  # a row for each triangle that glows
        self.rows: list[list[Floats]] = [[] for _ in range(lightings)]
        self.shapes: list[list[Floats]] = [[] for _ in range(lightings)]
        self.skies: list[NDArray[np.float32]] = []
        self.sums: list[Floats] = []

    def add(self, one: Placed) -> None:
        """Take a lamp in; one that gives nothing is left out, and said."""
        lamp = one.lamp
        self.notes.extend(f"{one.name}: {note}" for note in lamp.notes)
        if not any(part > 0.0 for part in lamp.radiance):
            self.notes.append(f"{one.name}: gives no light")
        elif lamp.shape == "dome":
            self._dome(one)
        elif lamp.shape == "mesh":
            self.meshes.append(one)
        else:
            self._placed(one)

    def add_glows(self, triangle: NDArray[np.float32], records: list[Record]) -> None:
        """Every triangle of a material that glows and lights is a light of every lighting; its number goes into `triangle`.

        So is every triangle of a mesh that is a light, whatever it is made of.
        """
        for one in self.meshes:
            self._mesh(triangle, one)
        places = range(layout.GLOW, layout.GLOW + 3)
        for number, record in enumerate(records):
            varies = any(place in record.lanes for place in places)
            if not record.glow_lights or not (varies or record.base[layout.GLOW : layout.GLOW + 3].max() > 0.0):
                continue
            which = np.nonzero((triangle[:, kw.T_MATERIAL] == number) & (triangle[:, kw.T_LIGHT] < 0.0))[0]
            if not len(which):
                continue
            solid = 1.0 if record.glow_whole else float(np.clip(record.base[layout.OPACITY], 0.0, 1.0))
            varies = varies or (layout.OPACITY in record.lanes and not record.glow_whole)
            r, g, b = (solid * record.base[layout.GLOW : layout.GLOW + 3]).tolist()
            lamp = Lamp("glow", (r, g, b) if not varies else (1.0, 1.0, 1.0))
            light = self._light(GLOW, lamp, f"glow {number}", 0, f"glow:{number}")
            light[kw.SIZE], light[kw.FRONT] = float(varies), float(record.glow_front)
            light[kw.WHOLE] = float(record.glow_whole) + float(record.glow_whole and record.glow_bare)
            self._triangles(triangle, which, light)

    def _mesh(self, triangle: NDArray[np.float32], one: Placed) -> None:
        """A mesh that is a light: its triangles, with the radiance of the lamp."""
        wanted = [number for number, path in enumerate(self.objects) if path == one.path]
        which = np.nonzero(np.isin(triangle[:, kw.T_OBJECT], wanted))[0]
        if not len(which):
            self.notes.append(f"{one.name}: is no mesh that is seen on the stage, and gives no light")
            return
        lamp = one.lamp
        if lamp.total:  # stated as a whole: its radiance is that of one square metre
            area = float(_areas(triangle, which).sum())
            r, g, b = (part / max(area, 1e-12) for part in lamp.radiance)
            lamp = replace(lamp, radiance=(r, g, b), size=(0.0, 0.0))
        light = self._light(GLOW, replace(lamp, size=(0.0, 0.0)), one.name, one.lighting, one.path)
        light[kw.OWN] = light[kw.FRONT] = 1.0
        self._triangles(triangle, which, light)

    def _triangles(self, triangle: NDArray[np.float32], which: NDArray[np.int64], light: Floats) -> None:
        rows = np.repeat(light[None], len(which), axis=0)
        rows[:, kw.AREA], rows[:, kw.TRIANGLE] = _areas(triangle, which), which
        rows[:, kw.ORIGIN : kw.ORIGIN + 3] = triangle[which, kw.T_CORNER : kw.T_CORNER + 3]
        triangle[which, kw.T_LIGHT] = len(self.glows) + np.arange(len(which))
        self.glows = np.concatenate([self.glows, rows])

    def bodies(self, lighting: int) -> list[Floats]:
        """The bodies of a lighting's lights, which know the numbers of their lights."""
        first = sum(len(rows) + len(self.glows) for rows in self.rows[:lighting]) + len(self.glows)
        for shape in self.shapes[lighting]:
            shape[kw.S_LIGHT] += first
        return self.shapes[lighting]

    def tables(self, middle: Floats, size: float) -> dict[int, NDArray[np.generic]]:
        """The tables of the world that are about lights; the scene's middle and size say what each may be worth."""
        lights: list[Floats] = []
        sums: list[Floats] = []
        spans: list[list[int]] = []
        for number, rows in enumerate(self.rows):
            every = np.concatenate([_in(self.glows, number, self.count), np.array(rows).reshape(-1, kw.LIGHT)])
            first = sum(len(some) for some in lights)
            spans.append([first, first + len(every)])
            sums.append(self._chances(every, middle, size))
            lights.append(every)
        every = np.concatenate(lights)
        far = np.nonzero((every[:, kw.KIND] == DOME) | (every[:, kw.KIND] == FAR))[0]
        nothing = np.zeros(3, dtype=np.float32)
        return {
            kw.A_LIGHT: every, kw.A_LIGHT_SUM: np.concatenate(sums), kw.A_LIGHTINGS: np.array(spans, dtype=np.int32),
            kw.A_FAR: far.astype(np.int32), kw.A_DOME: np.concatenate([*(sky.reshape(-1) for sky in self.skies), nothing]),
            kw.A_DOME_SUMS: np.concatenate([*self.sums, np.zeros(1)]),
            kw.A_PROFILES: np.concatenate([*self.profiles, np.zeros(1)]),
            kw.A_LISTS: np.concatenate([*self.lists, np.zeros(1, np.int32)]),
        }  # fmt: skip

    def _light(self, kind: int, lamp: Lamp, name: str, lighting: int, path: str, tilt: float = 0.0) -> Floats:
        """A light's row; `tilt` is how far it is tilted from shining straight down, in degrees."""
        light = np.zeros(kw.LIGHT)
        light[kw.KIND] = kind
        radiance = np.nan_to_num(np.array(lamp.radiance), posinf=_BRIGHTEST, neginf=0.0)
        if (radiance > _BRIGHTEST).any() or not np.isfinite(np.array(lamp.radiance)).all():
            self.notes.append(f"{name}: brighter than can be shown; held to {_BRIGHTEST:g}")
        light[kw.RADIANCE : kw.RADIANCE + 3] = np.clip(radiance, 0.0, _BRIGHTEST)
        light[kw.SIZE : kw.SIZE + 2] = lamp.size
        light[kw.INNER], light[kw.OUTER] = math.radians(lamp.inner), math.radians(lamp.outer)
        if lamp.outer >= 180.0:
            light[kw.OUTER] = math.pi
        light[kw.PROFILE] = float(lamp.profile == "linear")
        light[kw.FOCUS], light[kw.DECAY], light[kw.SHADOWS] = lamp.focus, lamp.decay, float(lamp.shadows)
        light[kw.START], light[kw.REACH] = max(lamp.start, 1e-6), max(lamp.reach, 0.0)
        light[kw.SEEN], light[kw.MEAN] = float(lamp.seen), 1.0
        light[kw.LIT] = self._list(lamp.lists.lit, lamp.lists.not_lit)
        light[kw.BARS] = self._list(lamp.lists.bars, lamp.lists.not_bars)
        light[kw.ASKED] = float(not lamp.shadows or light[kw.LIT] >= 0.0 or light[kw.BARS] >= 0.0 or lamp.reach > 0.0)
        if lamp.profile_of is not None:
            light[kw.TABLE] = 1 + sum(len(other) for other in self.profiles)
            globe = lamp.profile_of
            light[kw.MEAN] = globe.lumens / (4.0 * math.pi)
            if globe.tilt:
                light[kw.RADIANCE : kw.RADIANCE + 3] *= globe.tilt_factor(tilt)
            counts = np.array([len(globe.plane), len(globe.gamma)], dtype=np.float64)
            self.profiles.append(np.concatenate([counts, globe.gamma, globe.plane, globe.candela.reshape(-1)]))
        light[kw.LIGHTING] = lighting
        if self.count == 1:
            self.groups.append(name)
            self.paths.append(path)
        light[kw.GROUP] = len(self.groups) - 1 if self.count == 1 else lighting
        return light

    def _list(self, wanted: tuple[str, ...] | None, but: tuple[str, ...]) -> int:
        """Where a list of objects begins, a bit for each; −1 for one of everything."""
        if wanted is None and not but:
            return -1
        inside = [(wanted is None or _below(path, wanted)) and not _below(path, but) for path in self.objects]
        bits = np.zeros(len(inside) // 32 * 32 + 32, dtype=np.uint8)
        bits[: len(inside)] = inside
        first = sum(len(other) for other in self.lists)
        self.lists.append(np.packbits(bits, bitorder="little").view(np.int32))
        return first

    def _placed(self, one: Placed) -> None:
        lamp, matrix = one.lamp, one.matrix
        axes = matrix[:3, :3].copy()
        scale = np.linalg.norm(axes, axis=1)
        if not np.isfinite(scale).all() or (scale < 1e-12).any():
            self.notes.append(f"{one.name}: has no size on the stage and is left out")
            return
        axes /= scale[:, None]
        if lamp.towards is not None:
            axes = _standing(sun.towards(*lamp.towards, self.up_axis))
        if lamp.shape == "far":
            light = self._light(FAR, lamp, one.name, one.lighting, one.path)
            half = math.radians(min(lamp.size[0], 180.0) / 2.0)
            light[kw.COS_DISC] = math.cos(half) if half > 1e-4 else 1.0
            if half > 1e-4:  # lux at right angles, as even radiance over the disc
                light[kw.RADIANCE : kw.RADIANCE + 3] /= math.pi * math.sin(half) ** 2
            _put_axes(light, matrix[3, :3], axes)
            self.rows[one.lighting].append(light)
            return
        row = SHAPES[lamp.shape]
        size = row.staged(lamp.size, (float(scale[0]), float(scale[1]), float(scale[2])))
        area = row.area(size)
        if row.has_body and not (size[0] > 0.0 and area > 1e-14):
            self.notes.append(f"{one.name}: has no area and gives no light")
            return
        light = self._light(row.kind, lamp, one.name, one.lighting, one.path, tilt_of(axes[2].tolist(), self.up_axis))
        if lamp.total and area > 0.0:
            light[kw.RADIANCE : kw.RADIANCE + 3] *= row.area(lamp.size) / area
        light[kw.SIZE : kw.SIZE + 2] = size
        light[kw.AREA] = area
        if lamp.picture is not None and row.kind == RECT:
            self._panel_picture(one, light)
        _put_axes(light, matrix[3, :3], axes)
        if row.has_body:
            body = shape_row(row.kind, matrix[3, :3], axes, size, len(self.rows[one.lighting]), 0)
            self.shapes[one.lighting].append(body)
        self.rows[one.lighting].append(light)

    def _panel_picture(self, one: Placed, light: Floats) -> None:
        """The picture on a panel, beside those of domes."""
        found = self.pixels(one.lamp.picture) if one.lamp.picture is not None else None
        if found is None:
            self.notes.append(f"{one.name}: its picture cannot be read; it is an even white")
            return
        picture = np.ascontiguousarray(np.clip(found[..., :3], 0.0, _BRIGHTEST), dtype=np.float32)
        light[kw.I_HEIGHT], light[kw.I_WIDTH] = picture.shape[:2]
        light[kw.I_AT] = sum(other.size for other in self.skies)
        light[kw.MEAN] = luminance(picture.mean(axis=(0, 1), dtype=np.float64).tolist())
        self.skies.append(picture)

    def _dome(self, one: Placed) -> None:
        sky = self._sky(one)
        light = self._light(DOME, replace(one.lamp, radiance=(1.0, 1.0, 1.0)), one.name, one.lighting, one.path)
        height, width = sky.shape[:2]
        light[kw.AXIS_X : kw.AXIS_X + 9] = _dome_frame(one.lamp.turn, self.up_axis)
        light[kw.D_HEIGHT], light[kw.D_WIDTH] = height, width
        light[kw.D_PICTURE] = sum(other.size for other in self.skies)
        light[kw.D_ROWS] = sum(len(other) for other in self.sums)
        light[kw.D_COLUMNS] = light[kw.D_ROWS] + height + 1
        even = math.pi * luminance(sky[0, 0].tolist())
        light[kw.AREA] = (even if height * width == 1 else latlong_illuminance(sky)) + 1e-9  # lux; a sky has no area
        rows, columns = _dome_sums(sky)
        self.skies.append(sky)
        self.sums.append(np.concatenate([rows, columns.reshape(-1)]))
        self.rows[one.lighting].append(light)

    def _sky(self, one: Placed) -> NDArray[np.float32]:
        """A dome's picture in nit."""
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
        made = np.ascontiguousarray(np.clip(picture * np.array(lamp.radiance), 0.0, _BRIGHTEST), dtype=np.float32)
        return made[:1, :1] if (made == made[0, 0]).all() else made  # one colour all over needs no table

    def _chances(self, lights: Floats, middle: Floats, size: float) -> Floats:
        """How likely each light of a lighting is to be asked, put into the rows: half of it by what it can give in the
        middle, half evenly by lights. Gives the sums.
        """
        if not len(lights):
            return np.zeros(1)
        glowing = len(self.glows)
        power = np.concatenate(
            [_glow_power(lights[:glowing], middle, size), [_power(light, middle, size) for light in lights[glowing:]]]
        )
        group = lights[:, kw.GROUP].astype(int) if self.count == 1 else np.arange(len(lights))
        even = 1.0 / np.bincount(group, minlength=int(group.max()) + 1)[group]
        even /= even.sum()
        chance = 0.5 * even + 0.5 * (power / power.sum() if power.sum() > 0.0 else even)
        lights[:, kw.CHANCE] = chance
        summed = np.concatenate([[0.0], np.cumsum(chance)])
        return np.asarray(summed / summed[-1])


def _in(rows: Floats, lighting: int, count: int) -> Floats:
    """Glowing triangles as lights of one lighting."""
    made = rows.copy()
    if count > 1:
        made[:, kw.LIGHTING] = made[:, kw.GROUP] = lighting
    return made


def shape_row(
    kind: int, origin: Floats | tuple[float, ...], axes: Floats, size: tuple[float, float], light: int, material: int
) -> Floats:
    """A body as the kernels take it: of a light, or (`light` −1) of a material."""
    shape = np.zeros(kw.SHAPE)
    shape[kw.S_KIND], shape[kw.S_LIGHT], shape[kw.S_MATERIAL] = kind, light, material
    shape[kw.S_ORIGIN : kw.S_ORIGIN + 3] = origin
    shape[kw.S_X : kw.S_X + 9] = axes.reshape(-1)
    shape[kw.S_SIZE : kw.S_SIZE + 2] = size
    return shape


def _areas(triangle: NDArray[np.float32], which: NDArray[np.int64]) -> Floats:
    edges = triangle[which, kw.T_CORNER + 3 : kw.T_CORNER + 9].astype(np.float64)
    return np.asarray(0.5 * np.linalg.norm(np.cross(edges[:, :3], edges[:, 3:]), axis=1))


def _below(path: str, places: Sequence[str]) -> bool:
    """Whether a path is one of some places, or below one."""
    return any(path == place or path.startswith(f"{place.rstrip('/')}/") for place in places)


def _standing(towards: tuple[float, float, float]) -> Floats:
    """Axes of a light that stands in a direction and shines from there: +Z goes towards it."""
    z = np.array(towards)
    x = np.cross([0.0, 1.0, 0.0] if abs(z[1]) < 0.9 else [1.0, 0.0, 0.0], z)
    x /= np.linalg.norm(x)
    return np.stack([x, np.cross(z, x), z])


def _put_axes(light: Floats, origin: Floats, axes: Floats) -> None:
    light[kw.ORIGIN : kw.ORIGIN + 3] = origin
    light[kw.AXIS_X : kw.AXIS_X + 9] = axes.reshape(-1)


def _power(light: Floats, middle: Floats, size: float) -> float:
    """About how many lux a light gives in the middle of the scene."""
    strength = luminance(light[kw.RADIANCE : kw.RADIANCE + 3].tolist())
    kind = int(light[kw.KIND])
    if kind == DOME:
        return float(light[kw.AREA])
    if kind == FAR:
        half = math.acos(min(light[kw.COS_DISC], 1.0))
        return strength * (math.pi * math.sin(half) ** 2 if light[kw.COS_DISC] < 1.0 else 1.0)
    sizes = float(light[kw.SIZE]), float(light[kw.SIZE + 1])
    return float(light[kw.MEAN]) * BY_KIND[kind].lux(strength, sizes, float(_distance2(light, middle, size)))


def _glow_power(lights: Floats, middle: Floats, size: float) -> Floats:
    """The same of triangles of meshes that glow [n]."""
    strength = lights[:, kw.RADIANCE : kw.RADIANCE + 3] @ np.array(REC709_LUMINANCE)
    return np.asarray(strength * lights[:, kw.AREA] / 2.0 / _distance2(lights, middle, size))


def _distance2(lights: Floats, middle: Floats, size: float) -> Floats:
    """The square of how far lights are from the scene's middle, in m²; none is nearer than is sensible."""
    away = lights[..., kw.ORIGIN : kw.ORIGIN + 3] - middle
    return np.asarray((away**2).sum(axis=-1) + (0.2 * size) ** 2)


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
