"""The lamp room with many more lights in it, for measuring what grows with them."""

from __future__ import annotations

import random
from pathlib import Path

SCENE = Path(__file__).parent.parent / "demo" / "lamproom" / "lamproom.usda"
_LIGHT = """    def {kind} "More{number}"
    {{
        {size}
        custom float orvik:gain = {gain:.3f}
        custom float orvik:kelvin = {kelvin:.0f}
        custom token orvik:measure = "lumen"
        custom bool orvik:use_kelvin = 1
        double3 xformOp:translate = ({x:.2f}, {y:.2f}, {z:.2f})
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }}
"""
_SIZES = {
    "SphereLight": "float inputs:radius = 4", "DiskLight": "float inputs:radius = 12",
    "RectLight": "float inputs:width = 30\n        float inputs:height = 20",
}  # fmt: skip


def lamp_room(file: Path, count: int) -> Path:
    """Write a scene that is the lamp room and `count` lights more, of three kinds in turn."""
    draw = random.Random(count)
    kinds = list(_SIZES)
    lights = "".join(
        _LIGHT.format(
            kind=kinds[number % 3], number=number, size=_SIZES[kinds[number % 3]], gain=draw.uniform(20.0, 400.0),
            kelvin=draw.uniform(2200.0, 8000.0), x=draw.uniform(-180.0, 180.0), y=draw.uniform(120.0, 260.0),
            z=draw.uniform(-180.0, 180.0),
        )
        for number in range(count)
    )  # fmt: skip
    file.write_text(
        f'#usda 1.0\n(\n    defaultPrim = "LampRoom"\n    metersPerUnit = 0.01\n    subLayers = [@{SCENE.resolve()}@]\n    upAxis = "Y"\n)\n'
        f'def Scope "More"\n{{\n{lights}}}\n',
        encoding="utf-8",
    )
    return file
