"""Small scenes made on the spot, and ways to look at what became of them."""

from __future__ import annotations

from pathlib import Path

from durvan.crossing.findings import Finding, View
from durvan.crossing.findings.rules import look_over
from durvan.crossing.outside.lookup import look, seen
from durvan.crossing.outside.uses import uses_of
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.result import Translation
from durvan.delivery import Beside, manifest_of
from durvan.dialects.registry import Registry
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Kind, Scene, Thing

Spec = dict[str, tuple[str, dict[str, Value], dict[str, tuple[str, str]]]]


def with_files(scene: Scene) -> Scene:
    """A scene with its files as they are now."""
    return seen(scene, look(scene))


def material(dialect: str, nodes: Spec, root: str = "surface", name: str = "Paint") -> Thing:
    """A material of nodes: name → (kind, values, links as port → (node, output))."""
    graph = Graph()
    for node, (kind, values, links) in nodes.items():
        graph.add(Node(node, kind, dict(values), {p: Link(*to) for p, to in links.items()}))
    graph.outputs["surface"] = Link(root)
    return Thing(f"/Set/{name}", name, Kind.MATERIAL, graph, dialect)


def single(dialect: str, kind: str, values: dict[str, Value], of: Kind = Kind.LIGHT, name: str = "Lamp") -> Thing:
    """A light, a camera or settings."""
    graph = Graph()
    graph.add(Node(name, kind, dict(values)))
    graph.outputs[of.value] = Link(name)
    return Thing(f"/Set/{name}", name, of, graph, dialect)


def values_of(translation: Translation, node: str = "") -> dict[str, Value]:
    """The target's values on a node; on the first when none is named."""
    nodes = translation.graph.nodes
    return nodes[node].values if node else next(iter(nodes.values())).values


def beside(file: Path) -> Beside:
    """What lies beside a target that was delivered, by the names that it has."""
    return Beside(file, ours=manifest_of(file).files)


def findings_in(planned: Plan, packs: Registry, **found: object) -> list[Finding]:
    """All findings of a plan; `found` are verdicts and drifts."""
    return list(look_over(View(planned, packs, uses_of(planned.scene, packs), **found)))


def write(folder: Path, text: str, name: str = "scene.usda") -> Path:
    """A usda file."""
    file = folder / name
    file.write_text(text, encoding="utf-8")
    return file


SMALL = """#usda 1.0
(
    defaultPrim = "W"
    metersPerUnit = 0.01
    upAxis = "Y"
)
def Xform "W"
{
    def Material "Paint"
    {
        token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint = (0.2, 0.3, 0.4)
            float inputs:polish = 0.6
            token inputs:polish_curve = "trowbridge"
            EXTRA
            token outputs:out
        }
        MORE
    }
}
"""


def small(extra: str = "", more: str = "") -> str:
    """A scene of one Orvik material, with lines on its finish and prims beside it."""
    return SMALL.replace("EXTRA", extra).replace("MORE", more)


# A red wall in the dialect of Orvik, a sky, and a camera before it
LIT_WALL = """#usda 1.0
(
    defaultPrim = "W"
    metersPerUnit = 0.01
    upAxis = "Y"
)
def Xform "W"
{
    def Mesh "Wall" (prepend apiSchemas = ["MaterialBindingAPI"])
    {
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-50, -30, -100), (50, -30, -100), (50, 30, -100), (-50, 30, -100)]
        rel material:binding = </W/Paint>
    }
    def Material "Paint"
    {
        token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint = (0.8, 0.1, 0.1)
            color3f inputs:mirror_tint = (0, 0, 0)
            token outputs:out
        }
    }
    def DomeLight "Sky"
    {
        float orvik:gain = 0.003
    }
    def Camera "Eye"
    {
        float focalLength = 35
    }
}
"""

# a sheet of a square metre, which wears what is to follow
SHEET = """#usda 1.0
(
    defaultPrim = "W"
    metersPerUnit = 1
    upAxis = "Y"
)
def Xform "W"
{
    def Mesh "sheet" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-0.5, 0, 0.5), (0.5, 0, 0.5), (0.5, 0, -0.5), (-0.5, 0, -0.5)]
        texCoord2f[] primvars:st = [(0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)] ( interpolation = "vertex" )
        rel material:binding = </W/Paint>
    }
"""

# in noise of its places, which other dialects have no word for
NOISY = (
    SHEET
    + """    def Material "Paint"
    {
        token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint.connect = </W/Paint/blend.outputs:colour>
            token outputs:out
        }
        def Shader "blend"
        {
            uniform token info:id = "orvik.blend"
            color3f inputs:ground = (0.2, 0.1, 0.1)
            color3f inputs:map_1.connect = </W/Paint/noise.outputs:colour>
            float inputs:share_1 = 1
            token inputs:mode_1 = "add"
            color3f outputs:colour
        }
        def Shader "noise"
        {
            uniform token info:id = "orvik.noise"
            color3f inputs:high = (0.6, 0.4, 0.3)
            float inputs:size = 20
            color3f outputs:colour
        }
    }
}
"""
)
