"""What `files`, `relink` and `prepare` do and say."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import typer
from rich.console import Console

from durvan.crossing.document.store import ENDING
from durvan.crossing.job.session import Session, start
from durvan.crossing.outside import readying
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError, SceneFileError
from durvan.files import library, repair
from durvan.files.audit import Auditor, Verdict
from durvan.files.copies import Use
from durvan.files.facts import SCENES, Stamp, checksum
from durvan.files.index import Shelf
from durvan.files.paths import shown
from durvan.files.prepare import Prepared, prepare
from durvan.files.resolve import Resolver
from durvan.files.roots import Root, of_user
from durvan.progress import Report, Step
from durvan.record.build import finding_document
from durvan.scene.model import FileState, OutsideFile

_ORDER = list(FileState)


def roots_of(folders: Iterable[Path]) -> list[Root]:
    """Folders from the command line as roots. Raises MisuseError for one that is not there."""
    out = []
    for folder in folders:
        if not folder.is_dir():
            raise MisuseError("there is no such folder.", file=folder)
        out.append(Root(os.path.abspath(folder)))  # noqa: PTH100 - without following links
    return out


def audit(session: Session, report: Report) -> None:
    """Judge every picture of a crossing by its pixels."""
    wanted = {
        file.first: file.stamp for file in session.scene.pictures.values() if file.stamp and "[" not in file.first
    }
    found: dict[Stamp, Verdict] = {}

    def told(path: str, verdict: Verdict) -> None:
        found[wanted[path]] = verdict
        report(Step("Looking at pictures", len(found), len(wanted)))

    Auditor(2).judge_all(list(wanted), told)
    session.audited(found)
    # a picture that breaks off is only known to do so now
    session.renew(afresh=any(verdict.problem for verdict in found.values()))


def inventory(session: Session) -> dict[str, Any]:
    """The inventory as plain data, the worst first."""
    uses: dict[str, list[str]] = {}
    for use in (use for many in session.now.uses.values() for use in many):
        uses.setdefault(use.written, []).extend(sorted(use.uses))
    files = sorted(session.scene.files.values(), key=lambda file: (_ORDER.index(file.state), file.written))
    findings = [finding for finding in session.findings if finding.station == "Files"]
    return {
        "source": session.scene.file,
        "states": dict(Counter(file.state.value for file in files)),
        "roots": [{"folder": root.folder, "deep": root.deep, "on": root.on, "exists": root.exists} for root in session.outlook().roots],
        "files": [_file(file, uses.get(file.written, []), session) for file in files],
        "findings": [finding_document(finding, session.accepted(finding)) for finding in findings],
    }  # fmt: skip


def _file(file: OutsideFile, uses: list[str], session: Session) -> dict[str, Any]:
    verdict = session.verdict(file)
    out: dict[str, Any] = {
        "written": shown(file.written), "state": file.state.value, "path": shown(file.resolved), "kind": file.kind.value,
        "linked": shown(file.linked), "root": shown(file.root), "because": shown(file.why),
        "used_by": sorted({user[0] for user in file.users}), "named_at": sorted(set(file.sites))[:20],
        "used_as": sorted(set(uses)), "format": file.format, "bytes": file.size, "width": file.width, "height": file.height,
        "channels": file.channels, "depth": file.depth, "tile": file.tile, "mips": file.mips,
        "members": len(file.members), "missing": list(file.missing),
        "sha256": checksum(file.first) if file.first and not file.members and "[" not in file.first else "",
        "candidates": [{"path": shown(one.path), "because": one.why} for one in file.candidates],
    }  # fmt: skip
    if verdict is not None and not verdict.problem:
        out["pixels"] = {
            "normals": verdict.normal, "green": verdict.green, "grey": verdict.grey, "constant": verdict.constant,
            "linear": verdict.linear, "alpha": verdict.alpha, "clipped": verdict.clipped, "levels": verdict.levels,
            "mean": [round(part, 4) for part in verdict.mean],
        }  # fmt: skip
    return out


def tell_inventory(session: Session, console: Console) -> None:
    """The inventory for people."""
    data = inventory(session)
    told = ", ".join(f"{count} {state}" for state, count in data["states"].items())
    console.print(f"{len(data['files'])} files outside: {told or 'none'}", markup=False)
    for file in data["files"]:
        size = f"{file['width']}×{file['height']} {file['depth']}" if file["width"] else ""
        many = f"{file['members']} members" if file["members"] else ""
        facts = "  ".join(part for part in (size, many, ", ".join(file["used_as"]), file["because"]) if part)
        console.print(f"  {file['state']:18} {file['written']}  {shown(facts)}".rstrip(), markup=False)
        if file["path"] and file["state"] not in ("in place", "absent"):
            console.print(f"  {'':18} → {file['path']}", markup=False)
    open_ = [finding for finding in session.open_findings() if finding.station == "Files"]
    console.print()
    for finding in open_:
        said = f"{finding.title}: {finding.cause}; {finding.consequence}"
        console.print(f"{finding.level.word:4}  {shown(said)}", markup=False)
    console.print("Nothing is open about files." if not open_ else f"{len(open_)} open about files.")


# relink


def relink(
    places: list[Path], registry: Registry, roots: list[Root], old: str, new: str, dry: bool, in_place: bool, yes: bool,
    console: Console, report: Report,
) -> int:  # fmt: skip
    """Repair scenes and crossings; how many stay with something open. Raises MisuseError for what makes no sense."""
    if bool(old) != bool(new):
        raise MisuseError("--from and --to go together.")
    for place in places:
        if not place.exists():
            raise SceneFileError("there is no such file or folder.", file=place)
    rules = [repair.Substitution(old, new)] if old else []
    crossings = [place for place in places if place.suffix == ENDING]
    left = sum(_relink_crossing(file, registry, roots, rules, dry, console, report) for file in crossings)
    scenes = library.scenes_in(place for place in places if place.suffix != ENDING)
    if not scenes:
        if not crossings:
            raise MisuseError("there is no scene in what was named.")
        return left
    finder = Resolver((), (*roots, *of_user()), Shelf(), report=report)
    folders = [place for place in places if place.is_dir()]
    repairs = library.dry_run(scenes, finder, rules, folders, report)
    for one in repairs:
        console.print(f"{shown(str(one.file))}: {library.told(one)}", markup=False)
        for written, to in one.links.items():
            console.print(f"    {shown(written)} → {shown(to)}", markup=False)
        for file in one.left:
            console.print(f"    {file.state.value:18} {shown(file.written)}", markup=False)
    change = sum(1 for one in repairs if one.links and not one.problem)
    left += sum(1 for one in repairs if one.left or one.problem)
    if dry or not change:
        console.print(f"Nothing was written; {change} of {len(repairs)} scenes would change.")
        return left
    if in_place and not yes and not typer.confirm(f"Change {change} scenes in place? A backup of each is kept."):
        console.print("Nothing was written.")
        return left
    for one in library.write(repairs, in_place, report):
        backup = f", before it {one.backup.name}" if one.backup is not None else ""
        console.print(
            f"Wrote {shown(str(one.written))}{backup}" if one.written else f"{one.file}: {one.problem}", markup=False
        )
        left += bool(one.problem)
    return left


def _relink_crossing(
    file: Path, registry: Registry, roots: list[Root], rules: list[repair.Substitution], dry: bool, console: Console,
    report: Report,
) -> int:  # fmt: skip
    from durvan.crossing.outside.lookup import resolver

    session = start(file, registry, report=report, roots=roots)
    finder = resolver(session.scene, session.outlook(), report)
    links: dict[str, str] = {}
    for rule in rules:
        links.update(repair.preview("", session.scene.files.values(), rule, finder).links())
    open_ = [one for one in session.scene.files.values() if one.written not in links]
    for preview in (repair.by_roots(open_), repair.chosen(open_)):
        links.update(preview.links())
    for written, to in links.items():
        console.print(f"    {shown(written)} → {shown(to)}", markup=False)
    if links and not dry:
        session.relink(links)
        session.renew(report)
        session.save(file)
    console.print(f"{shown(str(file))}: {len(links)} paths {'would change' if dry else 'changed'}", markup=False)
    settled = set(links) | {one.written for one in session.scene.files.values() if one.state in repair.SETTLED}
    return int(any(one.written not in settled for one in session.scene.files.values()))


# prepare


def ready(
    places: list[Path], registry: Registry, jobs: int, out: Path | None, use: Use, roots: list[Root], report: Report
) -> tuple[Prepared, dict[str, str]]:
    """Prepare the pictures of scenes and crossings, and pictures by themselves; also what was passed over."""
    where = str(out.absolute()) if out is not None else "beside"
    tasks, passed = [], {}
    pictures = []
    for place in places:
        if place.suffix.lower() in (*SCENES, ENDING):
            session = start(place, registry, report=report, roots=roots)
            found = readying.work(session.scene, session.now.uses, where, session.outlook())
        elif place.is_file():
            pictures.append(place)
            continue
        else:
            raise MisuseError("there is no such file.", file=place)
        tasks += found.tasks
        passed.update(found.passed)
    loose = readying.of_pictures(pictures, use, where)
    return prepare([*tasks, *loose.tasks], jobs, report), {**passed, **loose.passed}


def tell_prepared(done: Prepared, passed: dict[str, str], console: Console) -> None:
    """What came of it, for people."""
    for original, copy in done.made.items():
        console.print(f"  {shown(original)} → {shown(copy)}", markup=False)
    for original, why in {**passed, **done.failed}.items():
        console.print(f"  {shown(original)}: {why}", markup=False)
    console.print(
        f"{len(done.made)} made ({done.bytes / 1e6:.1f} MB, {done.seconds:.1f} s), {len(done.current)} up to date, "
        f"{len(passed)} passed over, {len(done.failed)} failed"
    )
