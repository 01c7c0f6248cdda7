"""The renderer against Mitsuba scalar_rgb on the same scenes: paths for each second of processor time, by turns.

Both render the same triangles with the same materials (matt, rough conductor, clear glass, thin walls), one panel and an
even sky, at equal depth, each on as many threads as there are cores; each turn is one render of each side.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent

from durvan.dialects.look import Lamp, Lobe, Record, Surface, View, record
from durvan.engine import compiling, mitsuba, renderer
from durvan.engine.build import build, camera
from durvan.engine.lamps import Placed
from durvan.formats.usd.shapes import read_shapes
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh

SCENE = ROOT / "demo" / "lamproom" / "lamproom.usda"
SIZE, SAMPLES, BOUNCES = (320, 180), 16, 6
TURNS = int(sys.argv[1]) if len(sys.argv) > 1 else 7


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


def lights(height: float) -> list[Placed]:
    """A panel that shines down from some metres, and an even sky."""
    down = np.array([[1.0, 0, 0, 0], [0, 0, -1.0, 0], [0, 1.0, 0, 0], [0, height, 0, 1.0]])
    return [
        Placed("panel", Lamp("rect", (20.0,) * 3, (1.2, 1.2)), down),
        Placed("sky", Lamp("dome", (1.0,) * 3), np.eye(4)),
    ]


def against(name: str, meshes: list[Mesh], looks: list[Record], eye: np.ndarray, height: float = 2.6) -> None:
    """One scene in both renderers, by turns."""
    placed = lights(height)
    view = View(36.0, 32.0)
    begun = time.process_time()
    built = build(meshes, looks, placed, lambda _: None)
    building = time.process_time() - begun
    cam = camera(view, eye, SIZE[0] / SIZE[1])
    film = renderer.Film.empty(*SIZE)
    renderer.expose(built, cam, film, 1, BOUNCES)
    count = SIZE[0] * SIZE[1] * SAMPLES / 1e6
    ours, theirs, means = [], [], []
    for turn in range(TURNS):
        begun = time.process_time()
        renderer.expose(built, cam, film, SAMPLES, BOUNCES)
        ours.append(count / (time.process_time() - begun))
        with tempfile.TemporaryDirectory() as folder:
            described = mitsuba.scene(meshes, looks, placed, view, eye, SIZE, Path(folder), BOUNCES)
            judged = mitsuba.judge(described, SAMPLES, turn + 1)
        theirs.append(count / judged.seconds)
        means.append(judged.picture.mean())
    ratios = sorted(a / b for a, b in zip(ours, theirs, strict=True))
    triangles = sum(len(mesh.triangles) for mesh in meshes)
    print(
        f"{name:34} {statistics.median(ours):6.3f} M paths/s  {statistics.median(theirs):6.3f} M paths/s  "
        f"{statistics.median(ratios):5.2f} × [{ratios[0]:.2f} to {ratios[-1]:.2f}]   {triangles} triangles, built in {building:.2f} s, "
        f"means {film.picture.mean() / np.mean(means):.4f} : 1 (wanted: at least 1.2 ×, aim 1.5)",
        flush=True,
    )


def main() -> None:
    """Measure and print."""
    compiling.ensure()
    print(f"{'paths a second of processor time':34} {'Durvan':>17}  {'Mitsuba':>17}  ratio, medians of {TURNS} turns")
    shapes = read_shapes(SCENE)
    eye = shapes.places["/LampRoom/Cameras/GalleryCamera"].copy()
    eye[3, 2] -= 1.5  # in front of the door
    against("the lamp room", shapes.meshes, [plain_look(path) for path in shapes.materials], eye)
    meshes, looks = balls_in_a_room()
    inside = np.eye(4)
    inside[3, :3] = [0.0, 1.3, 2.9]
    against("a room of 100,000 triangles", meshes, looks, inside)
    # a panel's back lets ours pass and is black there: where nothing gets behind it, the means are the same
    against("its panel at the ceiling", meshes, looks, inside, height=2.999)


if __name__ == "__main__":
    main()
