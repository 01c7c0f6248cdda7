"""Baked pictures are put beside the target: painted, or taken from where they were painted before."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from durvan.crossing.translation.plan import Plan
from durvan.dialects.registry import Registry
from durvan.engine import compiling, staging
from durvan.errors import SceneFileError
from durvan.graph.expression import UDIM
from durvan.progress import Report, Step, silent
from durvan.replacing import replacing


class Painter:
    """Puts the baked pictures of one plan in their places."""

    def __init__(self, plan: Plan, registry: Registry) -> None:
        self.bakes = {bake.path: bake for one in plan.translations.values() for bake in one.bakes}
        self.facts = staging.facts_of(plan.scene, registry)

    def put_all(self, wanted: Mapping[Path, str], report: Report = silent) -> None:
        """Put pictures in their places, as many at a time as there are cores. Raises as `put` does; `report` may raise Stopped."""
        compiling.ensure()
        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            waiting = [pool.submit(self.put, place, made) for place, made in wanted.items()]
            try:
                for count, one in enumerate(waiting):
                    report(Step("Painting pictures", count, len(waiting)))
                    one.result()
            finally:
                for one in waiting:
                    one.cancel()

    def put(self, place: Path, made: str) -> None:
        """Put one picture, or all tiles of one, in its place. Raises SceneFileError and RenderingError."""
        compiling.ensure()
        source = Path(self.facts.paint(self.bakes[made]))
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            for file in sorted(source.parent.glob(source.name.replace(UDIM, "[0-9][0-9][0-9][0-9]"))):
                name = place.name.replace(UDIM, file.name[len(source.name.partition(UDIM)[0]) :][:4])
                with replacing(place.parent / name) as part:
                    shutil.copyfile(file, part)
        except OSError as problem:
            raise SceneFileError(f"cannot be written: {problem}.", file=place) from problem
