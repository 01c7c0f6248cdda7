"""From raw things to a scene: shader ids and attributes become the words of the dialects whose they are."""

from __future__ import annotations

import atexit
import gc
import os
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.errors import PackError
from durvan.files.inventory import kind_of
from durvan.formats.table import reader
from durvan.optics.frame import ASPECT
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Graph, Link, Node, Problem
from durvan.scene.model import FileKind, Kind, Oddity, Reference, Scene, Thing
from durvan.scene.raw import VISIBILITY, RawScene, RawThing
from durvan.scene.vocabulary import NodeType

atexit.register(gc.unfreeze)  # or what was set apart would never be taken down


@contextmanager
def quiet_memory() -> Iterator[None]:
    """Hold the cycle collector off while very many objects are made that all stay; it would walk them in vain.

    They are set apart at the end, or the first collection would stop every thread to walk them all at once.
    """
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.freeze()
            gc.enable()


def open_scene(file: Path, registry: Registry, source: str = "", report: Report = silent) -> Scene:
    """Read a file into a scene; its files are not looked up yet. `source` names the dialect to read where a material has several.

    Raises SceneFileError when the file cannot be opened, PackError when there is no such dialect.
    """
    if source:
        registry.get(source)
    report(Step("Opening"))
    with quiet_memory():
        begun = stamps([str(file)])  # a file that changes while it is read is another one than this
        raw = reader(file).read(file, report)
        scene = Intake(raw, registry, source).run(report)
    scene.stamps = stamps([*raw.layers, *_of_shapes(raw)]) | begun
    return scene


def stamps(files: Iterable[str]) -> dict[str, str]:
    """The state of files now: size and time of change, empty for what is not there."""
    found = {}
    for file in files:
        found[file] = ""
        with suppress(OSError, ValueError):
            stat = Path(file).stat()
            found[file] = f"{stat.st_size} {stat.st_mtime_ns}"
    return found


def _of_shapes(raw: RawScene) -> list[str]:
    """The files besides layers that shapes are read from."""
    kinds = (FileKind.LAYER, FileKind.GEOMETRY, FileKind.OTHER)
    return [one.resolved for one in raw.references if one.resolved and kind_of(one.written, one.role) in kinds]


class Intake:
    """Gives one raw scene its meaning. Use `open_scene`."""

    def __init__(self, raw: RawScene, registry: Registry, source: str) -> None:
        self.raw = raw
        self.registry = registry
        self.source = source
        self.owners: dict[str, list[Pack]] = {}  # by word
        self.scene = Scene(
            str(raw.file), "", raw.metres_per_unit, raw.up_axis, raw.frames, layers=raw.layers,
            default_prim=raw.default_prim, meshes=raw.meshes, name=raw.title or raw.file.stem,
            metadata=raw.metadata,
        )  # fmt: skip
        self.scene.oddities.extend(raw.oddities)
        self.scene.solids = raw.solids

    def run(self, report: Report) -> Scene:
        owners = [self._owners(thing) for thing in self.raw.things]
        main = self.source or self._main(owners)
        for thing, packs in zip(self.raw.things, owners, strict=True):
            self._thing(thing, packs, main)
        self.scene.dialect = main
        report(Step("Looking for files"))
        self._references()
        return self.scene

    def _main(self, owners: list[dict[str, Pack]]) -> str:
        votes: Counter[str] = Counter()
        for packs in owners:
            for pack in packs.values():
                votes[pack.name] += 1
        ranked = sorted(votes.items(), key=lambda vote: (-vote[1], vote[0]))
        return ranked[0][0] if ranked else ""

    def _owners(self, thing: RawThing) -> dict[str, Pack]:
        """The packs that know a thing's words: of a material by render context, else under its own name."""
        found: dict[str, Pack] = {}
        if thing.kind is Kind.MATERIAL:
            for context, outputs in thing.contexts.items():
                link = outputs.get("surface") or next(iter(outputs.values()))
                pack = self._owner(thing.graph, link.node)
                if pack is not None:
                    found[context] = pack
            return found
        for pack in self.registry.packs.values():
            space = pack.identity.namespace
            if space and any(name.startswith(f"{space}:") for name in thing.attributes):
                found[pack.name] = pack
        return found

    def _owner(self, graph: Graph, root: str) -> Pack | None:
        """The pack whose words a network is in: its root's, and where that is a word of several, of what feeds it."""
        left: list[Pack] = []
        waiting, seen = [root], {root}
        for name in waiting:
            node = graph.nodes.get(name)
            if node is None:
                continue
            packs = self._packs_of(node.kind)
            left = [pack for pack in left if pack in packs] or left or packs
            if len(left) <= 1:
                break
            fresh = {link.node: None for link in node.links.values() if link.node not in seen}
            seen.update(fresh)
            waiting.extend(fresh)
        return left[0] if left else None

    def _packs_of(self, word: str) -> list[Pack]:
        if word not in self.owners:
            self.owners[word] = self.registry.owners(word)
        return self.owners[word]

    def _thing(self, raw: RawThing, packs: dict[str, Pack], main: str) -> None:
        thing = Thing(raw.path, raw.name, raw.kind, Graph(), prim_type=raw.prim_type)
        thing.in_instance = raw.instance
        thing.twins = tuple(raw.twins)
        if raw.kind is Kind.CAMERA:
            thing.context["frame_aspect"] = ASPECT
        thing.context.update(raw.context)
        thing.stands = raw.stands
        thing.worn = self.raw.worn.get(raw.path, ())
        thing.used_by = len(thing.worn)
        if raw.kind is Kind.MATERIAL:
            self._material(thing, raw, packs, main)
        else:
            self._single(thing, raw, packs, main)
        self.scene.things[thing.id] = thing

    def _note(self, code: str, thing: str, path: str, detail: str) -> None:
        self.scene.oddities.append(Oddity(code, thing, path, detail))

    # materials

    def _material(self, thing: Thing, raw: RawThing, packs: dict[str, Pack], main: str) -> None:
        contexts = sorted(raw.contexts, key=lambda name: (packs.get(name) is None, name))
        chosen = next((name for name in contexts if name in packs and packs[name].name == main), None)
        if chosen is None:
            chosen = next(iter(contexts), None)
        graph = raw.graph
        thing.graph = graph
        if chosen is None:
            if graph.nodes:
                self._note("no-surface", thing.id, thing.id, "Nothing is connected to the material's outputs.")
            return
        graph.outputs = dict(raw.contexts[chosen])
        pack = packs.get(chosen)
        self._drop_other_contexts(raw, chosen, pack)
        if pack is None:
            ids = sorted({node.kind for node in graph.nodes.values()})
            self._note("unknown-dialect", thing.id, thing.id, f"No dialect knows {', '.join(ids)[:300]}.")
            return
        thing.dialect = pack.name
        for node in graph.nodes.values():
            self._node(thing, node, pack)
        self._dangling(thing, pack)

    def _drop_other_contexts(self, raw: RawThing, chosen: str, pack: Pack | None) -> None:
        graph = raw.graph
        mine = graph.reachable()
        others: set[str] = set()
        for context, outputs in raw.contexts.items():
            if context != chosen:
                others |= Graph(graph.nodes, outputs).reachable()
        if len(raw.contexts) > 1 and pack is not None:  # what nothing uses belongs to whose word it is
            for name in set(graph.nodes) - mine - others:
                owner = self.registry.owner(graph.nodes[name].kind)
                if owner is not None and owner is not pack:
                    others.add(name)
        for name in others - mine:
            del graph.nodes[name]

    def _node(self, thing: Thing, node: Node, pack: Pack) -> None:
        kind = pack.kind_of(node.kind)
        node.written = node.kind
        if kind is None:
            if pack.hooks is not None and pack.hooks.folds(node.kind):
                return
            self._note("unknown-node", thing.id, node.id, f"{node.kind[:120]} is not a word of {pack.title}")
            return
        node.kind = kind
        self._check(thing, node, pack.vocabulary.types[kind])

    def _check(self, thing: Thing, node: Node, kind: NodeType) -> None:
        """Put aside what cannot be a parameter's value; a number where channels are wanted is spread over them."""
        for port, problem in (node.problems or {}).items():
            if not problem.link:  # links that lead nowhere are told by themselves
                self._note("wrong-value", thing.id, f"{node.id}.{port}", problem.said)
        bounds = kind.bounds
        for port, value in list(node.values.items()):
            if value.__class__ is float and port in bounds and bounds[port][0] <= value <= bounds[port][1]:
                continue
            parameter = kind.parameters.get(port)
            if parameter is None:
                continue
            if parameter.type == "float":
                if type(value) is int:
                    value = node.values[port] = float(value)
            elif parameter.type == "bool" and type(value) is int:
                value = node.values[port] = bool(value)
            wrong = parameter.wrong(value)
            if wrong:
                del node.values[port]
                node.problems = {**(node.problems or {}), port: Problem(f"{wrong[0].upper()}{wrong[1:]}.")}
                self._note("wrong-value", thing.id, f"{node.id}.{port}", wrong)
            elif parameter.outside(value):
                low, high = parameter.range or (0.0, 0.0)
                self._note(
                    "out-of-range",
                    thing.id,
                    f"{node.id}.{port}",
                    f"{_words(value)} is outside {low:g} to {high:g}",
                )

    def _dangling(self, thing: Thing, pack: Pack) -> None:
        graph = thing.graph
        for node in graph.nodes.values():
            for port, link in list(node.links.items()):
                target = graph.nodes.get(link.node)
                if target is None:
                    del node.links[port]
                    node.problems = {**(node.problems or {}), port: Problem("The link goes nowhere.", link=True)}
                    self._note("dangling", thing.id, f"{node.id}.{port}", f"Nothing stands at {link.node[:200]}.")
                    continue
                kind = pack.type(target.kind)
                if kind is not None and link.output not in kind.outputs and not pack.identity.any_output:
                    first = next(iter(kind.outputs))
                    self._note(
                        "wrong-output",
                        thing.id,
                        f"{node.id}.{port}",
                        f"{target.kind} has no output '{link.output}'; '{first}' is read.",
                    )
                    node.links[port] = Link(link.node, first)

    # lights, cameras, settings

    def _single(self, thing: Thing, raw: RawThing, packs: dict[str, Pack], main: str) -> None:
        asked = self.registry.packs.get(
            self.source
        )  # an open dialect's lights are whatever stands there, if it is asked for
        plain = asked if asked is not None and not asked.identity.namespace else None
        pack = packs.get(main) or plain or next(iter(packs.values()), None) or self.registry.plain
        if pack is None:
            raise PackError("the pack for lights and cameras that are in nobody's words is missing.")
        space = pack.identity.namespace
        kind_name = self._kind(raw, pack)
        thing.dialect = pack.name
        if kind_name is None:
            self._note("unknown-thing", thing.id, thing.id, f"{pack.title} has no word for a {raw.prim_type}.")
            return
        kind = pack.vocabulary.types[kind_name]
        node = Node(raw.name, kind_name, source=raw.path)
        by_attribute = {p.attribute or f"{space}:{name}": name for name, p in kind.parameters.items()}
        for attribute, value in raw.attributes.items():
            name = by_attribute.get(attribute)
            if name is None and space and attribute.startswith(f"{space}:") and attribute != f"{space}:kind":
                name = attribute.partition(":")[2]
                if raw.kind is Kind.SETTINGS and name in self._of_cameras(pack):
                    continue
            if name is not None and not (name in kind.parameters and kind.parameters[name].kept_on):
                node.values[name] = value
        if raw.kind is Kind.CAMERA:
            self._from_settings(node, kind, pack)
        node.problems = {by_attribute.get(a, a): problem for a, problem in raw.problems.items()} or None
        node.animated = tuple(by_attribute[a] for a in raw.animated if a in by_attribute)
        thing.graph.add(node)
        thing.graph.outputs["light" if raw.kind is Kind.LIGHT else raw.kind.value] = Link(node.id)
        self._check(thing, node, kind)
        if raw.attributes.get(VISIBILITY) == "invisible":
            self._note("invisible-light", thing.id, thing.id, "The light is hidden on the stage.")

    def _of_cameras(self, pack: Pack) -> set[str]:
        """What stands on the settings of a scene and is its cameras'; nothing when it has none."""
        if not any(raw.kind is Kind.CAMERA for raw in self.raw.things):
            return set()
        kinds = [kind for kind in pack.vocabulary.types.values() if kind.role == "camera"]
        return {name for kind in kinds for name, one in kind.parameters.items() if one.kept_on}

    def _from_settings(self, node: Node, kind: NodeType, pack: Pack) -> None:
        """Take what a scene says once for all its cameras."""
        space = pack.identity.namespace
        for name, parameter in kind.parameters.items():
            for raw in self.raw.things if parameter.kept_on else ():
                value = raw.attributes.get(parameter.attribute or f"{space}:{name}")
                if raw.kind is Kind.SETTINGS and value is not None:
                    node.values[name] = value

    def _kind(self, raw: RawThing, pack: Pack) -> str | None:
        space = pack.identity.namespace
        marker = raw.attributes.get(f"{space}:kind", "") if space else ""
        plain = None
        for name, kind in pack.vocabulary.types.items():
            if raw.prim_type in kind.prims:
                if kind.marker and kind.marker == marker:
                    return name
                if not kind.marker and plain is None:
                    plain = name
        return plain

    # files outside

    def _references(self) -> None:
        """Who names which file; where they are is looked up by `outside.lookup`, again whenever that may have changed."""
        said = self.scene.references
        for raw in self.raw.pictures:
            thing = self.scene.things.get(raw.thing)
            if not raw.written or thing is None:
                continue
            port = raw.port.rpartition(":")[2]
            kind = kind_of(raw.written, raw.role or self._role(thing, raw.node, port), thing.kind is Kind.LIGHT)
            said.append(
                Reference(raw.written, raw.anchor, raw.resolved, raw.thing, raw.node or thing.name, port, "", kind)
            )
        for other in self.raw.references:
            kind = kind_of(other.written, other.role)
            said.append(Reference(other.written, other.anchor, other.resolved, path=other.site, kind=kind))
        config = os.environ.get("OCIO", "")
        if config and "://" not in config:
            here = str(Path(self.raw.file).absolute().parent)
            said.append(Reference(config, here, path="$OCIO", kind=FileKind.COLOUR_CONFIG))

    def _role(self, thing: Thing, node: str, port: str) -> str:
        """What the parameter that names a file is for; a picture where no pack says another thing."""
        pack = self.registry.packs.get(thing.dialect)
        found = thing.graph.nodes.get(node) or thing.root
        kind = pack.type(found.kind) if pack is not None and found is not None else None
        parameter = kind.parameters.get(port) if kind is not None else None
        return (parameter.role if parameter is not None else "") or "picture"


def _words(value: object) -> str:
    if isinstance(value, tuple):
        return " ".join(f"{part:.4g}" for part in value)
    return f"{value:.6g}" if isinstance(value, float) else str(value)
