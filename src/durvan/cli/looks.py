"""The commands that look: swatches, renders, drifts. Imported when one of them is asked for, as compiled code loads."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from rich.console import Console
from rich.table import Table

from durvan.cli.printing import told
from durvan.crossing.job.judging import judge
from durvan.crossing.job.measuring import measuring
from durvan.crossing.job.session import Session
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.crossing.looks.fitting import fit_all
from durvan.crossing.looks.pairs import unfitted
from durvan.engine import compiling, staging, swatches
from durvan.engine.gathering import Gathering
from durvan.errors import DurvanError, MisuseError, RenderingError
from durvan.formats import pictures
from durvan.formats.table import reader
from durvan.optics.tone import developed, srgb
from durvan.progress import Report, Step
from durvan.proof import writing
from durvan.record.gallery import gallery
from durvan.record.page import Gallery
from durvan.scene.drift import Drift
from durvan.scene.model import Thing

_PICTURES = (".exr", ".png", ".tif", ".tiff")


def _checked(out: Path, passes: bool = False) -> None:
    if passes and out.suffix.lower() != ".exr":
        raise MisuseError("passes are written into an .exr.", advice="Name the picture so, or leave --passes out.")
    if out.suffix.lower() not in _PICTURES or not out.absolute().parent.is_dir():
        raise DurvanError(f"a picture is written as {', '.join(_PICTURES)}, into a folder that exists.", file=out)


def _write(out: Path, linear: NDArray[Any], display: NDArray[np.float64]) -> None:
    values = linear if out.suffix.lower() == ".exr" else display
    try:
        pictures.save(out, values.astype(np.float32))
    except OSError as problem:
        raise DurvanError(f"cannot be written: {problem}", file=out) from problem


_LOG = logging.getLogger(__name__)


def guess(session: Session, report: Report) -> None:
    """Have a first guess at every drift in scope among what is known; where nothing can be rendered there is none."""
    things = materials(session.scene, session.plan.translations)
    if not things:
        return
    try:
        seen = measuring(session, report)
        found = {}
        for done, thing in enumerate(things):
            report(Step(f"Guessing at {thing.name}", done, len(things)))
            found[session.key_of(thing)] = seen.guess(thing, session.plan.translations[thing.id])
        known = seen.traits(things, session.evidence.bodies)
    except RenderingError as problem:
        _LOG.warning("Nothing is said of looks: %s", problem)
        return
    session.measured(found)
    session.recognised(known or {})
    session.renew(report)


def pictured(session: Session, report: Report) -> Gallery | None:
    """Pictures for a record, and the drifts that stand beside them; none where nothing can be rendered."""
    try:
        return gallery(session, report)
    except RenderingError as problem:
        _LOG.warning("The record has no pictures: %s", problem)
        return None


def _material(session: Session, wanted: str) -> Thing:
    for thing in materials(session.scene, session.plan.translations):
        if wanted in (thing.id, thing.name):
            return thing
    names = [thing.name for thing in materials(session.scene, session.plan.translations)]
    listed = ", ".join(names[:12]) + (" and more" if len(names) > 12 else "")
    raise MisuseError(f"no material is called '{wanted}'.", advice=f"There are {listed or 'none'}.")


def swatch(session: Session, wanted: str, out: Path, samples: int, report: Report) -> str:
    """Write both sides' swatches; gives the drift as a sentence."""
    _checked(out)
    thing = _material(session, wanted)
    seen = measuring(session, report)
    translation = session.plan.translations[thing.id]
    report(Step(f"Measuring {thing.name}"))
    found = seen.drift(thing, translation)
    rows = []
    for look in (seen.source(thing, translation), seen.target(thing, translation)):
        maker = seen.makers.of(look)
        for level in [level for level in swatches.LEVELS if 2 * level < samples] + [(samples + 1) // 2]:
            report(Step("Rendering swatches", 2 * level, samples))
            maker.to(level)
        rows.append(np.concatenate(list(maker.swatch().pictures), axis=1))
    both = np.concatenate(rows, axis=0).astype(np.float64)
    _write(out, both, srgb(both))
    assert found is not None
    return (
        f"drift {found.mean:.2f} ± {found.noise:.2f}, {found.grade or '; '.join(('not all measured', *found.caveats))}"
    )


def render(
    session: Session, wanted: str, out: Path, samples: int, size: tuple[int, int], target: bool, passes: bool,
    report: Report,
) -> list[str]:  # fmt: skip
    """Write a render; gives what the renderer has to say of the scene."""
    _checked(out, passes)
    eye = staging.choose_camera(session.scene, wanted)
    compiling.ensure(report)
    staged = _staged(session, eye, size, target, report)
    gathered = Gathering(staged)
    while gathered.samples < samples:
        report(Step("Rendering", gathered.samples, samples))
        gathered.add(min(4, samples - gathered.samples))
    if passes:
        writing.save(gathered.picture(), out, gathered.more(), _made(session, target, eye, gathered.samples))
    else:
        picture = gathered.rgb()
        _write(out, picture, developed(picture, staged.sampling.response))
    return staged.notes


def _staged(session: Session, eye: Thing, size: tuple[int, int], target: bool, report: Report) -> staging.Staged:
    """A side of a crossing, ready to be seen by a camera."""
    session.look_at_shapes(report)
    things = session.plan.target_things if target else session.scene.own
    report(Step("Reading shapes"))
    file = Path(session.scene.file)
    shapes = reader(file).shapes(file, report)
    unseen = session.plan.choices.unseen if target else ()
    return staging.stage(session.scene, shapes, things, session.registry, eye.id, size, unseen)


def render_outside(
    session: Session, wanted: str, out: Path, samples: int, size: tuple[int, int], target: bool, passes: bool,
    limit: float, report: Report,
) -> list[str]:  # fmt: skip
    """Render a side with Mitsuba; gives what was left out, and what it has to say. Its messages become findings. With `passes` each light is
    rendered by itself, and ids, depths and normals are what the same camera sees first.
    """
    _checked(out, passes)
    found = judge(session, target, wanted, samples, size, limit, report, by_lights=passes)
    session.heard(found.messages)
    session.renew(report)
    if passes:
        eye = staging.choose_camera(session.scene, wanted)
        compiling.ensure(report)
        film = Gathering(_staged(session, eye, size, target, report))
        writing.save(
            film.told(found.as_picture()), out, film.more(found.samples), _made(session, target, eye, found.samples)
        )
    else:
        _write(out, found.picture, developed(found.picture, found.response))
    return found.notes()


def _made(session: Session, target: bool, eye: Thing, samples: int) -> dict[str, Any]:
    """What a picture was made from, for its header."""
    side = "target" if target else "source"
    return {"scene": str(session.scene.file), "side": side, "camera": eye.id, "samples": samples}


def drift(session: Session, fit: bool, report: Report) -> list[dict[str, Any]]:
    """Measure every material in scope, the worst first; with `fit`, better them and say what is left."""
    seen = measuring(session, report)
    things = materials(session.scene, session.plan.translations)
    found: dict[str, Drift] = {}
    for done, thing in enumerate(things):
        report(Step(f"Measuring {thing.name}", done, len(things)))
        measured = seen.drift(thing, session.plan.translations[thing.id])
        assert measured is not None
        found[thing.id] = measured
        session.measured({session.key_of(thing): measured})
    before: Mapping[str, Drift] = {}
    if fit:
        before = _fit(session, seen, things, report)
        found.update((thing.id, drift) for thing in things if (drift := session.drift(thing.id)) is not None)
    session.renew(report)
    rows = [
        {
            "material": thing.id, "drift": round(found[thing.id].mean, 3), "worst": round(found[thing.id].worst, 3),
            "noise": round(found[thing.id].noise, 3), "lighting": found[thing.id].lighting,
            "grade": found[thing.id].grade or None, "caveats": list(found[thing.id].caveats), "before_fit": round(before[thing.id].mean, 3) if thing.id in before else None,
        }
        for thing in things
    ]  # fmt: skip
    return sorted(rows, key=lambda row: (-float(row["drift"]), row["material"]))  # type: ignore[arg-type]


def _fit(session: Session, seen: Appearance, things: list[Thing], report: Report) -> Mapping[str, Drift]:
    """Fit what nobody has put values into yet; the drifts before, of those that got better."""
    noted = {note.thing for note in session.document.notes}
    wanted = [thing.id for thing in things if thing.id not in noted]
    report(Step("Fitting"))
    better = fit_all(seen, unfitted(session.plan, session.registry, wanted, session.now.view.used_by))
    if better is None or better.change is None:
        return {}
    session.do("Fit", better.change)
    session.measured(better.drifts)
    session.renew(report)
    return better.before


def tell_drift(rows: list[dict[str, Any]], limit: float, console: Console) -> None:
    """The drifts as a table."""
    table = Table(box=None, pad_edge=False)
    table.add_column("material")
    for name in ("drift", "± noise", "worst 5 %", "before the fit"):
        table.add_column(name, justify="right")
    table.add_column("under")
    table.add_column("")
    for row in rows:
        name = told(row["material"].rsplit("/", 1)[-1])
        was = f"{row['before_fit']:.2f}" if row["before_fit"] is not None else ""
        table.add_row(
            name,
            f"{row['drift']:.2f}",
            f"{row['noise']:.2f}",
            f"{row['worst']:.2f}",
            was,
            row["lighting"],
            row["grade"] or "not all measured",
        )
    console.print(table)
    over = sum(1 for row in rows if row["drift"] > limit)
    console.print(f"{len(rows)} materials, {over} over the limit of {limit:g} (CIEDE2000).")
