"""Findings about pictures: absent ones, and ones that are read as what they are not."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePosixPath

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.plan import Plan
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph, Node
from durvan.scene.model import PictureState, Scene, Thing
from durvan.scene.vocabulary import Parameter

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


def decoding(thing: Thing, source: Pack, plan: Plan, scene: Scene) -> Iterator[Finding]:
    """Pictures read as colour that are used as data, and the reverse, where a pack says how a picture is decoded."""
    chosen = {(t, n, p) for t, n, p, _ in plan.choices.values}
    depths = {p.written: p.depth for p in scene.pictures.values()}
    for node in thing.graph.nodes.values():
        kind = source.type(node.kind)
        for name, parameter in kind.parameters.items() if kind is not None else ():
            if parameter.reads_as and (thing.id, node.id, name) not in chosen:
                yield from _judged(thing, node, name, parameter, _use(thing.graph, node, source), depths)


def _judged(
    thing: Thing, node: Node, name: str, parameter: Parameter, use: str, depths: dict[str, str]
) -> Iterator[Finding]:
    value = node.values.get(name, parameter.default)
    written = str(node.values.get("file", ""))
    depth, file = depths.get(written, ""), PurePosixPath(written).name
    colour, data = parameter.reads_as["colour"], parameter.reads_as["data"]
    said = f"{value:g}" if isinstance(value, float) else str(value)
    evidence = (
        ("picture", file), (f"read with {name}", said), ("used as", use or "both, or not known"),
        ("stored as", depth or "not known"),
    )  # fmt: skip
    where = f"{node.id}.{name}"
    if (use == "data" and value == colour) or (use == "data" and isinstance(value, float) and value != data):
        yield Finding(
            "data-as-colour", Level.LOOK, "Data decoded as a colour picture",
            f"{file} is read with {name} {said} and used as data", "its middle values come out too low",
            thing.id, where, "Facing", evidence,
            (Remedy("Read as data", "Read all as data", ("value", thing.id, node.id, name, data)),),
        )  # fmt: skip
    elif use == "colour" and value == data and depth in ("uint8", ""):
        yield Finding(
            "colour-as-data", Level.LOOK, "A colour picture decoded as data",
            f"{file} holds 8-bit colour but is read as it stands", "its colours come out washed out",
            thing.id, where, "Facing", evidence,
            (Remedy("Read as colour", "Read all as colour", ("value", thing.id, node.id, name, colour)),),
        )  # fmt: skip
    elif isinstance(value, float) and value not in (colour, data):
        yield Finding(
            "odd-gamma", Level.NOTE, "A gamma number that names no colour space",
            f"{file} is raised to {said}", "a node carries the number; the picture is read raw",
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
                category, common = _common_port(source, node.kind, port)
                if common in _DATA or category in ("bump", "normalmap"):
                    uses.add("data")
                elif common in _COLOUR:
                    uses.add("colour")
                elif category != "open_pbr_surface":
                    waiting.append(node.id)
    return uses.pop() if len(uses) == 1 else ""


def _common_port(source: Pack, kind: str, port: str) -> tuple[str, str]:
    """The common ground's category and port that a parameter becomes; empty where it becomes none."""
    compiled = source.compiled.get(kind)
    if compiled is None:
        return "", ""
    main = compiled.roles[compiled.main]
    for case in compiled.cases:
        for entry in case.entries:
            if port in entry.ours and entry.common:
                return main, entry.common[0][1]
    return main, ""
