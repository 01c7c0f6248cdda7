"""Scenes of one light over a small floor, made up at random from any dialect's own vocabulary; for tests and for the table."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from durvan.crossing.translation.result import Translation, in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import Facts, Lobe, Surface, View, record
from durvan.dialects.registry import Registry
from durvan.engine import budget, renderer, staging
from durvan.engine.build import Built, build, camera
from durvan.engine.lamps import Placed
from durvan.formats import pictures, profiles
from durvan.optics.lobes import layout
from durvan.optics.profile import Profile
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Kind, Thing
from durvan.scene.shapes import Mesh

ALBEDO = 0.5
UP = (0.0, 1.0, 0.0)
# What is drawn for a parameter by its name, where its range is wider than people use
WITHIN = {
    "kelvin": (1800.0, 12000.0), "colorTemperature": (1800.0, 9500.0), "width": (0.05, 2.0), "height": (0.05, 2.0),
    "length": (0.1, 2.0), "radius": (0.01, 0.4), "cone_angle": (10.0, 120.0), "penumbra": (0.0, 25.0), "inner": (5.0, 40.0),
    "outer": (41.0, 85.0), "cone_softness": (0.0, 1.0), "beam": (0.0, 12.0), "spread": (15.0, 60.0), "focus": (0.0, 12.0),
    "disc": (0.0, 8.0), "diameter": (0.0, 8.0), "angle": (0.0, 8.0), "intensity": (10.0, 5000.0), "exposure": (-2.0, 3.0),
    "lumen": (100.0, 4000.0), "power": (100.0, 4000.0), "lux": (100.0, 90000.0), "factor": (0.2, 4.0),
    "decay_start": (50.0, 200.0), "latitude": (-60.0, 60.0), "time": (9.0, 15.0), "elevation": (5.0, 90.0), "zone": (0.0, 0.0),
    "longitude": (-5.0, 5.0), "sky_gain": (0.2, 3.0), "sun_gain": (0.2, 3.0), "ground": (0.0, 0.6), "haze": (1.5, 8.0),
    "azimuth": (0.0, 360.0), "spin": (-180.0, 180.0), "heading": (-180.0, 180.0), "turn": (-180.0, 180.0),
}  # fmt: skip
LENGTHS = {"width", "height", "length", "radius"}
# Some of them light the floor, some do not
LISTS: tuple[dict[str, Value], ...] = (
    {"include": "/floor", "light_root": False, "light_in": "/floor"}, {"include": "/other", "light_root": False, "light_in": "/other"},
    {"exclude": "/floor", "light_out": "/floor"}, {"exclude": "/other /more", "light_out": "/other /more"},
    {"no_shadow_of": "/other", "shadow_out": "/other"},
)  # fmt: skip
SKIPPED = {"include", "exclude", "no_shadow_of", "on", "enabled", "treatAsPoint", "treatAsLine", "format", "ies_scale", "reach",
           "light_root", "light_in", "light_out", "shadow_root", "shadow_in", "shadow_out", "diffuse", "specular", "by", "date",
           "sun_angle", "decay"}  # fmt: skip


@dataclass
class LightScene:
    """A light, where it stands (matrix in metres), and the mesh that shines when it is one."""

    number: int
    thing: Thing
    matrix: np.ndarray
    metres: float
    meshes: list[Mesh] = field(default_factory=list)


def floor() -> Mesh:
    """A square of four centimetres at the origin, facing up."""
    p = np.array([[-0.02, 0.0, 0.02], [0.02, 0.0, 0.02], [0.02, 0.0, -0.02], [-0.02, 0.0, -0.02]])
    return Mesh("/floor", p, np.array([[0, 1, 2], [0, 2, 3]], np.int32), None, None, np.zeros(2, np.int32))


@dataclass
class Lights:
    """Makes scenes of one light in a dialect; profiles and pictures that it needs are written into a folder."""

    packs: Registry
    folder: Path

    def __post_init__(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        angles = np.linspace(0.0, 90.0, 37)
        round_ = np.cos(np.radians(angles)) ** 3 * 900.0 + 40.0
        self.profile = str(self.folder / "downlight.ies")
        profiles.write(Profile(angles, np.zeros(1), round_[None, :], lumens=1200.0), Path(self.profile))
        rows = np.array([round_, 0.5 * round_, 0.8 * round_])
        self.uneven = str(self.folder / "wall_washer.ies")
        profiles.write(Profile(angles, np.array([0.0, 90.0, 180.0]), rows), Path(self.uneven))
        self.picture = str(self.folder / "screen.exr")
        v, u = np.mgrid[0:24, 0:40]
        shades = np.stack([0.2 + u / 40.0, 0.9 - v / 30.0, 0.3 + 0.5 * (u > 20)], axis=-1).astype(np.float32)
        pictures.save(Path(self.picture), shades)
        self.sky = str(self.folder / "overcast.exr")
        v = np.linspace(0.0, math.pi, 32)[:, None, None]
        pictures.save(Path(self.sky), (np.ones((32, 64, 3)) * (1.2 + np.cos(v)) * [0.8, 1.0, 1.3]).astype(np.float32))

    def facts(self, metres: float) -> Facts:
        """What looks may know."""
        return Facts(metres, lambda path: path, staging.globe_of, pictures.mean_luminance)

    def kinds(self, dialect: str) -> list[str]:
        """Every kind of light of a dialect that gives light of its own."""
        types = self.packs.get(dialect).vocabulary.types
        return [n for n, k in types.items() if k.role in ("light", "environment") and "ortal" not in n]

    def scene(self, dialect: str, number: int) -> LightScene:
        """A scene; all kinds come in turn, and the same number gives the same scene."""
        rng = random.Random(f"{dialect} {number}")
        kinds = self.kinds(dialect)
        kind = kinds[number % len(kinds)]
        metres = rng.choice((0.01, 1.0))
        values = self._values(dialect, kind, rng, metres)
        thing = Thing(
            "/light", "light", Kind.LIGHT, Graph(), dialect, prim_type=self.packs.get(dialect).type(kind).prims[0]
        )
        thing.graph.add(Node("light", kind, values))
        thing.graph.outputs["light"] = Link("light")
        thing.context = self._context(values, metres)
        return LightScene(
            number, thing, self._matrix(rng, "ar" in kind and "far" in kind), metres, self._mesh(kind, rng)
        )

    def _values(self, dialect: str, kind: str, rng: random.Random, metres: float) -> dict[str, Value]:
        out: dict[str, Value] = {}
        parameters = self.packs.get(dialect).type(kind).parameters
        for name, one in parameters.items():
            if name in SKIPPED or rng.random() < 0.15 or _idle(kind, name):
                continue
            if one.type == "bool":
                out[name] = rng.random() < (0.9 if "shadow" in name or name in ("seen", "visible") else 0.5)
            elif one.type == "token":
                out[name] = rng.choice(one.choices)
            elif one.type == "color":
                out[name] = tuple(round(rng.uniform(0.2, 1.0), 3) for _ in range(3))
            elif one.type == "file":
                self._file(out, name, one.role, kind, rng)
            elif one.type in ("float", "int"):
                low, high = WITHIN.get(name, (0.0, 1.0))
                value = rng.uniform(low, high)
                out[name] = value / metres if name in LENGTHS else value
        if rng.random() < 0.2:
            out.update({name: value for name, value in rng.choice(LISTS).items() if name in parameters})
        if "decay" in parameters and rng.random() < 0.15:
            out["decay"] = rng.choice(("inverse", "none"))
        if "gain" in parameters:
            out["gain"] = rng.uniform(0.5, 40.0) * (50.0 if out.get("measure", "plain") != "plain" else 1.0)
        return out

    def _file(self, out: dict[str, Value], name: str, role: str, kind: str, rng: random.Random) -> None:
        if role == "profile":
            if kind.endswith(("measured", "profile")) or ("Sphere" in kind and rng.random() < 0.4):
                out[name] = rng.choice((self.profile, self.uneven))
        elif "ome" in kind or "surround" in kind:
            out[name] = self.sky
        elif rng.random() < 0.6:
            out[name] = self.picture

    def _context(self, values: dict[str, Value], metres: float) -> dict[str, float]:
        context = {"metres_per_unit": metres, "map_lux": math.pi, "map_mean": 1.0}
        for value in values.values():
            if isinstance(value, str) and value.endswith(".ies"):
                context["profile_lumen"] = profiles.lumens(profiles.read(value))
            elif isinstance(value, str) and value.endswith(".exr"):
                context["map_lux"], context["map_mean"] = pictures.map_lux(value), pictures.mean_luminance(value)
        return context

    def _matrix(self, rng: random.Random, far: bool) -> np.ndarray:
        """Somewhere above the floor, aimed at it or a little past it; now and then scaled."""
        place = np.array([rng.uniform(-1.0, 1.0), rng.uniform(1.0, 3.0), rng.uniform(-1.0, 1.0)])
        back = place + np.array([rng.uniform(-0.3, 0.3) for _ in range(3)]) * (0.0 if far else 1.0)
        back /= np.linalg.norm(back)
        right = np.cross([0.0, 0.0, -1.0] if abs(back[1]) > 0.9 else UP, back)
        right /= np.linalg.norm(right)
        scale = rng.choice((1.0, 1.0, 0.5, 2.0))
        out = np.eye(4)
        out[0, :3], out[1, :3], out[2, :3], out[3, :3] = (
            scale * right,
            scale * np.cross(back, right),
            scale * back,
            place,
        )
        return out

    def _mesh(self, kind: str, rng: random.Random) -> list[Mesh]:
        if not kind.lower().endswith(("glowing", "mesh", "meshlight")):
            return []
        y, side = rng.uniform(1.0, 2.0), rng.uniform(0.1, 0.4)
        p = np.array(
            [[-side, y, side], [side, y, side], [side, y + 0.1, -side], [-side, y, -side], [0.0, y + side, 0.0]]
        )
        t = np.array([[0, 2, 1], [0, 3, 2], [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], np.int32)
        return [Mesh("/light", p, t, None, None, np.zeros(6, np.int32))]

    # both sides

    def world(self, scene: LightScene, thing: Thing) -> Built:
        """The scene as a thing's dialect renders it."""
        lamps = staging.lamps_of(thing, self.packs.get(thing.dialect), self.facts(scene.metres))
        placed = [Placed("light", lamp, scene.matrix, path="/light") for lamp in lamps]
        grey = record(Surface([Lobe(layout.DIFFUSE, ALBEDO)]))
        return build([floor(), *scene.meshes], [grey], placed, staging.pixels)

    def carried(self, scene: LightScene, target: str) -> tuple[Thing, Translation]:
        """What it becomes."""
        source = self.packs.get(scene.thing.dialect)
        done = translate(scene.thing, source, self.packs.get(target), scene.metres)
        return replace(in_target(scene.thing, done)), done


def _idle(kind: str, name: str) -> bool:
    """What hardly anybody sets there, and few dialects know: a cone on a panel, a focus on a ball."""
    ball = "Sphere" in kind
    return (name.startswith("cone") and kind.startswith("usd.") and not ball) or (
        name == "focus" and (ball or "Cylinder" in kind)
    )


def told(done: Translation) -> list[str]:
    """What the ledger says is not the same any more."""
    return [
        f"{row.parameter}: {row.fate.name.lower()}" for row in done.rows
        if row.fate is not Fate.ADDED and row.fate >= Fate.FITTED and row.why.cause.name != "IDLE"
        and row.parameter not in ("seen", "visible")  # which nothing is lit by
    ]  # fmt: skip


def budgeted(built: Built) -> np.ndarray:
    """Lux at the floor by the budget, linear Rec.709."""
    found = budget.measure(built, [budget.Probe("floor", (0.0, 0.0, 0.0), UP, "/floor")], effort=8.0)
    return found[0].sum(axis=0)


def rendered(built: Built, samples: int = 2048) -> np.ndarray:
    """Lux at the floor by rendering it: π L / albedo, of light that comes straight."""
    eye = np.eye(4)
    side = np.array([0.35, 1.0, 0.2]) / np.linalg.norm([0.35, 1.0, 0.2])
    right = np.cross(UP, side) / np.linalg.norm(np.cross(UP, side))
    eye[0, :3], eye[1, :3], eye[2, :3], eye[3, :3] = right, np.cross(side, right), side, side * 0.2
    film = renderer.Film.empty(4, 4)
    renderer.expose(built, camera(View(0.5, 50.0), eye, 1.0), film, samples, bounces=0)
    return film.picture.mean(axis=(0, 1)) * math.pi / ALBEDO
