"""Findings about cameras."""

from __future__ import annotations

import math
from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View
from durvan.scene.model import Kind, Solid, Thing


def clipping(view: View, thing: Thing) -> Iterator[Finding]:
    """A near clip that hides something, when the target does not clip: what will come into the picture."""
    if thing.kind is not Kind.CAMERA or view.target.identity.abilities.get("near_clip", True):
        return
    scene, target = view.scene, view.target
    metres = view.translation(thing).common.get("clip_near", 0.0)
    if not isinstance(metres, float) or metres <= 0.0:
        return
    hidden = [solid for solid in scene.solids if _between(thing, solid, metres / scene.metres_per_unit)]
    names = ", ".join(solid.path.rsplit("/", 1)[-1] for solid in hidden[:4]) or "nothing by its bounds"
    yield Finding(
        "near-clip", Level.LOOK if hidden else Level.NOTE, "The camera looks through what it clips away",
        f"nothing nearer than {metres:g} m is seen; {names} stands there", f"{target.title} does not clip, so it will show",
        thing.id, "clip_near", "Survey", (("near clip", f"{metres:g} m"), ("stands between", names)),
    )  # fmt: skip


def _between(camera: Thing, solid: Solid, near: float) -> bool:
    """Whether a box meets the axis of the camera's view before the near distance (in the stage's unit)."""
    context = camera.context
    start = tuple(context.get(f"eye_{axis}", 0.0) for axis in "xyz")
    direction = tuple(context.get(f"look_{axis}", 0.0) for axis in "xyz")
    enter, leave = 0.0, near
    for place, way, low, high in zip(start, direction, solid.low, solid.high, strict=True):
        if abs(way) < 1e-12:
            if place < low or place > high:
                return False
            continue
        first, second = sorted(((low - place) / way, (high - place) / way))
        enter, leave = max(enter, first), min(leave, second)
    return enter <= leave and math.isfinite(leave)
