"""What `light` does and says: the budget, both ladders, what does not match; and trims and policies from a file."""

from __future__ import annotations

import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal

import yaml
from pydantic import Field, ValidationError
from rich.console import Console
from rich.table import Table

from durvan.cli.printing import told
from durvan.crossing.document.changes import Choose, SetProbes
from durvan.crossing.document.document import PickedProbe
from durvan.crossing.findings.lights import in_stops
from durvan.crossing.job.session import Session
from durvan.crossing.light import measuring
from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.match import left
from durvan.crossing.light.report import LightReport, titled
from durvan.crossing.translation.choices import AddedLight, Advance, Chosen, SettingsSet, SkyPlace, Tinting, Trim
from durvan.engine import compiling, staging
from durvan.errors import CrossingFileError, MisuseError
from durvan.formats.table import reader
from durvan.progress import Report, Step
from durvan.regular import why_not
from durvan.scene.shapes import Shapes


class Handled(Chosen):
    """A file of what is to be done to the target's light; what it does not say stays as it is."""

    trims: tuple[Trim, ...] | None = None
    tints: tuple[Tinting, ...] | None = None
    added: tuple[AddedLight, ...] | None = None
    kept_off: tuple[str, ...] | None = None
    let_shine: tuple[str, ...] | None = None
    setup_names: tuple[str, ...] | None = None
    kelvin: Literal["all", "white", "leave"] | None = None
    advances: tuple[Advance, ...] | None = None
    unseen: tuple[str, ...] | None = None
    balanced: float | None = Field(default=None, ge=0.0, le=25000.0)
    sun_from: SkyPlace | None = None
    sets: tuple[SettingsSet, ...] | None = None
    in_use: str | None = None
    light_limit: float | None = Field(default=None, ge=0.0, le=20.0)


def take(session: Session, file: Path) -> None:
    """Take trims and policies from a YAML file. Raises CrossingFileError with the place inside it."""
    reason = why_not(file, 10_000_000)
    if reason:
        raise CrossingFileError(f"{reason}.", file=file)
    try:
        said = Handled.model_validate(yaml.safe_load(file.read_text(encoding="utf-8")) or {})
    except (yaml.YAMLError, UnicodeDecodeError) as problem:
        raise CrossingFileError(f"is no YAML: {' '.join(str(problem).split())[:200]}.", file=file) from problem
    except ValidationError as problem:
        first = problem.errors()[0]
        inside = ".".join(str(part) for part in first["loc"])
        raise CrossingFileError(f"{first['msg']}.", file=file, inside=inside) from problem
    known = {"everything", "environment", *session.scene.things}
    for trim in said.trims or ():
        if trim.subject not in known and not trim.subject.startswith("kind:"):
            raise CrossingFileError(
                f"nothing is called '{trim.subject}'.", file=file, inside="trims",
                advice="A subject is everything, environment, kind: and a kind of light, or a thing's path.",
            )  # fmt: skip
    for inside in ("kept_off", "let_shine"):
        for thing in getattr(said, inside) or ():
            if thing not in session.scene.things:
                raise CrossingFileError(f"nothing is called '{thing}'.", file=file, inside=inside)
    if said.in_use and said.in_use not in {one.name for one in (*session.document.sets, *(said.sets or ()))}:
        raise CrossingFileError(f"no set of settings is called '{said.in_use}'.", file=file, inside="in_use")
    update = {name: value for name in Handled.model_fields if (value := getattr(said, name)) is not None}
    session.put_choices("Take trims from a file", update)


def choose_camera(session: Session, wanted: str) -> None:
    """Look by another camera. Raises MisuseError with the names that there are."""
    session.do("Choose a camera", Choose(camera=staging.choose_camera(session.scene, wanted).id))


def probes_of(words: Iterable[str], metres_per_unit: float) -> tuple[PickedProbe, ...]:
    """Probes from the command line: x,y,z or x,y,z,nx,ny,nz in the scene's unit. Raises MisuseError."""
    out = []
    for number, word in enumerate(words, 1):
        try:
            parts = [float(part) for part in word.split(",")]
        except ValueError:
            parts = []
        if len(parts) not in (3, 6) or not all(map(math.isfinite, parts)):
            raise MisuseError(
                f"'{word}' is no place.",
                advice="A probe is x,y,z in the scene's unit, with a normal behind it if you like.",
            )
        x, y, z = (part * metres_per_unit for part in parts[:3])
        normal = (parts[3], parts[4], parts[5]) if len(parts) == 6 else (0.0, 0.0, 0.0)
        out.append(PickedProbe(name=f"probe {number}", place=(x, y, z), normal=normal))
    return tuple(out)


def measure(session: Session, report: Report) -> LightReport:
    """Measure the light of a crossing here. Raises MisuseError for a scene without a camera."""
    if not session.camera:
        raise MisuseError("the scene has no camera, so nothing says where its light matters.", advice="Put one in.")
    compiling.ensure(report)
    report(Step("Reading shapes"))
    file = Path(session.scene.file)
    shapes = reader(file).shapes(file, report)
    report(Step("Measuring the light"))
    session.lit(light_as(session, session.light_wanted(), shapes))
    session.renew(report)
    light = session.light
    assert light is not None
    return light


def light_as(session: Session, wanted: Wanted, shapes: Shapes) -> LightReport:
    """The light of a crossing, measured as is wanted, here and to the end."""
    sides = measuring.staged(session.scene, shapes, wanted, session.registry)
    found = measuring.measure(session.scene, sides, wanted, session.registry, shapes.up_axis)
    assert found is not None  # nothing stops it here
    return found


def light(session: Session, probes: Iterable[str], match: bool, report: Report) -> LightReport:
    """Measure, and trim until the budget matches when that is asked for."""
    picked = probes_of(probes, session.scene.metres_per_unit)
    if picked:
        session.do("Pick probes", SetProbes(probes=picked))
        session.renew(report)
    found = measure(session, report)
    if match:
        change = session.matching()
        if change is not None:
            session.do("Make the budget match", change)
            session.renew(report)
        found = session.light or found
    return found


def document(session: Session, report: LightReport) -> dict[str, Any]:
    """A report as plain data."""
    probes = []
    for place, probe in enumerate(report.probes):
        sides = {
            side: {
                "lux": report.sum(place, side), "key_to_fill": report.key_to_fill(place, side),
                "kelvin_duv": report.temperature(place, side),
            }
            for side in ("source", "target")
        }  # fmt: skip
        probes.append(
            {
                "name": probe.name, "place_m": probe.place, "normal": probe.normal, "on": probe.thing, **sides,
                "stops_apart": _finite(report.sum_apart(place)),
                "lights": [
                    {
                        "light": part.path, "part": part.part, "kind": part.what,
                        "source_lux": report.lux(part, place, "source"), "target_lux": report.lux(part, place, "target"),
                        "stops_apart": _finite(report.apart(part, place)), "share": report.share(part, place),
                    }
                    for part in report.parts
                ],
            }
        )  # fmt: skip
    rungs = _rungs(report)
    return {
        "to": session.document.target, "camera": session.camera, "limit": session.document.light_limit, "probes": probes,
        "ladder": [
            {"step": r.name, "source": _finite(r.source), "target": _finite(r.target), "unit": r.unit, "stops_apart": _finite(r.apart)}
            for r in rungs
        ],
        "trims": [trim.model_dump() for trim in session.document.trims],
        "not_matched": [
            {"light": one.about, "probe": one.probe, "stops_apart": _finite(one.apart), "why": one.why} for one in left(report)
        ],
        "notes": list(report.notes),
    }  # fmt: skip


def _finite(value: float | None) -> float | str | None:
    """A number that JSON knows, or the words for infinity."""
    if value is None or math.isfinite(value):
        return value
    return "only in the target" if value > 0.0 else "only in the source"


def _rungs(report: LightReport) -> list[Any]:
    return list(report.ladder.rungs(report.sum(0, "source"), report.sum(0, "target"))) if report.probes else []


def tell(session: Session, report: LightReport, console: Console) -> None:
    """Say it to a person: sums first, then each light, the ladder, and what does not match."""
    table = Table(box=None, pad_edge=False)
    for name in ("probe", "source lx", "target lx", "apart", "key to fill", "colour"):
        table.add_column(name, justify="left" if name == "probe" else "right")
    for place, probe in enumerate(report.probes):
        table.add_row(
            told(probe.name), f"{report.sum(place, 'source'):.4g}", f"{report.sum(place, 'target'):.4g}",
            in_stops(report.sum_apart(place)), " / ".join(_ratio(report.key_to_fill(place, s)) for s in ("source", "target")),
            " / ".join(_kelvin(report.temperature(place, s)) for s in ("source", "target")),
        )  # fmt: skip
    console.print(table)
    if not report.probes:
        console.print("The camera sees nothing, so there is nowhere to measure; give places with --probe.")
        return
    console.print()
    lights = Table(box=None, pad_edge=False)
    for name in ("light", "kind", f"source lx at {report.probes[0].name}", "target lx", "apart", "worst apart"):
        lights.add_column(told(name), justify="left" if name in ("light", "kind") else "right")
    for part in sorted(report.parts, key=lambda part: -max(report.missing(part, p) for p in range(len(report.probes)))):
        worst = max(range(len(report.probes)), key=lambda p: report.missing(part, p))
        lights.add_row(
            told(part.name), titled(part.what), f"{report.lux(part, 0, 'source'):.4g}",
            f"{report.lux(part, 0, 'target'):.4g}", in_stops(report.apart(part, 0)),
            f"{in_stops(report.apart(part, worst))} at {told(report.probes[worst].name)}",
        )  # fmt: skip
    console.print(lights)
    console.print()
    ladder = Table(box=None, pad_edge=False)
    for name in ("exposure", "source", "target", "unit", "apart"):
        ladder.add_column(name, justify="left" if name in ("exposure", "unit") else "right")
    for rung in _rungs(report):
        ladder.add_row(rung.name, f"{rung.source:.4g}", f"{rung.target:.4g}", rung.unit, in_stops(rung.apart))
    console.print(ladder)
    for trim in session.document.trims:
        console.print(f"trim      {told(trim.subject)}: {in_stops(trim.stops)}")
    for one in left(report):
        about = one.about.rpartition("/")[2] or "all light"
        console.print(f"unmatched {told(about)} at {told(one.probe)}: {in_stops(one.apart)}; {told(one.why)}")
    for note in report.notes:
        console.print(f"note      {told(note)}")


def _ratio(value: float | None) -> str:
    return f"{value:.1f}:1" if value is not None else "–"


def _kelvin(said: tuple[float, float] | None) -> str:
    return f"{said[0]:.0f} K {said[1]:+.3f}" if said is not None else "–"
