"""`durvan`: survey, files, relink, prepare, carry, record, dialects, swatch, render, drift, light, proof, open. Exit status 0 clean, 1 with open stop findings, 2 for misuse."""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn
from rich.table import Table

from durvan import __version__
from durvan.cli import logs, packs
from durvan.cli.at import say
from durvan.cli.printing import plain_console, print_json, take_any_text, told
from durvan.cli.statuses import CLEAN, MISUSE, OPEN_STOPS, AsJson
from durvan.crossing.job.session import Session, start
from durvan.dialects.conformance import check as conformance
from durvan.dialects.registry import registry
from durvan.engine.engines import Engine
from durvan.errors import DurvanError, Stopped
from durvan.files.copies import Use
from durvan.formats.table import read_endings
from durvan.progress import Report, Step
from durvan.record.build import record as record_data
from durvan.record.build import summary
from durvan.record.page import page, write
from durvan.scene.fate import SHOWN

app = typer.Typer(
    name="durvan", no_args_is_help=True, add_completion=True, pretty_exceptions_enable=False, rich_markup_mode="rich",
    help="Carry a finished 3D scene from one offline renderer to another, and account for every value.",
)  # fmt: skip
app.add_typer(packs.dialect, name="dialect")
_LIST = 12

SceneFile = Annotated[
    Path, typer.Argument(help=f"A scene ({', '.join(read_endings())}) or a saved crossing (.durvan).")
]
From = Annotated[str, typer.Option("--from", help="The dialect to read, where the scene holds several.")]
To = Annotated[str, typer.Option("--to", help="The dialect to carry to.")]
LightFile = Annotated[
    Path | None, typer.Option("--light", help="A YAML file of trims and policies for the target's light.")
]
Scope = Annotated[
    str,
    typer.Option("--scope", help="everything; materials, lights, cameras, settings; or names and paths, by commas."),
]


def _out() -> Console:
    return plain_console()


@contextmanager
def _progress(quiet: bool) -> Iterator[Report]:
    """A bar on standard error while it is a terminal; nothing otherwise, so that output can be piped."""
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn())
    with Progress(*columns, console=console, transient=True, disable=quiet or not console.is_terminal) as bar:
        task = bar.add_task("Starting", total=None)

        def report(step: Step) -> None:
            say(step.doing)
            bar.update(task, description=step.doing, completed=step.done, total=step.of or None)

        yield report


def _tell(session: Session) -> None:
    console = _out()
    data = summary(session)
    things = ", ".join(
        f"{count} {kind}{'s' if count != 1 and kind != 'settings' else ''}" for kind, count in data["things"].items()
    )
    console.print(f"[bold]{told(data['title'])}[/]: {things or 'nothing that is carried'}")
    console.print(f"{data['from'] or 'no dialect'} → {data['to']}, {data['rows']} values")
    console.print("  ".join(f"{fate} {count}" for fate, count in data["fates"].items() if count) or "nothing to carry")
    table = Table(box=None, pad_edge=False)
    table.add_column("family")
    for fate in SHOWN:
        table.add_column(fate.word, justify="right")
    for family, cells in data["families"].items():
        table.add_row(family, *(str(cells.get(fate.word, "·")) for fate in SHOWN))
    if data["families"]:
        console.print()
        console.print(table)
    _tell_findings(session, console)


def _tell_findings(session: Session, console: Console) -> None:
    groups = session.open_groups()
    console.print()
    if not groups:
        console.print("Nothing is open.")
    for group in groups:
        console.print(f"{group.level.word:4}  {group.count:4}  [bold]{told(group.title)}[/]")
        for finding in group.findings[:_LIST]:
            name = finding.thing.rsplit("/", 1)[-1]
            console.print(f"            {told(name)}: {told(finding.cause)}; {told(finding.consequence)}")
        if group.count > _LIST:
            console.print(f"            and {group.count - _LIST} more")


def _status(session: Session) -> int:
    return OPEN_STOPS if session.stops() else CLEAN


@app.command()
def proof(
    source: Annotated[Path, typer.Argument(help="The picture that is meant.")],
    target: Annotated[Path, typer.Argument(help="The picture that is held against it.")],
    lights: Annotated[
        str, typer.Option("--lights", help="A regular expression for layers of lights; its group 'name' is the light.")
    ] = "",
    over: Annotated[
        float,
        typer.Option(
            "--over", min=0.0, help="Exit with 1 where they are further apart than so many stops, noise aside."
        ),
    ] = 0.1,
    ids: Annotated[
        Path | None,
        typer.Option(
            "--ids", help="A picture that says which material each pixel shows: ids by name, or a colour for each."
        ),
    ] = None,
    source_space: Annotated[
        str,
        typer.Option(
            "--source-space",
            help="The colour space of the source's values, by its name in colour configs (ACEScg, say).",
        ),
    ] = "",
    target_space: Annotated[str, typer.Option("--target-space", help="The same of the target's.")] = "",
    as_they_are: Annotated[
        bool,
        typer.Option("--as-they-are", help="Look for no response that one of them has burnt in, and take none out."),
    ] = False,
    html: Annotated[Path | None, typer.Option("--html", help="Write all of it as a web page, with pictures.")] = None,
    as_json: AsJson = False,
) -> None:
    """Say why two pictures differ, as files of any renderer: exposure, lights, materials, camera, noise, with numbers."""
    from durvan.cli.proof import Compared

    with _progress(as_json) as report:
        found = Compared(source, target, lights, report, ids, as_they_are, (source_space, target_space))
        if html is not None:
            write({html: found.page()})
    if as_json:
        print_json(found.data())
    else:
        found.tell(_out())
    raise typer.Exit(OPEN_STOPS if found.beyond_noise > over else CLEAN)


@app.command()
def survey(file: SceneFile, to: To = "", from_: From = "", scope: Scope = "", as_json: AsJson = False) -> None:
    """Say what is in a scene and what will become of it, before anything is written."""
    from durvan.cli import looks

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, scope, report=report)
        looks.guess(session, report)
    if as_json:
        print_json(record_data(session))
    else:
        _tell(session)
    raise typer.Exit(_status(session))


Roots = Annotated[
    list[Path] | None, typer.Option("--root", help="A folder to look for files in, with all below it; may be repeated.")
]


@app.command()
def files(file: SceneFile, root: Roots = None, to: To = "", from_: From = "", as_json: AsJson = False) -> None:
    """List every file outside a scene: where it is, who uses it, what it is, and whether it is read the right way."""
    from durvan.cli import files as work

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, report=report, roots=work.roots_of(root or []))
        work.audit(session, report)
    if as_json:
        print_json(work.inventory(session))
    else:
        work.tell_inventory(session, _out())
    stops = [finding for finding in session.stops() if finding.station == "Files"]
    raise typer.Exit(OPEN_STOPS if stops else CLEAN)


@app.command()
def relink(
    places: Annotated[list[Path], typer.Argument(metavar="FILE…", help="Scenes, folders of scenes, or crossings.")],
    root: Roots = None,
    old: Annotated[str, typer.Option("--from", help="The beginning of paths that lead nowhere any more.")] = "",
    new: Annotated[str, typer.Option("--to", help="What stands in its place.")] = "",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what would change.")] = False,
    in_place: Annotated[
        bool, typer.Option("--in-place", help="Change the scenes themselves; a backup of each is kept.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask before scenes are changed in place.")] = False,
) -> None:
    """Repair the paths of files in many scenes at once: into copies beside them, unless told otherwise."""
    from durvan.cli import files as work

    with _progress(False) as report:
        left = work.relink(
            places, registry(), work.roots_of(root or []), old, new, dry_run, in_place, yes, _out(), report
        )
    raise typer.Exit(OPEN_STOPS if left else CLEAN)


@app.command()
def prepare(
    places: Annotated[list[Path], typer.Argument(metavar="FILE…", help="Scenes, crossings, or pictures.")],
    jobs: Annotated[int, typer.Option("--jobs", min=0, max=256, help="So many at once; 0: one for each core.")] = 0,
    out: Annotated[
        Path | None, typer.Option("--out", help="The folder for the copies; beside the originals without.")
    ] = None,
    use: Annotated[Use, typer.Option("--use", help="What pictures named by themselves are used as.")] = Use.COLOUR,
    root: Roots = None,
) -> None:
    """Make tiled, mip-mapped copies of pictures: only what is missing or out of date."""
    from durvan.cli import files as work

    with _progress(False) as report:
        done, passed = work.ready(places, registry(), jobs, out, use, work.roots_of(root or []), report)
    work.tell_prepared(done, passed, _out())
    raise typer.Exit(OPEN_STOPS if done.failed else CLEAN)


@app.command()
def carry(
    file: SceneFile,
    out: Annotated[
        Path,
        typer.Option(
            "--out",
            help="The file to write; its ending says the format: .usda, .usdc, .usd, .mtlx, .gltf, .glb or .xml.",
        ),
    ],
    to: To = "",
    from_: From = "",
    scope: Scope = "",
    alone: Annotated[bool, typer.Option("--alone", help="Write the target alone, not over the source.")] = False,
    trims: LightFile = None,
    save: Annotated[Path | None, typer.Option("--save", help="Save the crossing as a .durvan file.")] = None,
    as_json: AsJson = False,
) -> None:
    """Carry a scene to another dialect, check what was written, and list what is open."""
    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, scope, "alone" if alone else "", report)
        if trims is not None:
            _take_trims(session, trims, report)
        carried = session.carry(out, report)
    if save is not None:
        session.save(save)
    if as_json:
        print_json(record_data(session))
    else:
        _tell(session)
        console = _out()
        console.print()
        console.print(f"Wrote {told(str(out))}: {carried.things} things, {carried.checked} values read back as meant.")
    raise typer.Exit(_status(session))


def _take_trims(session: Session, file: Path, report: Report) -> None:
    from durvan.cli import light as lights

    lights.take(session, file)
    session.renew(report)


@app.command()
def record(
    file: SceneFile,
    out: Annotated[Path, typer.Option("--out", help="The page to write (.html); the JSON goes beside it.")],
    to: To = "",
    from_: From = "",
    scope: Scope = "",
    as_json: AsJson = False,
    pictured: Annotated[
        bool,
        typer.Option("--pictures/--no-pictures", help="With swatches, drifts and the camera's view of both sides."),
    ] = True,
) -> None:
    """Write the record of a crossing as a self-contained web page and as JSON."""
    if out.suffix != ".html" or not out.absolute().parent.is_dir():
        raise DurvanError("a record is written as .html, into a folder that exists.", file=out)
    from durvan.cli import looks

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, scope, report=report)
        looks.guess(session, report)
        shown_with = looks.pictured(session, report) if pictured else None
    data = record_data(session)
    beside = out.with_suffix(".json")
    text = json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
    write({out: page(data, shown_with), beside: text})
    if as_json:
        print_json({"page": str(out), "json": str(beside), "rows": data["rows"], "open": data["open"]})
    else:
        _out().print(
            f"Wrote {told(str(out))} and {told(beside.name)}: {data['rows']} rows, {data['open']['all']} findings open."
        )
    raise typer.Exit(_status(session))


@app.command()
def dialects(
    check: Annotated[bool, typer.Option("--check", help="Run the conformance check on each.")] = False,
    as_json: AsJson = False,
) -> None:
    """List the dialects that are here, and what is wrong with those that are not."""
    known = registry()
    rows: list[dict[str, Any]] = []
    for pack in known.packs.values():
        problems = conformance(pack) if check else []
        rows.append(
            {
                "name": pack.name,
                "title": pack.title,
                "version": pack.identity.version,
                "summary": pack.identity.summary,
                "types": len(pack.vocabulary.types),
                "parameters": sum(len(kind.parameters) for kind in pack.vocabulary.types.values()),
                "conventions": pack.identity.conventions.model_dump(),
                "problems": problems,
            }
        )
    if as_json:
        print_json({"dialects": rows, "broken": known.broken})
    else:
        console = _out()
        wide = max(map(len, known.packs), default=0) + 2
        for row in rows:
            console.print(
                f"[bold]{row['name']:{wide}}[/]{row['title']} {row['version']}: {row['summary']} ({row['parameters']} parameters)"
            )
            for problem in row["problems"]:
                console.print(f"{'':{wide}}{told(problem)}")
        for broken in known.broken:
            console.print(f"{'left out':{wide}}{told(broken)}")
    raise typer.Exit(MISUSE if known.broken or any(row["problems"] for row in rows) else CLEAN)


@app.command()
def swatch(
    file: SceneFile,
    material: Annotated[str, typer.Option("--material", help="A material by name or path.")],
    out: Annotated[Path, typer.Option("--out", help="The picture to write: .exr for linear values, .png for a look.")],
    to: To = "",
    from_: From = "",
    samples: Annotated[int, typer.Option("--samples", min=1, max=4096, help="Samples a pixel.")] = 32,
) -> None:
    """Write a material's swatches: source above, target below, under booth, overcast and raking light."""
    from durvan.cli import looks

    with _progress(False) as report:
        session = start(file, registry(), to, from_, report=report)
        found = looks.swatch(session, material, out, samples, report)
    _out().print(f"Wrote {told(str(out))}: {told(found)}")


@app.command()
def render(
    file: SceneFile,
    out: Annotated[Path, typer.Option("--out", help="The picture to write: .exr for linear values, .png for a look.")],
    camera: Annotated[str, typer.Option("--camera", help="A camera by name or path; the first one without.")] = "",
    samples: Annotated[
        int, typer.Option("--samples", min=1, max=65536, help="Samples a pixel; 0: the scene's own.")
    ] = 64,
    width: Annotated[int, typer.Option("--width", min=8, max=8192, help="Width in pixels.")] = 640,
    height: Annotated[int, typer.Option("--height", min=8, max=8192, help="Height in pixels.")] = 360,
    to: To = "",
    from_: From = "",
    target: Annotated[bool, typer.Option("--target", help="Render what it becomes, not what it is.")] = False,
    passes: Annotated[
        bool, typer.Option("--passes", help="Write id, depth, normal and each light too (.exr).")
    ] = False,
    engine: Annotated[
        Engine, typer.Option("--engine", help="Which renderer: Durvan's own, by the looks of the dialects, or Mitsuba.")
    ] = Engine.PREVIEW,
    limit: Annotated[float, typer.Option("--limit", min=1.0, help="Seconds after which Mitsuba is stopped.")] = 3600.0,
) -> None:
    """Render a camera's view by the looks of the scene's dialect or of the target's, or really, with Mitsuba."""
    from durvan.cli import looks

    with _progress(False) as report:
        session = start(file, registry(), to, from_, report=report)
        if engine is Engine.MITSUBA:
            notes = looks.render_outside(session, camera, out, samples, (width, height), target, passes, limit, report)
        else:
            notes = looks.render(session, camera, out, samples, (width, height), target, passes, report)
    console = _out()
    console.print(f"Wrote {told(str(out))}.")
    for note in notes:
        console.print(f"  {told(note)}")


@app.command()
def drift(
    file: SceneFile,
    to: To = "",
    from_: From = "",
    scope: Scope = "",
    fit: Annotated[bool, typer.Option("--fit", help="Fit what drifts, and keep what gets better.")] = False,
    save: Annotated[
        Path | None, typer.Option("--save", help="Save the crossing, with its fits, as a .durvan file.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Measure how different every material will look, the worst first."""
    from durvan.cli import looks

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, scope, report=report)
        rows = looks.drift(session, fit, report)
    if save is not None:
        session.save(save)
    if as_json:
        print_json({"to": session.document.target, "limit": session.document.drift_limit, "materials": rows})
    else:
        looks.tell_drift(rows, session.document.drift_limit, _out())
    raise typer.Exit(_status(session))


@app.command()
def settle(
    file: SceneFile,
    to: To = "",
    from_: From = "",
    scope: Scope = "",
    apply: Annotated[bool, typer.Option("--apply", help="Let what measurably helps stand.")] = False,
    save: Annotated[Path | None, typer.Option("--save", help="Save the crossing as a .durvan file.")] = None,
    as_json: AsJson = False,
) -> None:
    """Try every remedy and fit, alone and together, and keep what measurably helps."""
    from durvan.cli import settle as settling

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, scope, report=report)
        rows = settling.rows_of(settling.settle(session, apply, report))
    if save is not None:
        session.save(save)
    if as_json:
        print_json({"to": session.document.target, "applied": apply, "tried": rows})
    else:
        settling.tell(rows, apply, _out())
    raise typer.Exit(_status(session))


@app.command()
def light(
    file: SceneFile,
    to: To = "",
    from_: From = "",
    probe: Annotated[
        list[str] | None,
        typer.Option("--probe", help="A place to measure at: x,y,z in the scene's unit. As often as you like."),
    ] = None,
    camera: Annotated[str, typer.Option("--camera", help="The camera that it is seen by; the first one without.")] = "",
    match: Annotated[bool, typer.Option("--match", help="Trim the target's lights until the budget matches.")] = False,
    trims: LightFile = None,
    save: Annotated[Path | None, typer.Option("--save", help="Save the crossing, with its trims.")] = None,
    as_json: AsJson = False,
) -> None:
    """Measure what every light gives on both sides, and the way from there to the picture, in lux and in stops."""
    from durvan.cli import light as lights

    with _progress(as_json) as report:
        session = start(file, registry(), to, from_, report=report)
        if trims is not None:
            lights.take(session, trims)
        if camera:
            lights.choose_camera(session, camera)
        session.renew(report)
        found = lights.light(session, probe or (), match, report)
    if save is not None:
        session.save(save)
    if as_json:
        print_json(lights.document(session, found))
    else:
        lights.tell(session, found, _out())
    raise typer.Exit(_status(session))


@app.command(name="open")
def open_window(
    file: Annotated[Path | None, typer.Argument(help="A scene or a saved crossing.")] = None, to: To = ""
) -> None:
    """Open the window."""
    from durvan.ui.app import main as window

    raise typer.Exit(window(file, to))


def _version(wanted: bool) -> None:
    if wanted:
        _out().print(f"durvan {__version__}")
        raise typer.Exit


@app.callback()
def root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
    verbose: Annotated[bool, typer.Option("--verbose", help="Log to standard error too.")] = False,
) -> None:
    """Options that stand before the command."""
    del version
    logs.start(logging.INFO if verbose else logging.ERROR)


def run() -> None:
    """The console script: errors become one sentence on standard error and exit status 2."""
    take_any_text()
    try:
        app(prog_name="durvan")
    except DurvanError as problem:
        plain_console(stderr=True).print(f"durvan: {told(str(problem))}")
        sys.exit(MISUSE)
    except Stopped:
        sys.exit(130)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(CLEAN)


if __name__ == "__main__":
    run()
