"""Findings about what a camera looks through because it clips it away."""

from __future__ import annotations

import math
from collections.abc import Iterator

from durvan.crossing.document.changes import HideFromCameras, MoveForward
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.light.report import Sight
from durvan.crossing.translation.choices import Advance
from durvan.scene.model import Kind, Solid, Thing

_BETTER = 0.03  # of the picture by which another way to move has to keep more of it to be offered
_SEEN = 0.001  # of the picture that a blocker has to cover to count


def clipping(view: View) -> Iterator[Finding]:
    """A near clip that hides something, when the target does not clip: what will come into the picture, by rays where they
    have been shot, by boxes before that.
    """
    if view.target.identity.abilities.get("near_clip", True):
        return
    moved = {one.thing for one in view.plan.choices.advances}
    for thing in view.carried:
        if thing.kind is not Kind.CAMERA or thing.id in moved:
            continue
        metres = view.translation(thing).common.get("clip_near", 0.0)
        if not isinstance(metres, float) or metres <= 0.0:
            continue
        report = view.balance
        if report is not None and report.camera == thing.id:
            yield from _by_rays(view, thing, metres, report.sight)
        else:
            yield _by_boxes(view, thing, metres)


def _by_boxes(view: View, thing: Thing, metres: float) -> Finding:
    scene, target = view.scene, view.target
    hidden = [solid for solid in scene.solids if _between(thing, solid, metres / scene.metres_per_unit)]
    names = ", ".join(solid.path.rsplit("/", 1)[-1] for solid in hidden[:4]) or "nothing by its bounds"
    return Finding(
        "near-clip", Level.LOOK if hidden else Level.NOTE, "The camera looks through what it clips away",
        f"nothing nearer than {metres:g} m is seen; {names} stands there", f"{target.title} does not clip, so it will show",
        thing.id, "clip_near", "Light", (("near clip", f"{metres:g} m"), ("stands between", names)),
    )  # fmt: skip


def _by_rays(view: View, thing: Thing, metres: float, sight: Sight) -> Iterator[Finding]:
    unseen = view.plan.choices.unseen
    blockers = [one for one in sight.blockers if one.share >= _SEEN and one.path not in unseen]
    if sight.blockers and not blockers:
        return
    names = ", ".join(one.path.rsplit("/", 1)[-1] for one in blockers[:4]) or "nothing"
    remedies: tuple[Remedy, ...] = ()
    if blockers and sight.subject > metres:
        forward = MoveForward(thing=thing.id, advance=Advance(thing=thing.id, metres=metres, subject=sight.subject))
        remedies = (Remedy("Move the camera to its clip", "Move all {count} cameras to their clips", forward),)
        if sight.kept < sight.moved - _BETTER and sight.keeps > metres:
            wide = MoveForward(thing=thing.id, advance=Advance(thing=thing.id, metres=metres, subject=sight.keeps))
            remedies = (
                *remedies,
                Remedy("Move it and keep most of the frame", "Move all {count} and keep most of their frames", wide),
            )
    apart = all(one.seen < _SEEN for one in sight.blockers)  # else a part of the picture would go too
    if blockers and apart and sight.cleared and view.target.identity.abilities.get("hides_from_camera", False):
        hide = HideFromCameras(objects=tuple(one.path for one in sight.blockers))
        remedies = (Remedy("Hide it from the cameras", "Hide what stands before all {count}", hide), *remedies)
    evidence = (
        ("near clip", f"{metres:g} m"), ("subject", f"{sight.subject:.3g} m"), ("of the picture", f"{100.0 * sight.share:.1f} %"),
        *((one.path.rsplit("/", 1)[-1], f"{100.0 * one.share:.1f} %") for one in blockers[:6]),
        *((("other things after a move", f"{100.0 * sight.moved:.0f} % of the picture"),) if remedies else ()),
        *((("with most of the frame kept", f"{100.0 * sight.kept:.0f} %"),) if sight.kept < sight.moved - _BETTER else ()),
    )  # fmt: skip
    yield Finding(
        "near-clip", Level.LOOK if blockers else Level.NOTE, "The camera looks through what it clips away",
        f"nothing nearer than {metres:g} m is seen; {names} stands there",
        f"{view.target.title} does not clip, so it will cover {100.0 * sight.share:.0f} % of the picture"
        if blockers else f"{view.target.title} does not clip; nothing stands there, so nothing changes",
        thing.id, "clip_near", "Light", evidence, remedies,
    )  # fmt: skip
    if sight.outside and blockers:
        yield Finding(
            "camera-outside", Level.LOOK, "The camera stands outside of a closed room",
            f"its subject is shut in, and {names} lies between", "without a clip it sees the outside, most of it dark",
            thing.id, "", "Light", evidence, remedies,
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
