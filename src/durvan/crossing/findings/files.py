"""Findings about pictures: absent ones, and ones that are read as what they are not."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePosixPath

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.plan import Plan
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph, Node
from durvan.scene.model import PictureState, Scene, Thing

_BAD = {
    PictureState.ABSENT: ("picture-absent", "A picture is nowhere to be found", "it will render black"),
    PictureState.UNREADABLE: ("picture-unreadable", "A picture cannot be read", "it will render black"),
}


def absent(scene: Scene, carried: set[str]) -> Iterator[Finding]:
    """Pictures that are not where the scene says, once for each material or light that uses them."""
    for picture in scene.pictures.values():
        if picture.state not in _BAD:
            continue
        code, title, consequence = _BAD[picture.state]
        for thing, node, port in picture.users:
            if thing in carried:
                name = scene.things[thing].name
                yield Finding(
                    code, Level.STOP, title, f"{picture.written}, used by {name}", consequence, thing, f"{node}.{port}",
                    "Survey", (("the scene says", picture.written), ("looked at", picture.resolved)),
                )  # fmt: skip


# What a port of the common ground wants to be fed with.
_COLOUR = {
    "base_color",
    "specular_color",
    "transmission_color",
    "subsurface_color",
    "emission_color",
    "coat_color",
    "fuzz_color",
}
_DATA = {
    "specular_roughness", "base_metalness", "geometry_opacity", "geometry_normal", "coat_roughness", "coat_weight",
    "transmission_weight", "subsurface_weight", "specular_weight", "fuzz_weight", "emission_luminance",
}  # fmt: skip
_PASSING = {"input", "map", "in", "fg", "bg", "in1"}


def decoding(thing: Thing, source: Pack, plan: Plan, scene: Scene) -> Iterator[Finding]:
    """Pictures read as colour that are used as data, and the reverse, where the dialect decodes by a number."""
    chosen = {(t, n, p) for t, n, p, _ in plan.choices.values}
    pictures = {p.written: p for p in scene.pictures.values()}
    for node in thing.graph.nodes.values():
        kind = source.type(node.kind)
        if kind is None or "decode_gamma" not in kind.parameters or (thing.id, node.id, "decode_gamma") in chosen:
            continue
        use = _use(thing.graph, node, source)
        gamma = float(node.values.get("decode_gamma", kind.parameters["decode_gamma"].default))
        file = str(node.values.get("file", ""))
        picture = pictures.get(file)
        depth = picture.depth if picture is not None else ""
        evidence = (
            ("picture", PurePosixPath(file).name), ("read with gamma", f"{gamma:g}"),
            ("used as", "data" if use == "data" else "colour"), ("stored as", depth or "not known"),
        )  # fmt: skip
        where = f"{node.id}.decode_gamma"
        if use == "data" and gamma != 1.0:
            yield Finding(
                "data-as-colour", Level.LOOK, "Data decoded as a colour picture",
                f"{PurePosixPath(file).name} is raised to {gamma:g} before it is used as data", "its middle values come out too low",
                thing.id, where, "Facing", evidence,
                (Remedy("Read as data", "Read all as data", ("value", thing.id, node.id, "decode_gamma", 1.0)),),
            )  # fmt: skip
        elif use == "colour" and gamma == 1.0 and depth in ("uint8", ""):
            yield Finding(
                "colour-as-data", Level.LOOK, "A colour picture decoded as data",
                f"{PurePosixPath(file).name} holds 8-bit colour but is read as it stands", "its colours come out washed out",
                thing.id, where, "Facing", evidence,
                (Remedy("Read as colour", "Read all as colour", ("value", thing.id, node.id, "decode_gamma", 2.2)),),
            )  # fmt: skip
        elif gamma not in (1.0, 2.2):
            yield Finding(
                "odd-gamma", Level.NOTE, "A gamma number that names no colour space",
                f"{PurePosixPath(file).name} is raised to {gamma:g}", "a node carries the number; the picture is read raw",
                thing.id, where, "Facing", evidence,
            )  # fmt: skip


def _use(graph: Graph, picture: Node, source: Pack) -> str:
    """What a picture is used as in the end: "colour", "data", or "" when that cannot be told."""
    waiting, seen, uses = [picture.id], set(), set()
    while waiting:
        name = waiting.pop()
        if name in seen:
            continue
        seen.add(name)
        for node in graph.nodes.values():
            for port, link in node.links.items():
                if link.node != name:
                    continue
                common = _common_port(source, node.kind, port)
                if common in _DATA or (common in ("height", "in") and node.kind.endswith(("bump", "normal_map"))):
                    uses.add("data")
                elif common in _COLOUR:
                    uses.add("colour")
                elif port in _PASSING:
                    waiting.append(node.id)
    return uses.pop() if len(uses) == 1 else ""


def _common_port(source: Pack, kind: str, port: str) -> str:
    compiled = source.compiled.get(kind)
    if compiled is None:
        return ""
    for case in compiled.cases:
        for entry in case.entries:
            if port in entry.ours and entry.common:
                return entry.common[0][1]
    return ""
