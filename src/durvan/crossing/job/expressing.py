"""A side of a crossing as a scene for a real renderer: the source as it is, or the target as it will be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.choices import Placement
from durvan.engine.engines import Engine
from durvan.errors import MisuseError
from durvan.formats.table import named, reader
from durvan.progress import Report, Step, silent
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing

ENGINE = Engine.MITSUBA
_OFF = (Fate.LOST, Fate.HELD)


@dataclass(frozen=True)
class Expressed:
    """The file, the crossing that it comes of, and what is left out in it: things by name, each with its reasons. `called` says how things of the
    scene are called in the file, by their paths.
    """

    file: Path
    session: Session
    left_out: dict[str, list[str]]
    called: Mapping[str, tuple[str, ...]]
    remarks: tuple[str, ...] = ()

    def thing(self, name: str) -> str:
        """The path of what is called so in the file; the name itself where nothing of the scene is."""
        return next((thing for thing, names in self.called.items() if name in names), name)

    def camera(self, eye: Thing) -> int:
        """Which of the file's cameras is a thing, in the file's order. Raises MisuseError where it is not among them."""
        there = [one.name for one in reader(self.file).read(self.file, silent).things if one.kind is Kind.CAMERA]
        for name in self.called.get(eye.id, ()):
            if name in there:
                return there.index(name)
        raise MisuseError(
            f"{eye.name} has no counterpart to render by.", advice=f"There are {', '.join(there) or 'none'}."
        )


def express(session: Session, target: bool, folder: Path, report: Report = silent, aspect: float = 0.0) -> Expressed:
    """Write a side of a crossing for Mitsuba into a folder, for pictures of an aspect where that is not the scene's. Raises the errors of carrying."""
    ending = named(session.registry.get(ENGINE).identity.formats[0]).writes[0]
    out = folder / f"{'target' if target else 'source'}{ending}"
    source = Path(session.scene.file)
    dialect = session.document.source_dialect
    first: Mapping[
        str, tuple[str, ...]
    ] = {}  # what things are called in the file that is expressed, where that is another than the source
    if target and session.document.target == ENGINE:
        report(Step("Writing for Mitsuba"))
        twin = session.snapshot()
        done = twin.carry(out, report)
        return Expressed(out, twin, _left_out(twin), done.names, tuple(done.remarks))
    if target:
        report(Step("Writing the target"))
        made = folder / f"carried{named(session.plan.format).writes[0]}"
        alone = session.snapshot()
        alone.put_choices(
            "Write it alone", {"placement": Placement.ALONE}
        )  # else the source's own lights are in it, too
        first = alone.carry(made, report).names
        source, dialect = made, session.document.target
    if not target and session.scene.dialect == ENGINE and source.suffix == ending:
        return Expressed(source, session, {}, {thing.id: (thing.name,) for thing in session.scene.own})
    judged = start(source, session.registry, ENGINE, dialect, report=report, roots=session.user_roots, aspect=aspect)
    done = judged.carry(out, report)
    called = {
        thing: tuple(name for path in paths for name in done.names.get(path, ())) for thing, paths in first.items()
    }
    return Expressed(out, judged, _left_out(judged), called or done.names, tuple(done.remarks))


def _left_out(session: Session) -> dict[str, list[str]]:
    """What has no counterpart and shows, by thing."""
    out: dict[str, list[str]] = {}
    for thing, translation in session.plan.translations.items():
        said = [row.reason for row in translation.rows if row.fate in _OFF and row.reason]
        if said:
            out[thing] = list(dict.fromkeys(said))
    return out
