"""From a plan to a layer: where each translated thing stands in the target's file."""

from __future__ import annotations

import os
import re
from pathlib import Path

from durvan import __version__
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.translate import Translation
from durvan.dialects.pack import Pack
from durvan.files.paths import understand
from durvan.formats.usda_text import Layer, Spec, asset, literal, number, quoted, type_of
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Graph, Node
from durvan.scene.model import FileState, Kind, OutsideFile, Scene, Thing

_CLEAN = re.compile(r"[^A-Za-z0-9_]")


def prim_names(graph: Graph) -> dict[str, str]:
    """A valid prim name for each node, unique, and the same for the same graph."""
    names: dict[str, str] = {}
    taken: set[str] = set()
    for node in graph.nodes:
        base = _CLEAN.sub("_", node.rsplit("/", 1)[-1]) or "node"
        base = base if not base[0].isdigit() else f"n_{base}"
        name, number = base, 2
        while name in taken:
            name, number = f"{base}_{number}", number + 1
        taken.add(name)
        names[node] = name
    return names


class Composer:
    """Builds the layer of one plan. Use `compose`."""

    def __init__(self, plan: Plan, pack: Pack, out: Path, sublayer: str) -> None:
        self.plan = plan
        self.scene: Scene = plan.scene
        self.pack = pack
        self.folder = out.absolute().parent
        self.layer = Layer()
        self.layer.metadata = _stage_metadata(self.scene, pack, sublayer)
        self.assets: dict[str, str] = {}
        self.files = {file.written: file for file in plan.scene.files.values() if file.first}

    def run(self, report: Report) -> Layer:
        total = len(self.plan.translations)
        for count, translation in enumerate(self.plan.translations.values()):
            if count % 50 == 0:
                report(Step("Writing", count, total))
            thing = self.scene.things[translation.thing]
            if not translation.graph.nodes:
                continue
            if translation.source_dialect == translation.target_dialect:
                self._changes(thing, translation)
                continue
            for path in (thing.id, *thing.twins):
                if thing.kind is Kind.MATERIAL:
                    self._material(path, translation)
                else:
                    self._single(path, thing, translation)
            if thing.in_instance:
                self._free(thing)
        return self.layer

    def _changes(self, thing: Thing, translation: Translation) -> None:
        """Within one dialect the source says everything already, but for what a person changed."""
        for name, node in translation.graph.nodes.items():
            kind, before = self.pack.type(node.kind), thing.graph.nodes[name].values
            for port, value in node.values.items():
                parameter = kind.parameters.get(port) if kind is not None else None
                of = parameter.type if parameter is not None else "any"
                if before.get(port) == value and not (of == "file" and self._elsewhere(str(value))):
                    continue
                attribute = f"inputs:{port}"
                if thing.kind is not Kind.MATERIAL:
                    space = self.pack.identity.namespace
                    attribute = (parameter.attribute if parameter is not None else "") or f"{space}:{port}"
                said = asset(self._asset(str(value))) if of == "file" else literal(of, value)
                self.layer.prim(node.source).lines.append(f"{type_of(of, value)} {attribute} = {said}")

    def _elsewhere(self, written: str) -> bool:
        file = self.files.get(written)
        return file is not None and (is_moved(file) or bool(self.plan.choices.copy_of(file)))

    def _free(self, thing: Thing) -> None:
        """What stands in an instance cannot be overridden, so the instances that hold it are made unique."""
        depth = len(thing.id) - len(thing.in_instance)
        for path in (thing.id, *thing.twins):
            root = self.layer.prim(path[: len(path) - depth])
            if "instanceable = false" not in root.metadata:
                root.metadata.append("instanceable = false")

    def _material(self, path: str, translation: Translation) -> None:
        graph = translation.graph
        if self.pack.hooks is not None:
            graph = _copy(graph)
            self.pack.hooks.after_writing(graph, self.scene.metres_per_unit)
        material = self.layer.prim(path)
        scope_name = f"{self.pack.name}_network"
        scope = material.child(scope_name)
        scope.specifier, scope.type = "def", "Scope"
        names = prim_names(graph)
        base = f"{path}/{scope_name}"
        context = self.pack.identity.context
        for output, link in graph.outputs.items():
            full = f"{context}:{output}" if context else output
            terminal = f"{base}/{names[link.node]}.outputs:{link.output}"
            material.lines.append(f"token outputs:{full}.connect = <{terminal}>")
        for node in graph.nodes.values():
            self._node(scope.child(names[node.id]), node, names, base, graph)

    def _node(self, spec: Spec, node: Node, names: dict[str, str], base: str, graph: Graph) -> None:
        kind = self.pack.type(node.kind)
        spec.specifier, spec.type = "def", "Shader"
        shader_id = (kind.id if kind is not None else "") or node.kind
        lines = spec.lines
        lines.append(f"uniform token info:id = {quoted(shader_id)}")
        parameters = kind.parameters if kind is not None else {}
        for port in sorted({*node.values, *node.links}):
            parameter = parameters.get(port)
            of: str = parameter.type if parameter is not None else "any"
            link = node.links.get(port)
            value = node.values.get(port)
            written = type_of(of, value)
            if of == "file" or (parameter is None and port == "file"):
                written = "asset"
            if value is not None:
                line = asset(self._asset(str(value))) if written == "asset" else literal(of, value)
                space = _colour_space(node, shader_id, port)
                lines.append(f"{written} inputs:{port} = {line}{space}")
            if link is not None:
                target = names.get(link.node)
                if target is not None:
                    lines.append(f"{written} inputs:{port}.connect = <{base}/{target}.outputs:{link.output}>")
        for output, of in sorted((kind.outputs if kind else _used_outputs(graph, node)).items()):
            lines.append(f"{type_of(of, None)} outputs:{output}")

    def _single(self, path: str, thing: Thing, translation: Translation) -> None:
        node = next(iter(translation.graph.nodes.values()))
        kind = self.pack.type(node.kind)
        if kind is None:
            return
        prefix = self.pack.identity.namespace
        spec = self._environment(path, kind.prims[0]) if kind.role == "environment" else self.layer.prim(path)
        if kind.marker and prefix:
            spec.lines.append(f"uniform token {prefix}:kind = {quoted(kind.marker)}")
        source = thing.root.values if thing.root is not None else {}
        written_here = {p.attribute for p in kind.parameters.values() if p.attribute}
        for port in sorted(node.values):
            parameter = kind.parameters.get(port)
            if parameter is None:
                continue
            value = node.values[port]
            if parameter.attribute == "(yaw)" and isinstance(value, int | float):
                spec.lines.extend(_turned(float(value), self.scene.up_axis))
                continue
            name = parameter.attribute or f"{prefix}:{port}"
            if (
                name in written_here
                and translation.source_dialect != translation.target_dialect
                and source.get(port) == value
            ):
                continue  # the source prim says it already, under the same attribute
            of = type_of(parameter.type, value)
            said = asset(self._asset(str(value))) if of == "asset" else literal(parameter.type, value)
            uniform = "uniform " if name in ("resolution", "pixelAspectRatio") or name.startswith("disable") else ""
            of = "int2" if name == "resolution" else of
            spec.lines.append(f"{uniform}{of} {name} = {said if name != 'resolution' else _whole(value)}")

    def _environment(self, path: str, prim_type: str) -> Spec:
        """A property of the scene rather than a prim of the source: it stands at the root, under a name of its own."""
        name = _CLEAN.sub("_", f"{self.pack.name}_{path.rsplit('/', 1)[-1]}")
        spec = self.layer.root.child(name)
        spec.specifier, spec.type = "def", prim_type
        return spec

    def _asset(self, written: str) -> str:
        """A path that leads from the new file to where the source's path leads."""
        known = self.assets.get(written)
        if known is None:
            known = self.assets[written] = self._asset_path(written)
        return known

    def _asset_path(self, written: str) -> str:
        file = self.files.get(written)
        copy = self.plan.choices.copy_of(file) if file is not None else ""
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


def _turned(yaw: float, up_axis: str) -> list[str]:
    """A dome's transform, its pole up and turned by an angle in degrees, whatever its parents do."""
    order = ["!resetXformStack!", *(["xformOp:rotateX:up"] if up_axis == "Z" else []), "xformOp:rotateY:turn"]
    lines = ["float xformOp:rotateX:up = 90"] if up_axis == "Z" else []
    lines.append(f"float xformOp:rotateY:turn = {number(yaw)}")
    return [*lines, f"uniform token[] xformOpOrder = [{', '.join(map(quoted, order))}]"]


def _whole(value: object) -> str:
    return "(" + ", ".join(str(round(part)) for part in value) + ")" if isinstance(value, tuple) else str(value)


def _copy(graph: Graph) -> Graph:
    nodes = {name: Node(n.id, n.kind, dict(n.values), dict(n.links), n.source) for name, n in graph.nodes.items()}
    return Graph(nodes, dict(graph.outputs))


def _colour_space(node: Node, shader_id: str, port: str) -> str:
    """MaterialX pictures say their colour space as metadata of the file."""
    space = node.values.get("colorspace")
    if port == "file" and shader_id.startswith("ND_image") and isinstance(space, str) and space:
        return f" (\n    colorSpace = {quoted(space)}\n)"
    return ""


def _used_outputs(graph: Graph, node: Node) -> dict[str, str]:
    used = {link.output for other in graph.nodes.values() for link in other.links.values() if link.node == node.id}
    used |= {link.output for link in graph.outputs.values() if link.node == node.id}
    return dict.fromkeys(used or {"out"}, "any")


def _stage_metadata(scene: Scene, pack: Pack, sublayer: str) -> list[str]:
    lines = [
        f"customLayerData = {{ dictionary durvan = {{ string version = {quoted(__version__)}; "
        f"string target = {quoted(pack.name)}; string source = {quoted(Path(scene.file).name)} }} }}"
    ]
    lines.extend(scene.stage_metadata)
    if sublayer:
        lines.append(f"subLayers = [{asset(sublayer)}]")
    return lines


def compose(plan: Plan, pack: Pack, out: Path, sublayer: str, report: Report = silent) -> Layer:
    """The target's layer: its networks on the scene's prims, over the source when `sublayer` names it."""
    return Composer(plan, pack, out, sublayer).run(report)
