"""The one way into measuring looks: the renderer's code is there, what wears the materials has been looked at, and only then are looks made."""

from __future__ import annotations

from pathlib import Path

from durvan.crossing.job.session import Session
from durvan.crossing.looks.appearance import Appearance
from durvan.engine import compiling, swatches
from durvan.formats.table import reader
from durvan.progress import Report, silent
from durvan.scene.shapes import Shapes


def measuring(session: Session, report: Report = silent, known: Shapes | None = None) -> Appearance:
    """What measures a crossing's materials, as they stand then: a plan that has not seen the shapes is another one. Shapes that were read
    already are `known`. Raises RenderingError.
    """
    compiling.ensure(report)
    session.look_at_shapes(report, always=True)
    file = Path(session.scene.file)

    def shapes() -> Shapes:
        return known if known is not None else reader(file).shapes(file, report)

    return Appearance(session.scene, session.registry, swatches.cache_folder(), shapes)
