"""A scene in which everything there is two of ends alike: materials, their pictures, meshes, cameras, lights."""

from __future__ import annotations

from pathlib import Path

_ROOM = """
def Xform "{room}"
{{
    double3 xformOp:translate = ({x}, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Mesh "Panel" (prepend apiSchemas = ["MaterialBindingAPI"])
    {{
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-50, -50, 0), (50, -50, 0), (50, 50, 0), (-50, 50, {bulge})]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] (interpolation = "varying")
        rel material:binding = </{room}/Looks/Paint>
    }}
    def Camera "Eye"
    {{
        float focalLength = {focal}
        double3 xformOp:translate = (0, 0, 300)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }}
    def SphereLight "Lamp"
    {{
        token orvik:kind = "ball"
        float inputs:intensity = {intensity}
        float inputs:radius = 5
        double3 xformOp:translate = (0, 0, 200)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }}
    def Scope "Looks"
    {{
        def Material "Paint"
        {{
            token outputs:orvik:surface.connect = </{room}/Looks/Paint/finish.outputs:out>
            def Shader "finish"
            {{
                uniform token info:id = "orvik.finish"
                color3f inputs:base_tint.connect = </{room}/Looks/Paint/c.outputs:colour>
                token outputs:out
            }}
            def Shader "c"
            {{
                uniform token info:id = "orvik.chequer"
                color3f inputs:first = ({tint})
                color3f inputs:second = ({tint})
                float2 inputs:repeats = ({repeats}, 4)
                color3f outputs:colour
            }}
        }}
    }}
}}
"""
TINTS = {"North": (0.7, 0.1, 0.1), "South": (0.1, 0.1, 0.7)}
FOCAL = {"North": 30.0, "South": 60.0}


def twins(folder: Path, rooms: tuple[str, ...] = ("North", "South"), name: str = "twins.usda") -> Path:
    """Write it. The rooms stand 4 m apart; one is red and seen wide, the other blue and seen near."""
    folder.mkdir(parents=True, exist_ok=True)
    parts = [
        _ROOM.format(
            room=room, x=400 * number, tint=", ".join(map(str, TINTS[room])), focal=FOCAL[room], intensity=2000 * (number + 1), bulge=10 * number,
            repeats=3 + number,
        )
        for number, room in enumerate(rooms)
    ]  # fmt: skip
    file = folder / name
    file.write_text('#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\n' + "".join(parts), encoding="utf-8")
    return file
