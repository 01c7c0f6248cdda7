"""Carry a plan out: write the target's file, open it again and check it, and only then put it in its place."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from durvan.crossing.exchange.baked import Painter
from durvan.crossing.exchange.compose import compose
from durvan.crossing.exchange.intake import quiet_memory
from durvan.crossing.exchange.verify import check
from durvan.crossing.translation.choices import Placement
from durvan.crossing.translation.formats import holds_words
from durvan.crossing.translation.plan import Plan
from durvan.delivery import Staged
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError, SceneFileError
from durvan.formats import embedded, pictures, profiles
from durvan.formats.table import format_of, named, reader, writer
from durvan.optics import profile
from durvan.progress import Report, Step, silent
from durvan.replacing import real
from durvan.scene import baking
from durvan.scene.model import Kind
from durvan.scene.written import Replaced, Written


@dataclass
class Carried:
    """What was written: the file, how much was checked, and its checksum. `files` are all that the delivery owns now, below the file's folder;
    `names` say how each thing of the source is called in it, by path or as the format does; what a person has to know stands in `remarks`.
    """

    file: Path
    things: int
    checked: int
    sha256: str
    remarks: list[str] = field(default_factory=list)
    files: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def carry(plan: Plan, registry: Registry, out: Path, report: Report = silent) -> Carried:
    """Write what a plan says. The source's bytes stay as they are; everything is made in a folder beside and put in place at the end, so that a
    stop or an error leaves what was there before.

    Raises MisuseError when `out` cannot be written to or is the source, SceneFileError when what was written does
    not read back as it was meant.
    """
    port = writer(out)
    _sensible(plan, registry, out)
    with quiet_memory(), Staged(out) as staged:
        meant = compose(plan, registry, staged, report)
        if format_of(out).stands_over and not plan.crosses_formats:
            meant.over = _relative(Path(plan.scene.file), staged.target)
            meant.replaced = _replaced(plan, registry) if plan.choices.placement is Placement.ALONE else None
        elif not plan.crosses_formats:
            meant.base = plan.scene.file
        else:
            _with_body(meant, plan, report)
        if meant.replaced is not None:
            meant.replaced.off = [path for path, thing in meant.things.items() if thing.off]
        goes_on = _goes_on(plan, meant, port.carried_before(out))
        if goes_on:
            meant.kept_from = str(staged.target)
        with _of(out):
            _make_files(
                meant, plan, registry, staged, report
            )  # first: pictures may be packed into the file, or with others
            report(Step("Writing the file"))
            port.write(meant, staged.main)
            report(Step("Checking what was written"))
            checked = check(staged.main, meant, port)
        names = {thing: tuple(meant.names.get(one, one) for one in paths) for thing, paths in meant.stands.items()}
        meant.release()
        report(Step("Finishing"))
        owned = staged.swap(
            {"target": plan.choices.target, "source": _relative(Path(plan.scene.file), staged.target)}, goes_on
        )
        remarks = [*meant.remarks, *(f"{name} was changed by somebody since it was delivered; what they made of it is kept as {aside}." for name, aside in staged.kept.items())]  # fmt: skip
    digest = owned.files[staged.target.name]
    return Carried(out, len(plan.translations), checked, digest, list(dict.fromkeys(remarks)), owned.files, names)


def _make_files(meant: Written, plan: Plan, registry: Registry, staged: Staged, report: Report) -> None:
    """Make what is to lie beside the target."""
    report(Step("Making files"))
    baked: dict[Path, str] = {}
    for name, made in meant.made.items():
        if baking.of_path(made) is not None:
            baked[staged.place(name)] = made
        else:
            _put_made(staged.place(name), made)
    Painter(plan, registry).put_all(baked, report)


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
    """Write a sky or a profile that was made for the target. Raises SceneFileError, and ProfileError
    where the profile that is to be scaled cannot be read any more.
    """
    try:
        if embedded.is_kept(made) or "[" in made:
            with pictures.on_disk(made) as there:
                if not there:
                    raise SceneFileError("cannot be read.", file=made)
                shutil.copyfile(there, file)
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
    try:
        behind = real(place)
    except OSError as problem:
        raise MisuseError(f"leads nowhere: {problem.strerror}.", file=out) from problem
    if behind.resolve() in sources:
        raise MisuseError("is part of the source scene, which is never written to.", file=out)
    if not os.access(place.parent, os.W_OK):
        raise MisuseError("the folder cannot be written to.", file=place.parent)


def _relative(source: Path, out: Path) -> str:
    path = os.path.relpath(source.absolute(), out.absolute().parent).replace(os.sep, "/")
    return path if path.startswith(("./", "../")) else f"./{path}"


@contextmanager
def _of(out: Path) -> Iterator[None]:
    """Have errors speak of the target, wherever it is made."""
    try:
        yield
    except SceneFileError as problem:
        problem.file = str(out)  # a place beside it would mean nothing to anybody
        raise
    except OSError as problem:
        raise SceneFileError(f"cannot be written: {problem.strerror}.", file=out) from problem
