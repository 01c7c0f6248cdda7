"""Make `src/durvan/formats/materialx/definitions.json` from the node definitions that the installed MaterialX carries.

Of each: its name, its category, its outputs and inputs with their types, and the inputs' defaults. Run it after the wheel of
MaterialX was changed: `.venv/bin/python tools/node_definitions.py`.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import MaterialX as mx

OUT = Path(__file__).parents[1] / "src/durvan/formats/materialx/definitions.json"
LEFT_OUT = {"translation", "light", "colortransform", ""}  # groups that no material is made of
OPEN_SURFACES = {"open_pbr_surface", "standard_surface", "gltf_pbr", "UsdPreviewSurface"}
STANDARD = ("stdlib_defs.mtlx", "pbrlib_defs.mtlx", "nprlib_defs.mtlx")


def definitions() -> list[list[Any]]:
    """Every definition of the standard libraries, and of the open surfaces."""
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    return [_row(one) for one in sorted(document.getNodeDefs(), key=lambda one: one.getName()) if _wanted(one)]


def _wanted(one: Any) -> bool:
    group, category = one.getNodeGroup(), one.getNodeString()
    if group in LEFT_OUT:
        return False
    return (
        one.getSourceUri().endswith(STANDARD)
        or category in OPEN_SURFACES
        or category.startswith(("gltf_", "open_pbr_", "Usd"))
    )


def _row(one: Any) -> list[Any]:
    inputs = [[i.getName(), i.getType(), _default(i)] for i in one.getActiveInputs()]
    outputs = [[o.getName(), o.getType()] for o in one.getActiveOutputs()]
    return [one.getName(), one.getNodeString(), one.getVersionString(), outputs, inputs]


def _default(one: Any) -> str:
    return one.getValueString() or (f"@{one.getDefaultGeomPropString()}" if one.getDefaultGeomPropString() else "")


if __name__ == "__main__":
    rows = ",\n".join(json.dumps(row, separators=(",", ":")) for row in definitions())
    OUT.write_text(f"[\n{rows}\n]\n", encoding="utf-8")
