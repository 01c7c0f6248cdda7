"""Our own looks of Mitsuba's words, judged by Mitsuba: the drift between our swatch of every material of the demo sets and Mitsuba's render of
the same one, through the exporter. `python bench/by_mitsuba.py [SAMPLES] [NAME …]`.
"""

from __future__ import annotations

import os
import re
import statistics
import sys
import tempfile
from pathlib import Path

import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

ROOT = Path(__file__).parent.parent
os.environ.setdefault("DURVAN_SWATCHES", tempfile.mkdtemp())

from durvan.crossing.exchange.compose import compose
from durvan.crossing.job.session import Session, start
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.delivery import Beside
from durvan.dialects.look import Record
from durvan.dialects.registry import registry
from durvan.engine import renderer, staging, swatch_scene, swatches
from durvan.engine.build import is_strand
from durvan.engine.estimate import Lattice, distance
from durvan.engine.lamps import Placed
from durvan.formats import pictures
from durvan.formats.mitsuba.writing import write
from durvan.optics.light_shapes import SHAPES
from durvan.optics.lobes import layout
from durvan.scene.assembly import Assembly, Body
from durvan.scene.fate import Fate
from durvan.scene.model import Thing
from durvan.scene.written import Form, Property, Written, WrittenThing

Floats = NDArray[np.float64]
SAMPLES = int(sys.argv[1]) if len(sys.argv) > 1 else 256
ONLY = set(sys.argv[2:])
_FAR = 200.0  # metres to what stands for a sun with a disc
_BRIGHTEST = 12.0  # times white: beyond 8 the comparison sees nothing more


def body_of(look: Record, material: str) -> Assembly:
    """The swatch's shapes."""
    tile, floor = swatch_scene.tile()
    forms = [swatch_scene.lock(), floor] if is_strand(look) else [swatch_scene.ball(192, 384), tile, floor]
    if swatch_scene.has_other_side(look):
        forms[1] = swatch_scene.turned_over(tile)
    return Assembly(
        [Body(f"/{form.path}", form.path, form=n) for n, form in enumerate(forms)], forms, [material, "/dark", "/light"]
    )


def light(one: Placed, folder: Path) -> WrittenThing:
    """A lamp of the swatch as Mitsuba's."""
    lamp, colour = one.lamp, Property("color", tuple(one.lamp.radiance))
    if lamp.shape == "rect":
        size = {"width": lamp.size[0], "height": lamp.size[1]}
        said = {"radiance": colour, **{name: Property("float", float(v)) for name, v in size.items()}}
        return WrittenThing(Form.SCENE, "mitsuba.area_rectangle", said, matrix=tuple(one.matrix.reshape(-1)))
    if lamp.shape == "far":
        half = np.radians(lamp.size[0] / 2.0)
        matrix = one.matrix.copy()
        matrix[3, :3] = matrix[2, :3] * _FAR
        radiance = np.array(lamp.radiance) / (np.pi * np.sin(half) ** 2)
        said = {
            "radiance": Property("color", tuple(radiance.tolist())),
            "radius": Property("float", _FAR * float(np.tan(half))),
        }
        return WrittenThing(Form.SCENE, "mitsuba.area_disk", said, matrix=tuple(matrix.reshape(-1)))
    assert lamp.picture is not None and lamp.shape in (*SHAPES, "dome")
    name = lamp.picture.file[1:]
    if name == "even":
        return WrittenThing(Form.SCENE, "mitsuba.constant", {"radiance": colour})
    sky = folder / f"{name}.exr"
    if not sky.is_file():
        pictures.save(sky, swatch_scene.skies()[name][..., :3])
    said = {"filename": Property("file", sky.name), "scale": Property("float", float(lamp.radiance[0]))}
    return WrittenThing(Form.SCENE, "mitsuba.envmap", said)


def scene_of(things: dict[str, WrittenThing], material: str, look: Record, lighting: int, folder: Path) -> Path:
    """Write a swatch in one lighting through the exporter."""
    mine = {path: one for path, one in things.items() if path == material or path.startswith(f"{material}/")}
    for name, albedo in (("dark", 0.12), ("light", 0.3)):
        node = f"/{name}/n/surface"
        mine[f"/{name}"] = WrittenThing(Form.MATERIAL, ends={"surface": (node, "out")})
        mine[node] = WrittenThing(Form.NODE, "mitsuba.diffuse", {"reflectance": Property("color", (albedo,) * 3)})
    for one in swatch_scene.lamps():
        if one.lighting == lighting:
            mine[f"/lights/{one.name}"] = light(one, folder)
    view = swatch_scene.VIEW
    fov = 2.0 * np.degrees(np.arctan(view.film_width / 2.0 / view.focal))
    mine["/eye"] = WrittenThing(
        Form.SCENE, "mitsuba.perspective", {"fov": Property("float", float(fov))},
        matrix=tuple(swatch_scene.stands().reshape(-1)),
    )  # fmt: skip
    settings = {"width": swatches.SIZE, "height": swatches.SIZE, "max_depth": swatches.BOUNCES + 1}
    mine["/settings"] = WrittenThing(Form.SCENE, "mitsuba.path", {n: Property("int", v) for n, v in settings.items()})
    out = folder / "swatch.xml"
    write(Written(mine, body=body_of(look, material), beside=Beside(out)), out)
    text = out.read_text(encoding="utf-8")
    out.write_text(re.sub(r'(<film type="hdrfilm">)', r'\1<rfilter type="box"/>', text), encoding="utf-8")
    return out


def passes(look: Record) -> bool:
    """Whether a look is of bodies alone: light goes through them, or they shine to one side."""
    kinds = [int(look.base[layout.HEADER + n * layout.LOBE + layout.KIND]) for n in range(int(look.base[layout.COUNT]))]
    return layout.REFRACT in kinds or bool(look.base[layout.GLOW : layout.GLOW + 3].any())


def is_without_picture(look: Record) -> bool:
    """Whether a picture that it reads is not there."""
    return any(staging.pixels(one) is None for one in staging.lookups(look))


def places_of(look: Record) -> swatches.Places:
    """Where a look is compared: on ball and tile; on the ball alone where it is a body, which a tile without a back is not."""
    every = swatches.places(swatches.ALL)
    if not passes(look):
        return every
    things = renderer.first_things(swatch_scene.world_of(look), swatch_scene.eye(), swatches.SIZE, swatches.SIZE)
    tile = swatches.halved((things.thing == 0).astype(np.float64)[..., None])[..., 0] > 0.0
    small = every.small & ~tile
    rows, columns = np.nonzero(small)
    return swatches.Places(small, Lattice(rows, columns, every.lattice.reach, 1.0))


def theirs(files: list[Path], wanted: NDArray[np.bool_]) -> Floats:
    """Mitsuba's pictures, in two independent halves [2, lightings, places, 3], in white's measure."""
    scales = swatches._reference()[0]
    out = np.zeros((2, len(files), int(wanted.sum()), 3))
    for number, file in enumerate(files):
        scene = mi.load_file(str(file))
        for half in range(2):
            found = np.nan_to_num(np.array(mi.render(scene, spp=SAMPLES, seed=half + 1), dtype=np.float64)[..., :3])
            out[half, number] = swatches.halved(np.minimum(found * scales[number], _BRIGHTEST))[wanted]
    return out


def judged(session: Session, seen: Appearance, thing: Thing, things: dict[str, WrittenThing], folder: Path) -> float:
    """The drift between our swatch of a material and Mitsuba's."""
    look = seen.target(thing, session.plan.translations[thing.id])
    maker = seen.makers.of(look)
    maker.to(swatches.LEVELS[-1])
    where = places_of(look)
    ours = swatches.halved(np.minimum(maker.swatch().halves, _BRIGHTEST))[..., where.small, :]
    files = []
    for lighting in range(len(swatch_scene.LIGHTINGS)):
        made = scene_of(things, thing.id, look, lighting, folder)
        files.append(made.rename(made.with_name(f"swatch{lighting}.xml")))
    return distance(ours, theirs(files, where.small), where.lattice).mean


def main() -> None:
    """Measure and print."""
    mi.set_variant("scalar_rgb")
    mi.set_log_level(mi.LogLevel.Error)
    every: dict[str, float] = {}
    for name in ("lamproom", "oilstore"):
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            session = start(ROOT / "demo" / name / f"{name}.usda", registry(), "mitsuba")
            session.carry(folder / "whole.xml")
            things = compose(session.plan, session.registry, Beside(folder / "whole.xml")).things
            seen = Appearance(session.scene, session.registry, swatches.cache_folder())
            for thing in materials(session.scene, session.plan.translations):
                if ONLY and thing.name not in ONLY:
                    continue
                translation = session.plan.translations[thing.id]
                if is_without_picture(seen.target(thing, translation)):
                    print(
                        f"{name + '/' + thing.name:28}      –  a picture of it is nowhere; Mitsuba opens no scene that names one",
                        flush=True,
                    )
                    continue
                drift = judged(session, seen, thing, things, folder)
                every[f"{name}/{thing.name}"] = drift
                left = sorted({row.reason for row in translation.rows if row.fate in (Fate.LOST, Fate.HELD)})
                where = "the ball alone; " if passes(seen.target(thing, translation)) else ""
                if is_strand(seen.target(thing, translation)):
                    where += "a fibre is a tube, whose far wall light meets once more in Mitsuba; "
                notes = seen.target(thing, translation).notes
                word = translation.graph.nodes[next(iter(translation.graph.nodes))].kind
                print(
                    f"{name + '/' + thing.name:28} {drift:6.2f}  {word:24} {where}{'; '.join((*notes, *left))}",
                    flush=True,
                )
    values = list(every.values())
    over = {name: round(value, 2) for name, value in every.items() if value > 2.0}
    print(f"{len(values)} materials, median {statistics.median(values):.2f} (wanted: under 0.7), over 2: {over}")


if __name__ == "__main__":
    main()
