"""Carry a plan out: write the target's file, open it again and check it, and only then put it in its place."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from durvan.crossing.exchange.baked import Painter
from durvan.crossing.exchange.compose import compose
from durvan.crossing.exchange.intake import quiet_memory
from durvan.crossing.exchange.verify import check
from durvan.crossing.translation.choices import Placement
from durvan.crossing.translation.formats import holds_words
from durvan.crossing.translation.plan import Plan
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError, SceneFileError
from durvan.files.facts import checksum
from durvan.formats import embedded, pictures, profiles
from durvan.formats.table import format_of, named, reader, writer
from durvan.optics import profile
from durvan.progress import Report, Step, silent
from durvan.replacing import replacing
from durvan.scene import baking
from durvan.scene.model import Kind
from durvan.scene.written import Replaced, Written


@dataclass
class Carried:
    """What was written: the file, how much was checked, and its checksum."""

    file: Path
    things: int
    checked: int
    sha256: str
    remarks: list[str] = field(default_factory=list)


def carry(plan: Plan, registry: Registry, out: Path, report: Report = silent) -> Carried:
    """Write what a plan says. The source's bytes stay as they are; a stop or an error leaves nothing behind.

    Raises MisuseError when `out` cannot be written to or is the source, SceneFileError when what was written does
    not read back as it was meant.
    """
    port = writer(out)
    _sensible(plan, registry, out)
    with quiet_memory(), _replacing(out) as temporary:
        meant = compose(plan, registry, out, report)
        if format_of(out).stands_over and not plan.crosses_formats:
            meant.over = _relative(Path(plan.scene.file), out)
            meant.replaced = _replaced(plan, registry) if plan.choices.placement is Placement.ALONE else None
        elif not plan.crosses_formats:
            meant.base = plan.scene.file
        else:
            _with_body(meant, plan, report)
        if meant.replaced is not None:
            meant.replaced.off = [path for path, thing in meant.things.items() if thing.off]
        if _goes_on(plan, meant, port.carried_before(out)):
            meant.kept_from = str(out.absolute())
        meant.home = str(out.absolute())
        with _taking_back(out.absolute()):
            first = not format_of(out).stands_over  # pictures are packed into such a file, or with others
            if first:
                _make_files(meant, plan, registry, out, report)
            report(Step("Writing the file"))
            port.write(meant, temporary)
            report(Step("Checking what was written"))
            checked = check(temporary, meant, port)
            report(Step("Finishing"))
            meant.release()
            digest = checksum(str(temporary))
            if not first:
                _make_files(meant, plan, registry, out, report)
    return Carried(out, len(plan.translations), checked, digest, list(dict.fromkeys(meant.remarks)))


def _make_files(meant: Written, plan: Plan, registry: Registry, out: Path, report: Report) -> None:
    """Make what is to lie beside the target."""
    places = {out.absolute().parent / name: made for name, made in meant.made.items()}
    report(Step("Making files"))
    for place, made in places.items():
        if baking.of_path(made) is None:
            _put_made(place, made)
    Painter(plan, registry).put_all({place: made for place, made in places.items() if baking.of_path(made)}, report)


@contextmanager
def _taking_back(out: Path) -> Iterator[None]:
    """Take away what came to lie beside a target that could not be written."""

    def beside() -> set[Path]:
        folder = out.with_name(f"{out.stem}_maps")
        return {one for one in (*out.parent.glob(f"{out.stem}*"), *folder.glob("*")) if one.is_file()}

    before = beside()
    try:
        yield
    except BaseException:
        for one in beside() - before:
            one.unlink(missing_ok=True)
        with suppress(OSError):
            out.with_name(f"{out.stem}_maps").rmdir()
        raise


def _with_body(meant: Written, plan: Plan, report: Report) -> None:
    """What stands in the source besides materials, for a file of another format, and who wears what."""
    scene = plan.scene
    meant.worn = {
        name: [one.path for one in scene.things[name].worn] for name in plan.translations if scene.things[name].worn
    }
    meant.merged = plan.merged
    if named(plan.format).forms:
        file = Path(scene.file)
        report(Step("Reading shapes"))
        meant.body = reader(file).assembly(file, report)


def _goes_on(plan: Plan, meant: Written, before: Mapping[str, str]) -> bool:
    """Whether a part of a scene goes into a file that holds other parts of it already."""
    part = plan.choices.scope != "everything" and plan.choices.placement is Placement.BESIDE
    same = {"source": meant.told.get("source"), "target": meant.told.get("target"), "over": meant.over}
    return part and all(before.get(name) == said for name, said in same.items())


def _put_made(file: Path, made: str) -> None:
    """Write a sky or a profile that was made for the target, unless it lies there already. Raises SceneFileError, and ProfileError
    where the profile that is to be scaled cannot be read any more.
    """
    if file.is_file():
        return
    try:
        if embedded.is_kept(made):
            file.parent.mkdir(exist_ok=True)
            with replacing(file) as part:
                shutil.copyfile(made, part)
            return
        if made.startswith(profile.NAME):
            source, factor = profile.of_name(made)
            profiles.write(profiles.read(source).scaled(factor), file)
            return
        found = pictures.pixels(made, 1.0)
        assert found is not None  # only names that stand for one are put there
        pictures.save(file, found[..., :3], depth="float")
    except OSError as problem:
        raise SceneFileError(f"cannot be written: {problem}.", file=file) from problem


def _replaced(plan: Plan, registry: Registry) -> Replaced:
    """What of the carried things stays in a file of the target alone: only what is in the target's own words."""
    pack = registry.get(plan.choices.target)
    context = pack.identity.context
    kept = Replaced(removed=list(plan.merged))
    for translation in plan.translations.values():
        thing = plan.scene.things[translation.thing]
        if translation.source_dialect == translation.target_dialect:
            continue
        source = registry.packs.get(translation.source_dialect)
        if thing.kind is Kind.MATERIAL:
            names = {
                f"outputs:{context}:{name}" if context else f"outputs:{name}" for name in translation.graph.outputs
            }
            for path in (thing.id, *thing.twins):
                kept.materials[path] = sorted({f"{pack.name}_network", *names})
        elif source is not None and source.identity.namespace:
            kept.stripped[thing.id] = source.identity.namespace
        if thing.kind is not Kind.LIGHT:
            continue
        kinds = [kind for node in translation.graph.nodes.values() if (kind := pack.type(node.kind)) is not None]
        several = len(kinds) > 1 and not any(thing.prim_type in kind.prims for kind in kinds)
        if several or any(kind.role == "environment" for kind in kinds):
            kept.removed.append(thing.id)
    return kept


def _sensible(plan: Plan, registry: Registry, out: Path) -> None:
    wanted = named(plan.format)
    if format_of(out) is not wanted:
        raise MisuseError(
            f"the target was planned as a {wanted.name} file.", file=out, advice=f"Write it as {', '.join(wanted.writes)}.",
        )  # fmt: skip
    pack = registry.get(plan.choices.target)
    if not holds_words(wanted, pack):
        raise MisuseError(
            f"a {wanted.name} file has no words for {pack.title}.", file=out,
            advice=f"{pack.title} is written as {', '.join(pack.identity.formats)}.",
        )  # fmt: skip
    place = out.absolute()
    if not place.parent.is_dir():
        raise MisuseError("the folder does not exist.", file=place.parent)
    if place.is_dir():
        raise MisuseError("is a folder.", file=out)
    sources = {Path(layer).resolve() for layer in (*plan.scene.layers, plan.scene.file)}
    if place.resolve() in sources:
        raise MisuseError("is part of the source scene, which is never written to.", file=out)
    if not os.access(place.parent, os.W_OK):
        raise MisuseError("the folder cannot be written to.", file=place.parent)


def _relative(source: Path, out: Path) -> str:
    path = os.path.relpath(source.absolute(), out.absolute().parent).replace(os.sep, "/")
    return path if path.startswith(("./", "../")) else f"./{path}"


@contextmanager
def _replacing(out: Path) -> Iterator[Path]:
    """A temporary file in the same folder that takes the place of `out` only when all went well."""
    try:
        with replacing(out) as temporary:
            yield temporary
    except SceneFileError as problem:
        problem.file = str(out)  # the temporary name would mean nothing to anybody
        raise
    except OSError as problem:
        raise SceneFileError(f"cannot be written: {problem.strerror}.", file=out) from problem
