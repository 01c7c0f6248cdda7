"""Making: a 2K procedural of ten nodes on one core and on all, against what a picture of it takes to be written, and a hundred materials
reduced to maps: how busy the cores are.
"""

from __future__ import annotations

import os
import resource
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).parent.parent
os.environ["DURVAN_SWATCHES"] = tempfile.mkdtemp()

from durvan.crossing.exchange.baked import Painter
from durvan.crossing.translation.choices import Choices, Policy
from durvan.crossing.translation.making import TO_MAPS
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import registry
from durvan.engine import brushes, canvas, compiling, painting, staging
from durvan.scene.baking import Bake
from durvan.scene.bodies import Body
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Scene, Thing

MATERIALS = int(sys.argv[1]) if len(sys.argv) > 1 else 100
SIZE = 2048
SHEET = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))


def ten_nodes() -> tuple[Graph, Link]:
    """Two noises of different size mixed by a chequer, with levels and a turn of hue: ten nodes."""
    nodes = [
        Node("where", "position", {}),
        Node("coarse", "multiply", {"in2": (14.0,) * 3}, {"in1": Link("where")}),
        Node("fine", "multiply", {"in2": (60.0,) * 3}, {"in1": Link("where")}),
        Node("clouds", "fractal3d", {"octaves": 3}, {"position": Link("coarse")}),
        Node("grain", "fractal3d", {"octaves": 2}, {"position": Link("fine")}),
        Node("squares", "checkerboard", {"uvtiling": (8.0, 8.0)}),
        Node("level", "remap", {"inlow": -1.0, "outlow": 0.1, "outhigh": 0.8}, {"in": Link("clouds")}),
        Node("sum", "add", {}, {"in1": Link("level"), "in2": Link("grain")}),
        Node("mixed", "mix", {"mix": 0.4}, {"bg": Link("sum"), "fg": Link("squares")}),
        Node("hue", "hsvadjust", {"amount": (0.1, 1.2, 0.9)}, {"in": Link("mixed")}),
    ]
    return Graph({node.id: node for node in nodes}), Link("hue")


def timed(work: Callable[[], object], times: int = 3) -> tuple[float, float]:
    """Seconds and how many cores were busy, of the quickest of some turns."""
    best = (1e9, 0.0)
    for _ in range(times):
        before, begun = resource.getrusage(resource.RUSAGE_SELF), time.perf_counter()
        work()
        took = time.perf_counter() - begun
        after = resource.getrusage(resource.RUSAGE_SELF)
        best = min(best, (took, (after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime) / took))
    return best


def one_procedural() -> None:
    ground = registry().ground
    assert ground is not None
    graph, link = ten_nodes()
    bake = Bake("b" * 32, "b.png", graph, link, SIZE, "srgb_texture")
    facts = staging.facts_of(Scene("", "orvik"))
    what = brushes.field_of(bake, ground, facts)
    canvas.paint(what, 64, staging.pixels)
    took, busy = timed(lambda: canvas.paint(what, SIZE, staging.pixels))
    cores = os.cpu_count() or 1
    print(
        f"a {SIZE}² picture of ten nodes: painted in {took:.2f} s, {100 * busy / cores:.0f} % of {cores} cores (wanted: under 1 s)"
    )
    picture = canvas.paint(what, SIZE, staging.pixels)
    with tempfile.TemporaryDirectory() as folder:
        wrote, _ = timed(lambda: painting.save(Path(folder) / "b.png", picture, bake))
    print(f"  its file is written in {wrote:.2f} s; painting is {took / wrote:.2f} × that")


def many(count: int) -> None:
    """Materials of a chequer over noise, each of its own, all reduced to maps."""
    packs = registry()
    things = {}
    for number in range(count):
        graph = Graph()
        amount = 0.2 + 0.6 * number / count
        graph.add(
            Node(
                "surface",
                "orvik.finish",
                {},
                {"base_tint": Link("mix", "colour"), "polish": Link("mix", "grey"), "relief": Link("b", "relief")},
            )
        )
        graph.add(
            Node(
                "mix", "orvik.blend", {"share_1": amount}, {"ground": Link("c", "colour"), "map_1": Link("n", "colour")}
            )
        )
        graph.add(Node("c", "orvik.chequer", {"repeats": (8.0 + number % 7, 8.0)}))
        graph.add(Node("n", "orvik.noise", {"size": 4.0 + number % 5}))
        graph.add(Node("b", "orvik.bump", {"depth": 0.2}, {"map": Link("c", "grey")}))
        graph.outputs["surface"] = Link("surface")
        name = f"/M{number}"
        things[name] = Thing(name, name[1:], Kind.MATERIAL, graph, "orvik")
    scene = Scene(str(ROOT / "demo" / "lamproom" / "lamproom.usda"), "orvik", 0.01, things=things)
    choices = Choices(target="pellune", policies=(Policy(subject="everything", what="bake", how=TO_MAPS),))
    planned = plan(scene, packs, choices, bodies=dict.fromkeys(things, SHEET))
    bakes = {bake.path: bake for one in planned.translations.values() for bake in one.bakes}
    with tempfile.TemporaryDirectory() as folder:
        painter = Painter(planned, packs)
        took, busy = timed(lambda: painter.put_all({Path(folder) / bake.name: path for path, bake in bakes.items()}), 1)
    cores = os.cpu_count() or 1
    pixels = sum(bake.size**2 for bake in bakes.values()) / 1e6
    print(
        f"{count} materials reduced to {len(bakes)} maps of {pixels:.0f} Mpx: {took:.1f} s, "
        f"{100 * busy / cores:.0f} % of {cores} cores busy (wanted: over 85 %)"
    )


if __name__ == "__main__":
    compiling.ensure()
    one_procedural()
    many(MATERIALS)
