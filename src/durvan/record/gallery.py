"""Pictures for a record: both swatches of every material, and the camera's view of both sides."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from durvan.crossing.job.measuring import measuring
from durvan.crossing.job.session import Session
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.dialects.look import Record
from durvan.engine import renderer, staging
from durvan.formats.pictures import png
from durvan.formats.table import reader
from durvan.optics.tone import developed, srgb
from durvan.progress import Report, Step, silent
from durvan.record.page import Gallery
from durvan.scene.model import Kind, Thing

MOST = 300  # materials that have pictures; those that drift most come first
VIEW, SAMPLES = (480, 270), 16


def gallery(session: Session, report: Report = silent) -> Gallery:
    """Measure and picture what a record shows; drifts go into the session. Raises RenderingError."""
    seen = measuring(session, report)
    things = materials(session.scene, session.plan.translations)
    known = {thing.id: session.drift(thing.id) for thing in things}
    things.sort(key=lambda thing: -drift.mean if (drift := known[thing.id]) is not None else 0.0)
    made: dict[str, tuple[bytes, bytes]] = {}
    for done, thing in enumerate(things[:MOST]):
        report(Step(f"Picturing {thing.name}", done, min(len(things), MOST)))
        translation = session.plan.translations[thing.id]
        found = seen.drift(thing, translation)
        if found is not None:
            session.measured({session.key_of(thing): found})
        made[thing.id] = (_strip(seen, seen.source(thing, translation)), _strip(seen, seen.target(thing, translation)))
    session.recognised(seen.traits(things, session.evidence.bodies) or {})
    session.renew(report)
    camera = next(iter(session.scene.of(Kind.CAMERA)), None)
    views = _views(session, camera, report) if camera is not None else ()
    return Gallery(made, views, camera.name if camera is not None else "")


def _strip(seen: Appearance, look: Record) -> bytes:
    maker = seen.makers.of(look)
    maker.to(8)
    maker.keep()
    return png(srgb(np.concatenate(list(maker.swatch().pictures), axis=1).astype(np.float64)))


def _views(session: Session, camera: Thing, report: Report) -> tuple[bytes, ...]:
    file = Path(session.scene.file)
    shapes = reader(file).shapes(file, report)
    meant = {thing.id: thing for thing in session.plan.corrected}
    source = [meant.get(thing.id, thing) for thing in session.scene.own]
    out = []
    sides = (("source", source, ()), ("target", session.plan.target_things, session.plan.choices.unseen))
    for side, things, unseen in sides:
        staged = staging.stage(session.scene, shapes, things, session.registry, camera.id, VIEW, unseen)
        film = staged.film()
        while film.samples < SAMPLES:
            report(Step(f"Rendering the {side}", film.samples, SAMPLES))
            renderer.expose(
                staged.built, staged.camera, film, 4, staged.sampling.bounces, 8.0 / max(staged.view.scale, 1e-12)
            )
        out.append(png(developed(staged.exposed(film.picture), staged.sampling.response)))
    return tuple(out)
