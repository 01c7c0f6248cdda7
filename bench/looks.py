"""The renderer against Mitsuba scalar_rgb on the same scenes in the same run, and how long looks take.

Both render the same triangles with the same materials (matt, rough conductor, clear glass, thin walls), one panel and an
even sky, at equal depth, each on as many threads as there are cores.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent
os.environ["DURVAN_SWATCHES"] = tempfile.mkdtemp()

from durvan.crossing.job.session import start
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.dialects.look import Lamp, Lobe, Record, Surface, View, record
from durvan.dialects.registry import registry
from durvan.engine import compiling, mitsuba, renderer, swatches
from durvan.engine.build import Placed, build, camera
from durvan.engine.kernels import tree
from durvan.formats.usd.shapes import read_shapes
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh

SCENE = ROOT / "demo" / "lamproom" / "lamproom.usda"
SIZE, SAMPLES, BOUNCES = (320, 180), 16, 6


def glass() -> Record:
    return record(
        Surface(
            [
                Lobe(L.REFLECT, 1.0, fresnel=L.DIELECTRIC, first=1.5),
                Lobe(L.REFRACT, 1.0, fresnel=L.DIELECTRIC, first=1.5),
            ]
        )
    )


def wall() -> Record:
    return record(
        Surface([Lobe(L.REFLECT, 1.0, fresnel=L.WALL, first=1.5), Lobe(L.STRAIGHT, 1.0, fresnel=L.WALL, first=1.5)])
    )


def metal() -> Record:
    return record(Surface([Lobe(L.REFLECT, (0.9, 0.7, 0.4), 0.2)]))


def matt() -> Record:
    return record(Surface([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))]))


def plain_look(path: str) -> Record:
    """A material of the lamp room as both renderers can say it exactly."""
    name = path.rpartition("/")[2]
    if "Pane" in name:
        return wall()
    if "Glass" in name or "Chimney" in name:
        return glass()
    return metal() if any(word in name for word in ("Brass", "Copper", "Cup", "Needle")) else matt()


def balls_in_a_room() -> tuple[list[Mesh], list[Record]]:
    """A closed room with 98 balls of 1,024 triangles: some 100,000 triangles."""
    rng = np.random.default_rng(4)
    rows, sides = 16, 33
    v, u = np.meshgrid(np.linspace(0, np.pi, rows + 1), np.linspace(0, 2 * np.pi, sides), indexing="ij")
    points = np.stack([np.sin(v) * np.cos(u), np.cos(v), np.sin(v) * np.sin(u)], -1).reshape(-1, 3)
    number = np.arange(points.shape[0]).reshape(rows + 1, sides)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    both = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]).astype(
        np.int32
    )
    meshes = []
    for count in range(98):
        where, size = rng.uniform([-2, 0.2, -2], [2, 2.4, 2]), rng.uniform(0.08, 0.25)
        normals = points[both]
        meshes.append(
            Mesh(f"ball{count}", points * size + where, both, normals, None, np.full(len(both), count % 3, np.int32))
        )
    corners = np.array([[x, y, z] for x in (-3.0, 3.0) for y in (0.0, 3.0) for z in (-3.0, 3.0)])
    faces = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4]])
    box = np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]]).astype(np.int32)
    meshes.append(Mesh("room", corners, box, None, None, np.zeros(len(box), np.int32)))
    return meshes, [matt(), metal(), glass()]


def lights() -> list[Placed]:
    down = np.array([[1.0, 0, 0, 0], [0, 0, -1.0, 0], [0, 1.0, 0, 0], [0, 2.6, 0, 1.0]])
    return [
        Placed("panel", Lamp("rect", (20.0,) * 3, (1.2, 1.2)), down),
        Placed("sky", Lamp("dome", (1.0,) * 3), np.eye(4)),
    ]


def best(work: Callable[[], object], times: int = 3) -> float:
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return min(found)


def against(name: str, meshes: list[Mesh], looks: list[Record], eye: np.ndarray) -> None:
    """One scene in both renderers."""
    view = View(36.0, 32.0)
    built = build(meshes, looks, lights(), lambda _: None)
    cam = camera(view, eye, SIZE[0] / SIZE[1])
    film = renderer.Film.empty(*SIZE)
    renderer.expose(built, cam, film, 1, BOUNCES)
    ours = best(lambda: renderer.expose(built, cam, film, SAMPLES, BOUNCES))
    with tempfile.TemporaryDirectory() as folder:
        described = mitsuba.scene(meshes, looks, lights(), view, eye, SIZE, Path(folder), BOUNCES)
        judged = mitsuba.judge(described, SAMPLES, 3)
    theirs = judged.seconds / 3
    count = SIZE[0] * SIZE[1] * SAMPLES / 1e6
    triangles = sum(len(mesh.triangles) for mesh in meshes)
    print(
        f"{name:34} {count / ours:6.3f} M paths/s  {count / theirs:6.3f} M paths/s  {theirs / ours:5.2f} ×   "
        f"{triangles} triangles, means {film.picture.mean() / judged.picture.mean():.3f} : 1 (wanted: at least 0.9, 0.7 is failure)"
    )


def trees(meshes: list[Mesh]) -> None:
    points = np.concatenate([mesh.points[mesh.triangles] for mesh in meshes]).astype(np.float32)
    low, high = points.min(axis=1), points.max(axis=1)
    n = len(low)
    room = (np.zeros(n, np.int32), np.zeros((n, 12), np.float32), np.zeros((n, 2), np.int32))
    seconds = best(lambda: tree.build(low, high, *room))
    print(f"tree of boxes over {n} triangles: {seconds:.3f} s (wanted: within 0.5 s)")


def looks_of_the_demo() -> None:
    session = start(SCENE, registry(), "pellune")
    assert session.plan is not None
    seen = Appearance(session.scene, registry(), swatches.cache_folder())
    brass = session.scene.things["/LampRoom/Looks/GalleryIron"]
    translation = session.plan.translations[brass.id]
    one = seen.target(brass, translation)
    swatches.Maker(one).to(1)  # the scene of the swatch is set up once
    print(f"first pass of a swatch: {best(lambda: swatches.Maker(one).to(1)):.2f} s (wanted: within 0.3 s of an edit)")
    begun = time.perf_counter()
    Appearance(session.scene, registry()).drift(brass, translation)
    print(f"drift of one material settled: {time.perf_counter() - begun:.2f} s (wanted: within 2 s)")
    fits = []
    for name in ("GalleryIron", "PedestalBrass", "DoorPaint", "PewterCup", "DialNeedle"):
        thing = session.scene.things[f"/LampRoom/Looks/{name}"]
        fits.append(best(lambda thing=thing: seen.fit(thing, session.plan.translations[thing.id]), 2))  # type: ignore[misc]
    print(
        f"a fit without its swatch: {1000 * float(np.median(fits)):.0f} ms, the slowest of {len(fits)} {1000 * max(fits):.0f} ms (wanted: within 150 ms)"
    )

    def table() -> None:
        for thing in materials(session.scene, session.plan.translations):
            seen.drift(thing, session.plan.translations[thing.id])

    print(
        f"drifts of the demo scene: {best(table, 1):.1f} s, known before {best(table, 1):.2f} s (wanted: under 40 s, then under 1 s)"
    )


def main() -> None:
    """Measure and print."""
    compiling.ensure()
    print(f"{'what':34} {'Durvan':>17}  {'Mitsuba':>17}  {'ratio':>6}")
    shapes = read_shapes(SCENE)
    eye = shapes.places["/LampRoom/Cameras/GalleryCamera"].copy()
    eye[3, 2] -= 1.5  # in front of the door
    against("the lamp room", shapes.meshes, [plain_look(path) for path in shapes.materials], eye)
    meshes, looks = balls_in_a_room()
    inside = np.eye(4)
    inside[3, :3] = [0.0, 1.3, 2.9]
    against("a room of 100,000 triangles", meshes, looks, inside)
    trees(meshes)
    looks_of_the_demo()
    sys.stdout.flush()


if __name__ == "__main__":
    main()
