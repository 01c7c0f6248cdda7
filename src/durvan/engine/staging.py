"""A scene as a dialect renders it: its materials, lights, camera and settings by that dialect's looks."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Facts, Lamp, Record, Sampling, Surface, View, each, record, resolve, single, trace
from durvan.dialects.look import Lobe as LookLobe
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.engine.brushes import field_of
from durvan.engine.build import Built, build, camera
from durvan.engine.canvas import Worn
from durvan.engine.costs import sources_of
from durvan.engine.displacing import displaced
from durvan.engine.kernels import world as kw
from durvan.engine.lamps import Placed
from durvan.engine.painting import painted
from durvan.engine.renderer import Film
from durvan.errors import MisuseError, ProfileError
from durvan.formats import pictures, profiles
from durvan.graph.expression import Field, Lookup, join, known, order, without_pictures
from durvan.graph.program import compile_lanes
from durvan.optics.lobes import layout
from durvan.optics.profile import Globe, of_name, whole
from durvan.scene.baking import Bake
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.raw import TOWARDS
from durvan.scene.shapes import Shapes

Floats = NDArray[np.float64]
_CLOSE = 512  # pixels of a side that are painted for a swatch


def pixels(lookup: Lookup) -> NDArray[np.float32] | None:
    """A picture's linear values; kept for a while, as both sides read the same ones."""
    stamp = (0, 0)
    with suppress(OSError, ValueError):
        stat = Path(lookup.file).stat()
        stamp = stat.st_mtime_ns, stat.st_size
    return _pixels(lookup.file, lookup.decode, stamp)


@lru_cache(maxsize=64)
def _pixels(file: str, decode: str | float, stamp: tuple[int, int]) -> NDArray[np.float32] | None:
    del stamp
    return pictures.pixels(file, decode)


def globe_of(file: str) -> Globe | None:
    """What a light profile measures, or one that is scaled for a target; None when it cannot be read."""
    path, factor = of_name(file)
    try:
        globe = _globe(path, Path(path).stat().st_mtime_ns)
    except (OSError, ValueError):
        return None
    return globe if globe is None or factor == 1.0 else replace(globe, candela=globe.candela * factor)


@lru_cache(maxsize=64)
def _globe(file: str, stamp: int) -> Globe | None:
    del stamp
    try:
        return whole(profiles.read(file))
    except ProfileError:
        return None


def lookups(look: Record) -> list[Lookup]:
    """The pictures that a look reads, each once."""
    found: dict[Lookup, int] = {}
    lanes = [*look.lanes.values(), *([look.moved] if look.moved is not None else [])]
    compile_lanes(lanes, lambda lookup: found.setdefault(lookup, len(found)))
    if look.back is not None:
        found.update(dict.fromkeys(lookups(look.back), 0))
    return list(found)


def facts_of(scene: Scene, registry: Registry | None = None, shapes: Callable[[], Shapes] | None = None) -> Facts:
    """What looks may know of a scene; with a registry also what is painted for it, where its `shapes` are asked for what depends
    on places.
    """
    facts = Facts(scene.metres_per_unit, sources_of(scene).find, globe_of, pictures.mean_luminance)
    ground = registry.ground if registry is not None else None
    if ground is None:
        return facts
    worn = Worn(scene, shapes)
    return replace(facts, paint=lambda bake: painted(bake, ground, facts, pixels, worn))


@dataclass(frozen=True)
class Exposure:
    """How a camera turns light into a picture, by its dialect."""

    view: View
    sampling: Sampling
    camera: Floats
    width: int
    height: int

    def exposed(self, picture: Floats) -> Floats:
        """A picture in nit as the camera takes it: scaled, white balanced, and darkened towards its corners."""
        taken = np.asarray(picture * (self.view.scale * np.array(self.view.white)))
        return taken * self._corners()[..., None] if self.view.vignetting > 0.0 else taken

    def _corners(self) -> Floats:
        """What vignetting leaves at each pixel [height, width]: of the fourth power of the cosine to the lens's axis its share."""
        cam = self.camera
        v, u = np.mgrid[0 : self.height, 0 : self.width]
        a = (u + 0.5) / self.width * 2.0 - 1.0 + cam[kw.C_SHIFT]
        b = 1.0 - (v + 0.5) / self.height * 2.0 + cam[kw.C_SHIFT + 1]
        across = np.linalg.norm(cam[kw.C_X : kw.C_X + 3]), np.linalg.norm(cam[kw.C_Y : kw.C_Y + 3])
        cosine2 = 1.0 / (1.0 + (a * across[0]) ** 2 + (b * across[1]) ** 2)
        return np.asarray(1.0 - self.view.vignetting * (1.0 - cosine2 * cosine2))


@dataclass
class Staged:
    """A world with its camera, ready to be rendered; `scale` turns nit into picture values. `bases` are the records of the
    materials where nothing varies, `glows` the mean glow of those whose glow does, in nit by path.
    """

    built: Built
    camera: Floats
    view: View
    sampling: Sampling
    materials: list[str]
    notes: list[str] = field(default_factory=list)
    width: int = 0
    height: int = 0
    bases: Floats = field(default_factory=lambda: np.zeros((0, layout.RECORD)))
    glows: dict[str, Floats] = field(default_factory=dict)

    def film(self, lights_apart: bool = False) -> Film:
        """An empty film for it; with `lights_apart` a layer for each light."""
        return Film.empty(self.width, self.height, max(1, len(self.built.groups)) if lights_apart else 1)

    @property
    def exposure(self) -> Exposure:
        """How its camera exposes a picture."""
        return Exposure(self.view, self.sampling, self.camera, self.width, self.height)

    def exposed(self, picture: Floats) -> Floats:
        """A picture in nit as the camera takes it."""
        return self.exposure.exposed(picture)


def look_of(thing: Thing, pack: Pack | None, facts: Facts) -> Record:
    """A material's record; a plain grey where its dialect has no looks."""
    if pack is None or pack.looks is None:
        grey = Surface([LookLobe(layout.DIFFUSE, 0.18)], notes=["its dialect has no looks; a plain grey is shown"])
        return record(grey)
    known = facts.with_bakes({bake.path: bake for bake in thing.bakes})
    return trace(pack.folded(thing.graph), pack.vocabulary, pack.looks, known, thing.turned)


def look_closely(thing: Thing, pack: Pack | None, facts: Facts, registry: Registry) -> Record:
    """A material's record for a swatch, which is small, and so are the pictures that are painted for it. What is baked of places holds
    those of the scene, which a swatch does not have: there the network that was baked stands for its picture.
    """
    apart = {bake.path: bake for bake in thing.bakes if bake.by_place or bake.relief is not None}
    near = facts.with_bakes({bake.path: bake.within(_CLOSE) for bake in thing.bakes if bake.path not in apart})
    ground = registry.ground
    if not apart or pack is None or pack.looks is None or ground is None:
        return look_of(replace(thing, bakes=()), pack, near)
    unread = replace(near, find=lambda path: path if path in apart else near.find(path))
    made = trace(pack.folded(thing.graph), pack.vocabulary, pack.looks, unread, thing.turned)
    fields = {path: field_of(bake, ground, facts) for path, bake in apart.items() if bake.relief is None}
    _rise(made, apart, ground, facts)
    lanes = [*made.lanes.values(), *([made.moved] if made.moved is not None else [])]
    fresh = without_pictures(lanes, fields)
    made.lanes = dict(zip(made.lanes, fresh, strict=False))
    made.moved = fresh[-1] if made.moved is not None else None
    return made


def _rise(made: Record, bakes: Mapping[str, Bake], ground: Pack, facts: Facts) -> None:
    """Relief that was baked as normals stands as what it was baked from: its slopes are those of the scene, not of a swatch."""
    normal = [made.lanes[place] for place in range(layout.NORMAL, layout.NORMAL + 3) if place in made.lanes]
    read = [lane.data.file for lane in order(normal) if lane.op == "picture" and isinstance(lane.data, Lookup)]
    bake = next((bakes[file] for file in read if file in bakes and bakes[file].relief is not None), None)
    if bake is None or bake.relief is None:
        return
    for place in range(layout.NORMAL, layout.NORMAL + 3):
        made.lanes.pop(place, None)
    height, normal_map = Field([known(0.0)]), None
    for link, metres in bake.relief.heights:
        height = height + field_of(bake, ground, facts, link)[0] * metres
    for link, strength in bake.relief.normals[:1]:
        found = field_of(bake, ground, facts, link) * 2.0 - 1.0
        normal_map = join(found[0] * strength, found[1] * strength, found[2])
    if bake.relief.heights or normal_map is None:
        made.base[layout.RELIEF] = layout.BY_HEIGHT[int(made.base[layout.RELIEF] > 2.0)]
        _put(made, layout.HEIGHT, height)
    else:
        _put(made, layout.NORMAL, normal_map)


def _put(made: Record, place: int, what: Field) -> None:
    for number, lane in enumerate(what.lanes):
        made.base[place + number] = lane.value or 0.0
        if lane.value is None:
            made.lanes[place + number] = lane


def lamps_of(thing: Thing, pack: Pack | None, facts: Facts) -> list[Lamp]:
    """A light's look: none when it gives no light, several of a sun with its sky, or of what became several lights."""
    made: list[Lamp] = []
    if pack is None or pack.looks is None:
        return made
    for kind, get in each(thing.graph, pack.vocabulary, pack.looks, facts):
        found = pack.looks.light(kind, get)
        lamps = found if isinstance(found, tuple) else (found,) if found is not None else ()
        stands = get.node.values.get(TOWARDS)
        if isinstance(stands, tuple):
            lamps = tuple(replace(lamp, towards=(stands[0], stands[1])) for lamp in lamps)
        made += lamps
    return made


def view_of(thing: Thing, pack: Pack | None, facts: Facts) -> View:
    """A camera's look."""
    found = single(thing.graph, pack.vocabulary, pack.looks, facts) if pack and pack.looks else None
    if pack is None or pack.looks is None or found is None:
        return View(36.0, 50.0)
    return pack.looks.camera(*found)


def choose_camera(scene: Scene, wanted: str = "") -> Thing:
    """A camera by name or path; the first one without. Raises MisuseError with the names that there are."""
    cameras = list(scene.of(Kind.CAMERA))
    if not cameras:
        raise MisuseError("the scene has no camera.", advice="Put one in, or look at swatches instead.")
    for one in cameras:
        if not wanted or wanted in (one.id, one.name):
            return one
    raise MisuseError(f"no camera is called '{wanted}'.", advice=f"There are {', '.join(c.name for c in cameras)}.")


def stage(
    scene: Scene,
    shapes: Shapes,
    things: Iterable[Thing],
    registry: Registry,
    camera_id: str,
    size: tuple[int, int],
    unseen: Collection[str] = (),
) -> Staged:
    """Make a world of a scene. `things` are its materials, lights, camera and settings in one dialect's words, by the
    ids of the scene's own; shapes and places are the scene's. `size` is the picture's width and height; objects that are
    `unseen` are hidden from the camera.
    """
    facts = facts_of(scene, registry, lambda: shapes)
    by_id = {thing.id: thing for thing in things}

    def pack_of(thing: Thing) -> Pack | None:
        return registry.packs.get(thing.dialect)

    notes: list[str] = []
    records: list[Record] = []
    for path in shapes.materials:
        thing = by_id.get(path)
        if thing is None:
            records.append(record(Surface([LookLobe(layout.DIFFUSE, 0.18)])))
            if path:
                notes.append(f"{path}: is not carried; a plain grey is shown")
            continue
        made = look_of(thing, pack_of(thing), facts)
        notes.extend(f"{thing.name}: {note}" for note in made.notes)
        records.append(made)
    placed = []
    for thing in by_id.values():
        if thing.kind is Kind.LIGHT:
            place = np.array(thing.place).reshape(4, 4) if thing.place else shapes.places.get(thing.id, np.eye(4))
            placed += [
                Placed(thing.name, lamp, place, path=thing.id) for lamp in lamps_of(thing, pack_of(thing), facts)
            ]
    eye = by_id.get(camera_id)
    view = view_of(eye, pack_of(eye), facts) if eye is not None else View(36.0, 50.0)
    notes.extend(f"{eye.name}: {note}" for note in view.notes if eye is not None)
    meshes = (
        [replace(mesh, unseen=mesh.unseen or mesh.path in unseen) for mesh in shapes.meshes]
        if unseen
        else shapes.meshes
    )
    meshes = [displaced(mesh, records, pixels, notes) for mesh in meshes]
    built = build(meshes, records, placed, pixels, up_axis=shapes.up_axis, fog=view.fog)
    width, height = size
    stands = np.array(eye.stands).reshape(4, 4) if eye is not None and eye.stands else None
    sampling = _sampling(by_id.values(), registry, facts)
    notes.extend(f"{_settings_name(by_id.values())}: {note}" for note in sampling.notes)
    notes.extend(
        f"{thing.name}: changes over time; the first frame is shown, and nothing is blurred by motion"
        for thing in by_id.values() if any(node.animated for node in thing.graph.nodes.values())
    )  # fmt: skip
    aspect = width / height * max(sampling.pixel_aspect, 1e-3)
    cam = camera(view, shapes.places.get(camera_id, np.eye(4)) if stands is None else stands, aspect, sampling.fits)
    return Staged(
        built, cam, view, sampling, list(shapes.materials),
        [*shapes.notes, *notes, *built.notes], width, height, np.array([one.base for one in records]).reshape(-1, layout.RECORD),
        {path: glow for path, one in zip(shapes.materials, records, strict=True) if (glow := _mean_glow(one)) is not None},
    )  # fmt: skip


def exposure_of(
    scene: Scene, things: Iterable[Thing], registry: Registry, camera_id: str, size: tuple[int, int]
) -> Exposure:
    """How a camera of a scene exposes a picture of some width and height; `things` are in one dialect's words. Shapes are not asked for."""
    by_id = {thing.id: thing for thing in things}
    facts = facts_of(scene, registry)
    eye = by_id.get(camera_id)
    view = view_of(eye, registry.packs.get(eye.dialect), facts) if eye is not None else View(36.0, 50.0)
    sampling = _sampling(by_id.values(), registry, facts)
    aspect = size[0] / size[1] * max(sampling.pixel_aspect, 1e-3)
    return Exposure(view, sampling, camera(view, np.eye(4), aspect, sampling.fits), *size)


def _settings_name(things: Iterable[Thing]) -> str:
    return next((thing.name for thing in things if thing.kind is Kind.SETTINGS), "settings")


def _mean_glow(look: Record) -> Floats | None:
    """The mean glow of a material over its picture, in nit; None where it does not vary."""
    places = range(layout.GLOW, layout.GLOW + 3)
    if not any(place in look.lanes for place in places):
        return None
    v, u = (np.mgrid[0:8, 0:8] + 0.5) / 8.0
    nothing = np.zeros(64)
    point = {"u": u.reshape(-1), "v": v.reshape(-1), "x": nothing, "y": nothing, "z": nothing, "facing": nothing + 1.0}
    return np.asarray(resolve(look, point, pixels)[:, layout.GLOW : layout.GLOW + 3].mean(axis=0))


def sampling_of(scene: Scene, things: Iterable[Thing], registry: Registry) -> Sampling:
    """How a picture is computed by the settings among some things, in one dialect's words."""
    return _sampling(things, registry, facts_of(scene, registry))


def _sampling(things: Iterable[Thing], registry: Registry, facts: Facts) -> Sampling:
    for thing in things:
        pack = registry.packs.get(thing.dialect)
        if thing.kind is Kind.SETTINGS and pack is not None and pack.looks is not None:
            found = single(thing.graph, pack.vocabulary, pack.looks, facts)
            if found is not None:
                return pack.looks.settings(*found)
    return Sampling()
