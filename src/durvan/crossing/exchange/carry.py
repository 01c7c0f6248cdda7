"""Carry a plan out: write the target's file, open it again and check it, and only then put it in its place."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from durvan.crossing.exchange.compose import compose
from durvan.crossing.exchange.intake import quiet_memory
from durvan.crossing.exchange.verify import check
from durvan.crossing.job.document import checksum
from durvan.crossing.translation.plan import Placement, Plan
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError, SceneFileError
from durvan.formats.usd_write import Kept, as_crate, flatten
from durvan.formats.usda_text import Layer
from durvan.progress import Report, Step, silent
from durvan.scene.model import Kind

ENDINGS = (".usda", ".usdc", ".usd")


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
    _sensible(plan, out)
    pack = registry.get(plan.choices.target)
    with quiet_memory(), _replacing(out) as temporary:
        layer = compose(plan, pack, out, _relative(Path(plan.scene.file), out), report)
        report(Step("Writing the file"))
        kept = _kept(plan, registry) if plan.choices.placement is Placement.ALONE else Kept()
        _write(layer, temporary, kept if plan.choices.placement is Placement.ALONE else None)
        report(Step("Checking what was written"))
        checked = check(temporary, layer, plan.choices.placement is Placement.BESIDE, kept.removed)
        report(Step("Finishing"))
        layer.release()
        digest = checksum(temporary)
    return Carried(out, len(plan.translations), checked, digest)


def _write(layer: Layer, file: Path, kept: Kept | None) -> None:
    """Put a layer on disk in the form that the file's ending says; with `kept`, as a stage of its own."""
    if file.suffix == ".usda" and kept is None:
        layer.write(file)
        return
    text = file.with_name(f"{file.stem}.beside.usda")
    layer.write(text)
    try:
        if kept is None:
            as_crate(text, file)
        else:
            flatten(text, file, kept)
    finally:
        text.unlink(missing_ok=True)


def _kept(plan: Plan, registry: Registry) -> Kept:
    """What of the carried things stays in a file of the target alone: only what is in the target's own words."""
    pack = registry.get(plan.choices.target)
    context = pack.identity.context
    kept = Kept()
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
        kinds = [pack.type(node.kind) for node in translation.graph.nodes.values()]
        if any(kind is not None and kind.role == "environment" for kind in kinds):
            kept.removed.append(thing.id)
    return kept


def _sensible(plan: Plan, out: Path) -> None:
    if out.suffix not in ENDINGS:
        raise MisuseError(f"a target is written as {', '.join(ENDINGS)}.", file=out)
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
    handle, name = tempfile.mkstemp(prefix=f".{out.stem}.", suffix=out.suffix, dir=out.absolute().parent)
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        temporary.chmod(0o644)
        temporary.replace(out)
    except SceneFileError as problem:
        problem.file = str(out)  # the temporary name would mean nothing to anybody
        raise
    except OSError as problem:
        raise SceneFileError(f"cannot be written: {problem.strerror}.", file=out) from problem
    finally:
        with suppress(FileNotFoundError):
            temporary.unlink()
