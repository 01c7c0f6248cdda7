"""Findings about how pictures are read: what each is, by its use and by its own pixels, against how it is decoded."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import SetValue, TurnGreen
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.outside.uses import PictureUse
from durvan.crossing.translation.choices import Override, Turn
from durvan.files.audit import Verdict
from durvan.files.copies import Use
from durvan.files.paths import shown, understand
from durvan.scene.graph import Value
from durvan.scene.model import FileState, OutsideFile, Thing

CODES = (
    "data-as-colour", "colour-as-data", "odd-gamma", "linear-as-colour", "no-normals", "wrong-green", "normals-elsewhere",
    "eight-bit-height", "surroundings-low", "surroundings-clipped", "alpha-multiplied", "constant-picture",
)  # fmt: skip
_ENCODED = ("srgb", "g22", "g18", "g24")  # how names of encoded colour spaces begin
_STRAIGHT_BY_FORMAT = ("png", "targa", "webp")  # formats that keep alpha apart from the colours, by their own standards


def of(view: View, thing: Thing) -> Iterator[Finding]:
    """What is worth knowing of the pictures that one thing reads. Of one that was not judged its use alone speaks."""
    inputs = view.translation(thing).inputs
    chosen = {(node, parameter) for node, parameter, _ in inputs.values} if inputs is not None else set()
    turned = inputs.turned if inputs is not None else ()
    source = view.source(thing)
    for use in view.uses.get(thing.id, ()):
        file = view.written.get(use.written) or OutsideFile(use.written, "", FileState.ABSENT)
        verdict = view.verdict(file)
        if use.parameter and (use.node, use.parameter) not in chosen:
            yield from _decoded(use, file, verdict)
        if verdict is None or verdict.problem:
            continue
        if source is not None and use.node not in turned:
            translated = thing.dialect != view.plan.choices.target
            yield from _relief(use, file, verdict, source.identity.conventions.normal_green, translated)
        yield from _pixels(use, file, verdict)


def _evidence(use: PictureUse, file: OutsideFile, verdict: Verdict | None) -> tuple[tuple[str, str], ...]:
    uses = ", ".join(sorted(use.uses)) or "not known"
    out = [("picture", shown(understand(file.written).name)), ("used as", uses)]
    if use.parameter:
        said = f"{use.value:g}" if isinstance(use.value, float) else str(use.value)
        out.append((f"read with {use.parameter}", said))
    out.append(("stored as", file.depth or "not known"))
    if file.decode:
        out.append(("its header says", file.decode))
    if verdict is not None and not verdict.problem:
        mean = " ".join(f"{part:.2f}" for part in verdict.mean)
        kind = "a map of normals" if verdict.normal else "grey" if verdict.grey else "coloured"
        out.append(("its pixels", f"{kind}, mean {mean}"))
    return tuple(out)


def _made(
    use: PictureUse, file: OutsideFile, code: str, level: Level, title: str, cause: str, consequence: str,
    evidence: tuple[tuple[str, str], ...], remedies: tuple[Remedy, ...] = (), port: str = "",
) -> Finding:  # fmt: skip
    where = f"{use.node}.{port or use.parameter or 'file'}"
    return Finding(code, level, title, cause, consequence, use.thing, where, "Files", evidence, remedies, file.written)


def _decoded(use: PictureUse, file: OutsideFile, verdict: Verdict | None) -> Iterator[Finding]:
    """Data read as colour, colour read as data, numbers that name nothing."""
    name, evidence = shown(understand(file.written).name), _evidence(use, file, verdict)
    said = f"{use.value:g}" if isinstance(use.value, float) else str(use.value)
    data = Remedy("Read as data", "Read all {count} as data", _read(use, use.data))
    colour = Remedy("Read as colour", "Read all {count} as colour", _read(use, use.colour))
    number = isinstance(use.value, float)
    whole = file.depth in ("uint8", "uint16")
    linear = (whole and file.decode.startswith("lin")) or (verdict is not None and verdict.linear and whole)
    encoded = file.depth in ("uint8", "") or (not whole and file.decode.startswith(_ENCODED))
    if use.is_data and (use.value == use.colour or (number and use.value != use.data)):
        yield _made(
            use, file, "data-as-colour", Level.LOOK, "Data decoded as a colour picture",
            f"{name} is read with {use.parameter} {said} and used as data", "its middle values come out too low", evidence, (data,),
        )  # fmt: skip
    elif use.use is Use.COLOUR and use.value == use.data and encoded and not linear:
        yield _made(
            use, file, "colour-as-data", Level.LOOK, "A colour picture decoded as data",
            f"{name} holds {'8-bit' if whole else 'encoded'} colour but is read as it stands", "its colours come out washed out", evidence, (colour,),
        )  # fmt: skip
    elif number and use.value not in (use.colour, use.data):
        yield _made(
            use, file, "odd-gamma", Level.NOTE, "A gamma number that names no colour space", f"{name} is raised to {said}",
            "a node carries the number; the picture is read raw", evidence,
        )  # fmt: skip
    elif use.use is Use.COLOUR and use.value == use.colour and linear:
        gaps = verdict.gaps[0] if verdict is not None else 0.0
        skipped = ("values skipped", f"{100 * gaps:.0f} % of the bright ones")
        yield _made(
            use, file, "linear-as-colour", Level.LOOK, "A picture that is linear already, decoded once more",
            f"{name} {'says that it is linear' if file.decode.startswith('lin') else 'looks as if it had been made linear in 8 bits'}", "its colours come out too dark", (*evidence, skipped), (data,),
        )  # fmt: skip


def _read(use: PictureUse, value: Value | None) -> SetValue:
    """To read a picture by another value of its parameter."""
    assert isinstance(value, float | bool | str)  # what a pack says it is read by
    return SetValue(entry=Override(thing=use.thing, node=use.node, parameter=use.parameter, value=value))


def _relief(
    use: PictureUse, file: OutsideFile, verdict: Verdict, convention: str, translated: bool
) -> Iterator[Finding]:
    """Normals whose green points the other way, pictures that are none, and normals that are read as something else.

    Green can be turned round only where a network is `translated`; within one dialect the source stays as it is.
    """
    name, evidence = shown(understand(file.written).name), _evidence(use, file, verdict)
    if Use.NORMAL in use.uses and not verdict.normal and not verdict.constant:
        unit = ("unit vectors", f"{100 * verdict.unit:.0f} % of its pixels")
        yield _made(
            use, file, "no-normals", Level.LOOK, "Read as a map of normals, but it is none", f"{name} holds no unit vectors",
            "the relief comes out crooked", (*evidence, unit),
        )  # fmt: skip
    elif use.use is Use.NORMAL and use.straight and verdict.green and convention and verdict.green != convention:
        sure = max(verdict.curl, 1.0 / max(verdict.curl, 1e-9))
        change = TurnGreen(entry=Turn(thing=use.thing, node=use.node))
        turn = (Remedy("Turn its green round", "Turn green round in all {count}", change),)
        curl = ("curl if read as it is", f"{sure:.1f} × that of green the other way round")
        yield _made(
            use, file, "wrong-green", Level.LOOK, "A map of normals with green the wrong way up",
            f"{name} has its green {verdict.green}, and is read as green {convention}", "bumps light up as dents along one axis",
            (*evidence, curl), turn if translated else (),
        )  # fmt: skip
    elif verdict.normal and use.use in (Use.COLOUR, Use.HEIGHT, Use.MASK):
        yield _made(
            use, file, "normals-elsewhere", Level.LOOK, "A map of normals that is read as something else",
            f"{name} holds unit vectors and is used as {use.use}", "its values mean something else", evidence,
        )  # fmt: skip


def _pixels(use: PictureUse, file: OutsideFile, verdict: Verdict) -> Iterator[Finding]:
    name, evidence = shown(understand(file.written).name), _evidence(use, file, verdict)
    levels = ("different values", str(verdict.levels))
    few = verdict.depth == "uint16" and 1 < verdict.levels <= 256
    if use.use is Use.HEIGHT and not verdict.constant and (verdict.depth == "uint8" or few):
        yield _made(
            use, file, "eight-bit-height", Level.NOTE, "A height with 8 bits",
            f"{name} has {verdict.levels} steps of height", "smooth slopes may show stairs", (*evidence, levels), port="height",
        )  # fmt: skip
    if use.use is Use.SURROUNDINGS and verdict.depth in ("uint8", "uint16"):
        yield _made(
            use, file, "surroundings-low", Level.LOOK, "Surroundings without a range of brightness",
            f"{name} is stored as {verdict.depth}", "light and shadow come out flat", evidence, port="depth",
        )  # fmt: skip
    elif use.use is Use.SURROUNDINGS and verdict.clipped:
        top = ("at its brightest", f"{100 * verdict.top:.3f} % of its pixels, at {verdict.peak:.4g}")
        yield _made(
            use, file, "surroundings-clipped", Level.LOOK, "Surroundings that are cut off at their brightest",
            f"{name} is flat at {verdict.peak:.4g}", "the sun or the lamps in it light less than they did", (*evidence, top),
            port="peak",
        )  # fmt: skip
    if verdict.alpha == "multiplied in" and file.format in _STRAIGHT_BY_FORMAT and Use.COLOUR in use.uses:
        yield _made(
            use, file, "alpha-multiplied", Level.NOTE, "Colours that are multiplied by alpha already",
            f"{name} should keep them apart by its format", "edges come out dark", evidence, port="alpha",
        )  # fmt: skip
    if verdict.constant:
        mean = " ".join(f"{part:.3g}" for part in verdict.mean)
        yield _made(
            use, file, "constant-picture", Level.NOTE, "A picture of one value only", f"{name} is {mean} everywhere",
            "a plain value would do the same", evidence, port="constant",
        )  # fmt: skip
