"""From a plan to what is written: where each translated thing stands in the target's file, with typed properties."""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Collection
from pathlib import Path

from durvan import __version__
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.result import Translation
from durvan.delivery import Beside
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.files.paths import understand
from durvan.formats import embedded
from durvan.identity import Namer, clean, leaf
from durvan.optics import profile, sky
from durvan.progress import Report, Step, silent
from durvan.scene import baking
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.model import FileState, Kind, OutsideFile, Scene, Thing
from durvan.scene.raw import SEEN_BY_CAMERA, TOWARDS, YAW
from durvan.scene.vocabulary import Parameter
from durvan.scene.written import Form, Property, Written, WrittenThing, type_for

_CLEAN = re.compile(r"[^A-Za-z0-9_]")


def prim_names(graph: Graph) -> dict[str, str]:
    """A valid prim name for each node, unique, and the same for the same graph."""
    names = Namer(exact=True)
    wishes = {node: _CLEAN.sub("_", leaf(node)) or "node" for node in graph.nodes}
    wishes = {node: wish if not wish[0].isdigit() else f"n_{wish}" for node, wish in wishes.items()}
    return {node: names.numbered(wish) for node, wish in wishes.items()}


class Composer:
    """Puts one plan into the form that writers take. Use `compose`."""

    def __init__(self, plan: Plan, registry: Registry, beside: Beside) -> None:
        self.plan = plan
        self.scene: Scene = plan.scene
        self.registry = registry
        self.pack = registry.get(plan.choices.target)
        self.beside, self.folder = beside, beside.home
        self.out = Written(metadata=self.scene.metadata, up_axis=self.scene.up_axis, beside=beside)
        self.out.told = {
            "version": __version__, "target": self.pack.name, "source": Path(self.scene.file).name,
        }  # fmt: skip
        self.assets: dict[str, str] = {}
        self.baked: dict[str, str] = {}
        self.bakes = {bake.path: bake for one in plan.translations.values() for bake in one.bakes}
        self._know_bakes()
        self.alone = self._names_alone()
        self.files = {file.written: file for file in plan.scene.files.values() if file.first}

    def _know_bakes(self) -> None:
        """Have pictures of materials that are called alike told apart also where only some of these are carried this time."""
        alike: dict[str, list[str]] = {}
        for thing in self.scene.of(Kind.MATERIAL):
            alike.setdefault(thing.name, []).append(thing.id)
        for bake in self.bakes.values():
            names = alike.get(self.scene.things[bake.thing].name, [])
            self.beside.know("maps", {f"{thing} {bake.name}": bake.name for thing in (bake.thing, *names)})

    def run(self, report: Report) -> Written:
        total = len(self.plan.translations)
        for count, translation in enumerate(self.plan.translations.values()):
            if count % 50 == 0:
                report(Step("Writing", count, total))
            thing = self.scene.things[translation.thing]
            if not translation.graph.nodes:
                continue
            if translation.source_dialect == translation.target_dialect and not self.plan.crosses_formats:
                self._changes(thing, translation)
                continue
            for path in (thing.id, *thing.twins):
                if thing.kind is Kind.MATERIAL:
                    self.out.stands.setdefault(thing.id, []).append(path)
                    self._material(path, translation)
                else:
                    self._single(path, thing, translation)
            if thing.in_instance:
                self._free(thing)
        self._hide()
        self._merge()
        return self.out

    def _merge(self) -> None:
        """What wears a material that gives way to an equal one wears that."""
        for thing, into in self.plan.merged.items():
            for wearer in self.scene.things[thing].worn:
                if wearer.free:
                    place = self.out.thing(wearer.path, Form.PROPERTIES)
                    place.properties[wearer.by] = Property("paths", into)

    def _hide(self) -> None:
        """Say of objects that cameras look through them, where the target can."""
        space = self.pack.identity.namespace
        if space and self.pack.identity.abilities.get("hides_from_camera", False):
            for path in self.plan.choices.unseen:
                place = self.out.thing(path, Form.PROPERTIES)
                place.properties[f"{space}{SEEN_BY_CAMERA}"] = Property("bool", False, fixed=True)

    def _changes(self, thing: Thing, translation: Translation) -> None:
        """Within one dialect the source says everything already, but for what a person changed."""
        material = thing.kind is Kind.MATERIAL
        for name, node in translation.graph.nodes.items():
            kind, before = self.pack.type(node.kind), thing.graph.nodes[name].values
            for port, value in node.values.items():
                parameter = kind.parameters.get(port) if kind is not None else None
                is_file = parameter is not None and parameter.type == "file"
                if before.get(port) == value and not (is_file and self._elsewhere(str(value))):
                    continue
                place = self.out.thing(node.source, Form.CHANGES if material else Form.PROPERTIES)
                place.properties[port if material else self._attribute(parameter, port)] = self._property(
                    parameter, value
                )

    def _attribute(self, parameter: Parameter | None, port: str) -> str:
        said = parameter.attribute if parameter is not None else ""
        return said or f"{self.pack.identity.namespace}:{port}"

    def _property(self, parameter: Parameter | None, value: Value | None) -> Property:
        of = parameter.stored or parameter.type if parameter is not None else "any"
        if of == "file" and value is not None:
            value = self._asset(str(value))
        return Property(type_for(of, value), value, fixed=parameter is not None and parameter.fixed)

    def _elsewhere(self, written: str) -> bool:
        file = self.files.get(written)
        return file is not None and (is_moved(file) or written in self.plan.copies)

    def _free(self, thing: Thing) -> None:
        """What stands in an instance cannot be overridden, so the instances that hold it are made unique."""
        depth = len(thing.id) - len(thing.in_instance)
        for path in (thing.id, *thing.twins):
            if path in self.out.things:
                self.out.things[path].free = path[: len(path) - depth]

    def _material(self, path: str, translation: Translation) -> None:
        graph = translation.graph
        if translation.source_dialect == translation.target_dialect:
            graph = _as_written(graph)
        elif self.pack.hooks is not None:
            graph = _copy(graph)
            self.pack.hooks.after_writing(graph, self.scene.metres_per_unit)
        material = self.out.thing(path, Form.MATERIAL)
        names = prim_names(graph)
        base = f"{path}/{self.pack.name}_network"
        context = self.pack.identity.context
        for output, link in graph.outputs.items():
            full = f"{context}:{output}" if context else output
            material.ends[full] = (f"{base}/{names[link.node]}", link.output)
        used = _used_outputs(graph)
        paths = {name: f"{base}/{short}" for name, short in names.items()}
        for node in graph.nodes.values():
            self.out.things[paths[node.id]] = self._node(self.pack, node, paths, used.get(node.id, ()))
        if translation.inputs is not None and translation.inputs.making.remnants:
            self._remnants(base, translation.inputs.thing, translation)

    def _remnants(self, base: str, thing: Thing, translation: Translation) -> None:
        """What of the source's network has no counterpart stands beside the target's, switched off, in its own words."""
        pack, gone = self.registry.packs.get(thing.dialect), translation.without_counterpart()
        left = Graph({name: node for name, node in thing.graph.nodes.items() if name in gone})
        paths = {name: f"{base}/remnants/{short}" for name, short in prim_names(left).items()}
        for node in left.nodes.values() if pack is not None else ():
            assert pack is not None
            one = self._node(pack, node, paths, ())
            one.off = True
            self.out.things[paths[node.id]] = one

    def _node(self, pack: Pack, node: Node, paths: dict[str, str], used: Collection[str]) -> WrittenThing:
        kind = pack.type(node.kind)
        thing = WrittenThing(Form.NODE, (kind.id if kind is not None else "") or node.kind)
        loose = kind or pack.type(pack.kind_of(node.kind) or "")  # of a word that only files have
        picture = loose.playing("picture") if loose is not None else None
        kept_with = loose.playing("space") if loose is not None and kind is None else None  # the picture's own path
        typed = getattr(pack.hooks, "typed", None)
        for port in sorted({*node.values, *node.links} - {kept_with}):
            parameter = kind.parameters.get(port) if kind is not None else None
            if parameter is None and port == picture and loose is not None:
                parameter = loose.parameters[port]
            one = self._property(parameter, node.values.get(port))
            if kind is None and typed is not None:
                one.type = type_for(typed(node.kind, port, False) or one.type, one.value)
            link = node.links.get(port)
            if link is not None and link.node in paths:
                one.link = (paths[link.node], link.output)
            if kind is None and port == picture and loose is not None:
                space = node.values.get(loose.playing("space") or "")
                one.space = space if isinstance(space, str) else ""
            if one.value is not None or one.link is not None:
                thing.properties[port] = one
        types = kind.outputs if kind is not None else {}
        for output in sorted(used):  # one that nothing reads is not said: a renderer knows what its nodes have
            said = typed(node.kind, output, True) if kind is None and typed is not None else ""
            thing.outputs[output] = type_for(said or types.get(output, "any"), None)
        return thing

    def _single(self, path: str, thing: Thing, translation: Translation) -> None:
        many = len(translation.graph.nodes) > 1
        for node in translation.graph.nodes.values():
            self._of_node(path, thing, node, many, translation.moved)

    def _of_node(self, path: str, thing: Thing, node: Node, many: bool, moved: tuple[float, ...]) -> None:
        """One light, camera or settings; of several that a light became, those stand by themselves that its prim cannot be."""
        kind = self.pack.type(node.kind)
        if kind is None:
            return
        alone = bool(thing.place) or kind.role == "environment" or (many and thing.prim_type not in kind.prims)
        name = self._of_several(path, node) if many and alone else path
        if self.plan.crosses_formats and not thing.place:
            alone, stands = True, name
            place = self.out.thing(name, Form.SCENE, kind.prims[0])
        else:
            stands = self._stands_alone(name) if alone else path
            place = self.out.thing(stands, Form.SCENE if alone else Form.PROPERTIES, kind.prims[0] if alone else "")
        self.out.stands.setdefault(thing.id, []).append(stands)
        put = thing.place or moved or (thing.stands if self.plan.crosses_formats and kind.role != "environment" else ())
        if put:
            unit = self.scene.metres_per_unit
            place.matrix = (*put[:12], *(part / unit for part in put[12:15]), 1.0)
        far = node.values.get(TOWARDS)
        if isinstance(far, tuple):
            place.towards = far[0], far[1]
        elif (alone or many) and any(parameter.attribute == YAW for parameter in kind.parameters.values()):
            place.yaw = 0.0
        space = self.pack.identity.namespace
        if kind.marker and space:
            place.properties[f"{space}:kind"] = Property("token", kind.marker, fixed=True)
        said = self._said_already(thing) if not alone else {}  # a file of its own says everything
        for port in sorted(node.values):
            parameter = kind.parameters.get(port)
            if parameter is None:
                continue
            value = node.values[port]
            if parameter.attribute == YAW and isinstance(value, int | float):
                place.yaw = float(value)
                continue
            name = self._attribute(parameter, port)
            if parameter.attribute and said.get(name) == value:
                continue  # the source says it already, under the same attribute
            there = self._settings() if parameter.kept_on == "settings" else place
            there.properties[name] = self._property(parameter, value)

    def _settings(self) -> WrittenThing:
        """Where the scene's settings stand: on those of the source, or on some of their own."""
        found = next(self.scene.of(Kind.SETTINGS), None)
        if found is not None and not self.plan.crosses_formats:
            return self.out.thing(found.id, Form.PROPERTIES)
        prims = next(kind.prims for kind in self.pack.vocabulary.types.values() if kind.role == "settings")
        return self.out.thing(self._stands_alone("/settings"), Form.SCENE, prims[0])

    def _said_already(self, thing: Thing) -> dict[str, Value]:
        """What the source says under attributes that are not its dialect's own."""
        pack, root = self.registry.packs.get(thing.dialect), thing.root
        kind = pack.type(root.kind) if pack is not None and root is not None else None
        if kind is None or root is None:
            return {}
        return {
            p.attribute: root.values[name] for name, p in kind.parameters.items() if p.attribute and name in root.values
        }

    def _names_alone(self) -> Namer:
        """Names at the root of the file, where what is a property of the scene rather than a thing of the source stands."""
        things = [one for thing in self.scene.things.values() for one in (thing.id, *thing.twins)]
        names = Namer((one.split("/", 2)[1] for one in things if one.startswith("/")), exact=True)
        names.know((one, self._alone(one)) for one in things)
        return names

    def _alone(self, path: str) -> str:
        return _CLEAN.sub("_", f"{self.pack.name}_{leaf(path)}")

    def _stands_alone(self, path: str) -> str:
        """The path of such a thing, under a name of its own."""
        return f"/{self.alone.name(path, self._alone(path))}"

    def _of_several(self, path: str, node: Node) -> str:
        """The path of one of several that a thing became: beside it, where nothing of the source stands."""
        name = f"{path}_{node.id.rpartition('_')[2]}"
        while name in self.scene.things:
            name += "_"
        return name

    def _asset(self, written: str) -> str:
        """A path that leads from the new file to where the source's path leads; a sky or a profile that is made gets a file
        beside it.
        """
        baked = baking.of_path(written)
        if baked is not None:
            return self._baked(written, *baked)
        if written.startswith(sky.NAME):
            return self._made(written, "_sky.exr")
        if written.startswith(profile.NAME):
            path, factor = profile.of_name(written)
            file = self.files.get(path)
            place = (
                file.first if file is not None and file.first else str(Path(self.scene.file).absolute().parent / path)
            )
            return self._made(profile.name_of(place, factor), ".ies")
        known = self.assets.get(written)
        if known is None:
            known = self.assets[written] = self._asset_path(written)
        return known

    def _baked(self, path: str, key: str, name: str) -> str:
        """The path of a baked picture beside the target; equal ones are one file, by the name of the first."""
        place = self.baked.get(key)
        if place is None:
            stem, dot, ending = name.partition(".")
            place = self.baked[key] = self.beside.named("maps", f"{self.bakes[path].thing} {name}", stem, dot + ending)
            self.out.made[place] = path
        return f"./{place}"

    def _made(self, what: str, ending: str) -> str:
        """The path of a file that is made for the target; the same thing has the same one."""
        digest = hashlib.sha256(what.encode()).hexdigest()[:8]
        stem, dot, rest = ending.partition(".")
        name = self.beside.named("", what, f"{self.beside.target.stem}_{digest}{stem}", dot + rest)
        self.out.made[name] = what
        return f"./{name}"

    def _lies_within(self, file: OutsideFile) -> bool:
        """Whether a picture lies within a scene's file, where no file of the target's format finds it."""
        return embedded.is_kept(file.resolved) or ("[" in file.resolved and self.plan.crosses_formats)

    def _asset_path(self, written: str) -> str:
        written = written.replace("\n", "").replace("\r", "")
        file = self.files.get(written)
        copy = self.plan.copies.get(written, "")
        if file is not None and self._lies_within(file) and not copy and not file.linked:
            scene, _, inside = (file.resolved if "[" in file.resolved else written).rpartition("[")
            scene = leaf(scene)
            stem, dot, ending = inside.rstrip("]").rpartition(".")
            wish = clean(f"{scene.rpartition('.')[0]}_{stem or ending}", "picture")
            name = self.beside.named("maps", file.resolved, wish, f".{ending}" if dot else "")
            self.out.made[name] = file.resolved
            return f"./{name}"
        if file is None or (not is_moved(file) and not copy):
            if not written or "://" in written or written.startswith("/"):
                return written
            place = file.resolved if file is not None else str(Path(self.scene.file).absolute().parent / written)
        else:
            place = copy or file.resolved
            if (file.linked or written).startswith("/"):
                return place
        near = os.path.relpath(place, self.folder).replace(os.sep, "/")
        return near if near.startswith(("./", "../")) else f"./{near}"


def is_moved(file: OutsideFile) -> bool:
    """Whether a file is elsewhere than the scene says, so that another path has to be written."""
    return bool(file.linked or file.root) or file.state is FileState.LETTER_CASE or understand(file.written).foreign


def _as_written(graph: Graph) -> Graph:
    """A network in the words of the file that it was read from."""
    copy = _copy(graph)
    for name, node in graph.nodes.items():
        copy.nodes[name].kind = node.written or node.kind
    return copy


def _copy(graph: Graph) -> Graph:
    nodes = {name: Node(n.id, n.kind, dict(n.values), dict(n.links), n.source) for name, n in graph.nodes.items()}
    return Graph(nodes, dict(graph.outputs))


def _used_outputs(graph: Graph) -> dict[str, set[str]]:
    """Which outputs of each node are read."""
    used: dict[str, set[str]] = {}
    for links in (graph.outputs, *(node.links for node in graph.nodes.values())):
        for link in links.values():
            used.setdefault(link.node, set()).add(link.output)
    return used


def compose(plan: Plan, registry: Registry, beside: Beside, report: Report = silent) -> Written:
    """What a plan comes to as a file: the target's networks on the source's things."""
    return Composer(plan, registry, beside).run(report)
