"""The process that Mitsuba runs in: reads a scene as JSON, renders it, and writes the pictures. Not imported by others."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np


def _with_transforms(mi: Any, part: Any) -> Any:
    if isinstance(part, dict):
        made = {}
        for key, value in part.items():
            is_matrix = key == "to_world"
            made[key] = mi.ScalarTransform4f(np.array(value)) if is_matrix else _with_transforms(mi, value)
        return made
    return part


def main(given: Path, out: Path) -> None:
    """Render what `given` describes into `out` (.npz with `runs` and `seconds`, of processor time)."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    asked = json.loads(given.read_text(encoding="utf-8"))
    scene = mi.load_dict(_with_transforms(mi, asked["scene"]))
    mi.render(scene, spp=1, seed=999)
    runs = []
    start = time.process_time()  # of all its threads
    for run in range(asked["runs"]):
        runs.append(np.array(mi.render(scene, spp=asked["samples"], seed=run + 1)))
    seconds = time.process_time() - start
    np.savez(out, runs=np.array(runs, dtype=np.float32), seconds=seconds)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
