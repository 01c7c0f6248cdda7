"""Whether what differs between two pictures is told by its cause: renders of the demo scenes of which it is known what was changed.

`python bench/causes.py [SCENE …]` prints a line a case: what was changed, what was named. Each scene is rendered twice with other noise,
and again with one thing changed; lights, exposure, white balance and response are changed in the passes. What lets light pass is not
changed: no picture tells a tinted pane from a tinted light behind it. Changes that nobody would see, by the pictures' own noise, are left out.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter
from scipy.spatial.transform import Rotation

from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.outside.lookup import look, seen
from durvan.dialects.registry import Registry, registry
from durvan.engine import renderer, staging
from durvan.engine.kernels import world as kw
from durvan.formats.table import reader
from durvan.optics.lobes import layout
from durvan.progress import silent
from durvan.proof.causes.analysis import analyse
from durvan.proof.causes.saying import told
from durvan.proof.picture import Ids, Picture
from durvan.scene.model import Thing

Floats = NDArray[np.float64]
Wanted = set[tuple[str, str]]
SCENES = ("lamproom", "boathouse", "foghouse", "oilstore")
SIZE, SAMPLES, FEW = (320, 180), 48, 6
SHIFT = (2.6, -1.3)
CLEAR = (layout.REFRACT, layout.STRAIGHT)


def _shifted(camera: Floats) -> None:
    """By some pixels, as by another lens shift."""
    camera[kw.C_SHIFT] -= 2.0 * SHIFT[0] / SIZE[0]
    camera[kw.C_SHIFT + 1] += 2.0 * SHIFT[1] / SIZE[1]


def _turned(axis: int, degrees: float) -> Callable[[Floats], None]:
    """About the camera's own axis to the right (0), upwards (1) or forwards (2)."""

    def stand(camera: Floats) -> None:
        axes = [camera[at : at + 3].copy() for at in (kw.C_X, kw.C_Y, kw.C_Z)]
        sizes = [np.linalg.norm(one) for one in axes]
        units = np.array([one / size for one, size in zip(axes, sizes, strict=True)])
        turn = Rotation.from_rotvec(np.radians(degrees) * units[axis]).as_matrix()
        for at, unit, size in zip((kw.C_X, kw.C_Y, kw.C_Z), units, sizes, strict=True):
            camera[at : at + 3] = size * (turn @ unit)

    return stand


def _longer(camera: Floats) -> None:
    """A lens a twentieth longer."""
    camera[kw.C_X : kw.C_X + 6] /= 1.05


def _moved(right: float, up: float, ahead: float) -> Callable[[Floats], None]:
    """Elsewhere, by some metres along its own axes."""

    def stand(camera: Floats) -> None:
        for at, metres in ((kw.C_X, right), (kw.C_Y, up), (kw.C_Z, ahead)):
            axis = camera[at : at + 3]
            camera[kw.C_ORIGIN : kw.C_ORIGIN + 3] += metres * axis / np.linalg.norm(axis)

    return stand


STANDS: dict[str, Callable[[Floats], None]] = {
    "shifted": _shifted, "turned aside": _turned(1, 1.5), "rolled": _turned(2, 1.2), "longer lens": _longer,
    "moved aside": _moved(0.06, 0.0, 0.0), "moved up and ahead": _moved(0.0, 0.05, 0.12),
}  # fmt: skip


@dataclass(frozen=True)
class Case:
    """What was changed, by kind and name, and the picture with it."""

    title: str
    wanted: Wanted
    picture: Picture


class Scene:
    """A demo scene that is rendered again and again."""

    def __init__(self, file: Path, packs: Registry) -> None:
        self.packs = packs
        scene = open_scene(file, packs)
        self.scene = seen(scene, look(scene))
        self.shapes = reader(file).shapes(file, silent)
        self.camera = staging.choose_camera(self.scene).id
        self.things = list(self.scene.own)

    def render(
        self,
        seed: int,
        other: Thing | None = None,
        samples: int = SAMPLES,
        stand: Callable[[Floats], None] = lambda _: None,
    ) -> Picture:
        """The camera's view with a thing instead of another one, or of a camera that `stand` has put elsewhere."""
        things = [other if other is not None and one.id == other.id else one for one in self.things]
        staged = staging.stage(self.scene, self.shapes, things, self.packs, self.camera, SIZE)
        camera = staged.camera.copy()
        stand(camera)
        film = staged.film(lights_apart=True)
        film.seed = seed
        clamp = 20.0 / max(staged.view.scale, 1e-12)
        renderer.expose(staged.built, camera, film, samples, min(staged.sampling.bounces, 6), clamp)
        seen_first = renderer.first_things(staged.built, camera, *SIZE)
        layers = film.layers
        paths = staged.built.paths or staged.built.groups
        lights = {path: staged.exposed(layers[:, :, n]).astype(np.float32) for n, path in enumerate(paths)}
        variance = (film.error() * staged.view.scale) ** 2
        return Picture(
            staged.exposed(film.picture).astype(np.float32), {name: partial(np.asarray, one) for name, one in lights.items()},
            Ids(seen_first.material, tuple(staged.materials)), None, variance.astype(np.float32), lambda: seen_first.depth[..., None].astype(np.float32),
        )  # fmt: skip

    def changed(self, thing: Thing) -> Thing | None:
        """A material in another colour; None for what lets light pass, and what has no colour."""
        pack = self.packs.get(thing.dialect)
        made = staging.look_of(thing, pack, staging.facts_of(self.scene, self.packs, lambda: self.shapes))
        lobes = [made.base[layout.HEADER + n * layout.LOBE + layout.KIND] for n in range(int(made.base[layout.COUNT]))]
        if any(kind in CLEAR for kind in lobes):
            return None
        graph, count = thing.graph.copy(), 0
        for node in graph.nodes.values():
            kind = pack.type(node.kind)
            for port, parameter in (
                kind.parameters.items() if kind is not None and kind.role in ("surface", "part") else ()
            ):
                if parameter.type == "color" and kind is not None and kind.family_of(port) in ("base", "reflection"):
                    value = node.values.get(port, parameter.default)
                    if port in node.links:
                        del node.links[port]
                        node.values[port] = (0.2, 0.5, 0.15)
                    elif isinstance(value, tuple):
                        node.values[port] = tuple(part * by for part, by in zip(value, (0.45, 0.6, 0.5), strict=True))
                    count += 1
        return replace(thing, graph=graph) if count else None

    def without_pictures(self, thing: Thing) -> Thing | None:
        """A material whose pictures are nowhere; None where it has none."""
        pack, graph, count = self.packs.get(thing.dialect), thing.graph.copy(), 0
        for node in graph.nodes.values():
            kind = pack.type(node.kind)
            for port, parameter in kind.parameters.items() if kind is not None else ():
                if parameter.type == "file" and node.values.get(port):
                    node.values[port] = "/nowhere/absent.png"
                    count += 1
        return replace(thing, graph=graph) if count else None


def multiplied(one: Picture, factor: Any) -> Picture:
    """A picture times a factor per channel."""
    by = np.asarray(factor, dtype=np.float32)
    lights = {name: partial(np.multiply, read(), by) for name, read in one.lights.items()}
    assert one.variance is not None
    return replace(one, rgb=one.rgb * by, lights=lights, variance=one.variance * np.float32(np.mean(by) ** 2))


def lit(one: Picture, name: str, factor: Any) -> Picture:
    """A picture with another light."""
    by = np.asarray(factor, dtype=np.float32)
    mine = one.lights[name]()
    rgb = one.rgb + mine * (by - 1.0)
    assert one.variance is not None
    level = np.maximum(one.rgb.mean(axis=2), 1e-6)
    variance = one.variance * np.clip(np.maximum(rgb.mean(axis=2), 0.0) / level, 0.0, 8.0) ** 2
    return replace(one, rgb=rgb, lights={**one.lights, name: partial(np.asarray, mine * by)}, variance=variance)


def bent(one: Picture, exponent: float) -> Picture:
    """A picture through a response, which its passes have not been through."""
    level = np.maximum(one.rgb.mean(axis=2), 1e-6)
    assert one.variance is not None
    variance = one.variance * (exponent * level ** (exponent - 1.0)) ** 2
    return replace(
        one, rgb=np.maximum(one.rgb, 0.0) ** np.float32(exponent), lights={}, variance=variance.astype(np.float32)
    )


def stops_of(one: Picture) -> NDArray[np.float64]:
    """Blurred stops, for what can be seen."""
    grey = np.maximum(uniform_filter(one.rgb.mean(axis=2).astype(np.float64), 4), 0.0)
    return np.asarray(np.log2(grey + 0.02 * float(np.median(one.rgb))))


def is_seen(first: Picture, again: Picture, other: Picture, where: NDArray[np.bool_]) -> bool:
    """Whether a change is more than noise: in the place that was changed, and over the picture."""
    base, noise, change = (stops_of(one) for one in (first, again, other))
    more = float(((change - base)[where] ** 2).mean() - ((noise - base)[where] ** 2).mean())
    return more > 0.1**2 and more * where.mean() > 0.012**2


def lights_that_show(again: Picture) -> list[str]:
    """Lights that half of would be missed, those that show most first."""
    found = {}
    for name, read in again.lights.items():
        part = replace(again, rgb=again.rgb - 0.5 * read())
        found[name] = float(np.sqrt(((stops_of(part) - stops_of(again)) ** 2).mean()))
    return [name for name in sorted(found, key=lambda name: -found[name]) if found[name] > 0.025]


def alone(scene: Scene, first: Picture, again: Picture) -> Iterator[Case]:
    """One thing that is otherwise, or nothing."""
    yield Case("nothing", set(), again)
    for stops in (0.5, -1.0, 0.2):
        yield Case(f"exposure {stops:+.1f}", {("exposure", "")}, multiplied(again, 2.0**stops))
    for by in ((1.15, 1.0, 0.8), (0.93, 1.0, 1.08)):
        yield Case(f"white {by}", {("white balance", "")}, multiplied(again, by))
    for exponent in (1.2, 0.85, 2.2):
        yield Case(f"response {exponent}", {("response", "")}, bent(again, exponent))
    for name in lights_that_show(again)[:6]:
        for stops in (-0.8, 1.0):
            yield Case(f"{short(name)} {stops:+.1f}", {("light", name)}, lit(again, name, 2.0**stops))
    name = lights_that_show(again)[0]
    yield Case(f"{short(name)} tinted", {("light", name)}, lit(again, name, (1.2, 1.0, 0.75)))
    for number, (title, stand) in enumerate(STANDS.items()):
        yield Case(title, {("camera", "")}, scene.render(5 + number, stand=stand))
    yield Case("few samples", {("noise", "")}, scene.render(3, samples=FEW))


def materials_of(
    scene: Scene, first: Picture, again: Picture, make: Callable[[Thing], Thing | None], seed: int, most: int
) -> list[Case]:
    """A material each that is otherwise, the largest first."""
    assert first.materials is not None
    out: list[Case] = []
    names, numbers = first.materials.names, first.materials.numbers
    share = np.bincount(numbers[numbers >= 0], minlength=len(names)) / numbers.size
    for number in np.argsort(-share):
        thing = scene.scene.things.get(names[number])
        other = make(thing) if thing is not None and share[number] > 0.004 and len(out) < most else None
        if other is None:
            continue
        picture = scene.render(seed, other)
        if is_seen(first, again, picture, numbers == number):
            out.append(Case(f"{other.name} ({100 * share[number]:.0f} %)", {("material", other.id)}, picture))
    return out


def together(again: Picture, materials: list[Case], shifted: Picture, few: Picture) -> Iterator[Case]:
    """Two and three things at once."""
    lights = lights_that_show(again)
    for name in lights[:2]:
        for one in materials[:3]:
            yield Case(
                f"{short(name)} −0.7, {one.title}", one.wanted | {("light", name)}, lit(one.picture, name, 2.0**-0.7)
            )
    for one in materials[:4]:
        yield Case(f"exposure +0.5, {one.title}", one.wanted | {("exposure", "")}, multiplied(one.picture, 2.0**0.5))
    name = lights[min(1, len(lights) - 1)]
    half = lit(again, name, 0.5)
    yield Case(f"exposure, {short(name)}", {("exposure", ""), ("light", name)}, multiplied(half, 1.4))
    yield Case(f"white, {short(name)}", {("white balance", ""), ("light", name)}, multiplied(half, (1.1, 1.0, 0.85)))
    yield Case("shifted, exposure", {("camera", ""), ("exposure", "")}, multiplied(shifted, 0.7))
    yield Case("few samples, exposure", {("noise", ""), ("exposure", "")}, multiplied(few, 1.5))
    for one in materials[-1:]:
        three = lit(one.picture, name, 0.5)
        yield Case(
            f"exposure, {short(name)}, {one.title}",
            one.wanted | {("exposure", ""), ("light", name)},
            multiplied(three, 1.4),
        )
    for one in materials[:1]:
        three = lit(one.picture, lights[0], 0.5)
        wanted = one.wanted | {("white balance", ""), ("light", lights[0])}
        yield Case(f"white, {short(lights[0])}, {one.title}", wanted, multiplied(three, (1.1, 1.0, 0.85)))


def short(path: str) -> str:
    """The end of a path."""
    return path.rsplit("/", 1)[-1]


def of_scene(scene: Scene) -> tuple[Picture, Iterator[Case]]:
    """The source, and every case."""
    first, again = scene.render(1), scene.render(2)

    def cases() -> Iterator[Case]:
        pictures = {}
        for case in alone(scene, first, again):
            pictures[case.title] = case.picture
            yield case
        changed = materials_of(scene, first, again, scene.changed, 4, 8)
        yield from changed
        for case in materials_of(scene, first, again, scene.without_pictures, 6, 4):
            yield replace(case, title=f"{case.title} without pictures")
        yield from together(again, changed, pictures["shifted"], pictures["few samples"])

    return first, cases()


def main() -> None:
    """Measure and print."""
    packs = registry()
    demo = Path(__file__).parent.parent / "demo"
    right = count = 0
    for name in sys.argv[1:] or SCENES:
        first, cases = of_scene(Scene(demo / name / f"{name}.usda", packs))
        for case in cases:
            start = time.perf_counter()
            found = analyse(first, case.picture)
            took = time.perf_counter() - start
            good = {(one.kind, one.name) for one in found.causes} == case.wanted
            right, count = right + good, count + 1
            said = "; ".join(told(one) for one in found.causes) or "nothing"
            print(f"{name:10} {case.title:52} {'right' if good else 'WRONG'} {took:5.1f}s  {said}", flush=True)
    print(f"{right} of {count} right: {100.0 * right / max(count, 1):.1f} %")


if __name__ == "__main__":
    main()
