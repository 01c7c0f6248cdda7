"""Read a MaterialX document into raw things: a material each, with all the nodes that feed it; nodes go by their definitions' names."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from durvan.formats.materialx.colours import is_known, to_rec709
from durvan.formats.materialx.definitions import SIDES, by_category, definitions, found_for, value_of
from durvan.formats.materialx.document import Tree
from durvan.formats.materialx.units import METRES, in_units_of
from durvan.identity import Namer
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Link, Node, Problem, Value
from durvan.scene.model import Kind, Oddity
from durvan.scene.raw import RawPicture, RawReference, RawScene, RawThing
from durvan.scene.wearers import Wearer

CONTEXT = "mtlx"  # the render context of a document's materials
HOME = "/Materials"
_NOT_NODES = {
    "nodedef", "implementation", "look", "lookgroup", "collection", "geominfo", "geompropdef", "typedef", "unitdef", "unittypedef",
    "targetdef", "variantset", "propertyset", "backdrop", "token", "input", "output", "attributedef", "nodegraph", "comment",
}  # fmt: skip
_TERMINALS = (
    ("surfaceshader", "surface"),
    ("displacementshader", "displacement"),
    ("volumeshader", "volume"),
    ("backsurfaceshader", "back"),
)
_CLEAN = re.compile(r"[^A-Za-z0-9_]")
_MOST_NODES = 200_000  # of one material, once definitions of the document are put in place of the nodes that use them
_DEEP = 48
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*(:[A-Za-z_][A-Za-z0-9_]*)*")
_TOKEN = re.compile(r"\[([A-Za-z_][A-Za-z0-9_]*)\]")


def plain_name(name: str) -> str:
    """A name with nothing in it that could not stand in a path."""
    base = _CLEAN.sub("_", name) or "material"
    return base if not base[0].isdigit() else f"_{base}"


class Names:
    """Paths that are valid everywhere, each given once."""

    def __init__(self, home: str) -> None:
        self.home = home
        self.taken = Namer(exact=True)

    def path(self, name: str) -> str:
        """A path for a name; the same name again gets a number."""
        return f"{self.home}/{self.taken.numbered(plain_name(name))}"


class Scope:
    """Where names are looked up: the document, a node graph, or one use of a definition, with the node that uses it."""

    def __init__(self, element: Any, prefix: str, source: str, outer: Scope | None = None, used_by: Any = None) -> None:
        self.element, self.prefix, self.source, self.outer, self.used_by = element, prefix, source, outer, used_by
        self.space: str = _inherited(element, "colorspace", outer.space if outer is not None else "")
        self.files: str = _inherited(element, "fileprefix", outer.files if outer is not None else "")
        self.nodes: dict[str, Any] = {}
        self.inputs: dict[str, Any] = {}
        for child in element:
            tag = child.tag
            if tag == "input":
                self.inputs[child.get("name", "")] = child
            elif isinstance(tag, str):
                self.nodes.setdefault(child.get("name", ""), child)


def _inherited(element: Any, name: str, otherwise: str) -> str:
    found = element.get(name)
    return otherwise if found is None else str(found)


class Reader:
    """Reads one tree. Use `read_document`."""

    def __init__(self, tree: Tree) -> None:
        self.tree = tree
        self.root = Scope(tree.root, "", "")
        self.raw = RawScene(tree.file, METRES, "Y", None, "", tuple(tree.files), {}, "")
        self.raw.oddities = list(tree.oddities)
        self.folder = str(Path(tree.file).absolute().parent)
        self.names = Names(HOME)
        self.own = {one.get("name", ""): one for one in tree.root if one.tag == "nodedef"}
        self.bodies = self._bodies()
        self.scopes: dict[str, Scope] = {}
        self.materials: dict[str, str] = {}
        self.used: set[str] = set()
        self.thing = RawThing("", "", Kind.MATERIAL, "")

    def run(self, report: Report) -> RawScene:
        materials = [one for one in self.tree.root if one.tag in ("surfacematerial", "volumematerial")]
        inner = [
            (g, m)
            for g in self.tree.root
            if g.tag == "nodegraph" and not g.get("nodedef")
            for m in g
            if m.tag == "surfacematerial"
        ]
        for count, one in enumerate(materials):
            if count % 200 == 0:
                report(Step("Reading the document", count, len(materials)))
            self._material(one, self.root)
        for graph, one in inner:
            self._material(one, self._graph(graph.get("name", "")) or self.root)
        self._bare_surfaces()
        self._looks()
        self._left_over()
        for href in self.tree.missing:
            self.raw.references.append(RawReference(href, "", self.folder, Path(self.tree.file).name, "layer"))
        return self.raw

    # what a document defines itself

    def _bodies(self) -> dict[str, Any]:
        """The node graph that stands for a definition of the document, by the definition's name."""
        graphs = {one.get("name", ""): one for one in self.tree.root if one.tag == "nodegraph"}
        found = {one.get("nodedef", ""): one for one in graphs.values() if one.get("nodedef")}
        for one in self.tree.root:
            if one.tag == "implementation" and one.get("nodegraph") in graphs:
                found.setdefault(one.get("nodedef", ""), graphs[one.get("nodegraph")])
        return found

    def _own_definition(self, element: Any, type_: str) -> Any | None:
        """The document's own definition of a node, where it has one."""
        if not self.own:
            return None
        named = element.get("nodedef", "")
        if named:
            return self.own.get(named)
        for one in self.own.values():
            if one.get("node") == element.tag:
                outputs = [child.get("type", "") for child in one if child.tag == "output"] or [one.get("type", "")]
                if type_ in (*outputs, "multioutput", ""):
                    return one
        return None

    # materials

    def _material(self, element: Any, scope: Scope) -> None:
        name = element.get("name", "")
        thing = self.thing = RawThing(self.names.path(name), name, Kind.MATERIAL, str(element.tag))
        self.materials[name] = thing.path
        if scope.prefix:
            self.materials[f"{scope.prefix.rstrip('/')}/{name}"] = thing.path
        self.raw.things.append(thing)
        self._walk(
            thing, ((end, child) for said, end in _TERMINALS for child in element if child.get("name") == said), scope
        )
        self._back(thing)
        for child in element:
            if child.tag == "input" and child.get("name") not in dict(_TERMINALS):
                self._odd(
                    "unknown-input", thing.path, f"{name}.{child.get('name')}", child, "is no input of a material"
                )

    @staticmethod
    def _back(thing: RawThing) -> None:
        """A material with another back comes from a node of both sides: a word of no library, which a document says by the material."""
        ends = thing.contexts.get(CONTEXT, {})
        back = ends.pop("back", None)
        if back is None:
            return
        sides = thing.graph.add(Node("sides", SIDES, source=thing.path, links={"back": back}))
        if "surface" in ends:
            sides.links["front"] = ends["surface"]
        ends["surface"] = Link(sides.id)

    def _walk(self, thing: RawThing, ends: Iterator[tuple[str, Any]], scope: Scope) -> None:
        """The nodes that feed a material, from its ends inwards, without recursion."""
        waiting: list[tuple[Scope, Any, str]] = []
        known: set[str] = set()
        for end, child in ends:
            found = self._target(child, scope, waiting)
            if isinstance(found, Link):
                thing.contexts.setdefault(CONTEXT, {})[end] = found
            elif found is not None or _is_linked(child):
                self._odd("dangling", thing.path, f"{thing.name}.{child.get('name')}", child, "leads to no node")
        while waiting:
            where, element, name = waiting.pop()
            if name in known:
                continue
            known.add(name)
            if len(known) > _MOST_NODES:
                self._odd(
                    "too-large", thing.path, name, element, f"has more than {_MOST_NODES} nodes; the rest is left out"
                )
                break
            self._node(thing, where, element, name, waiting)

    def _bare_surfaces(self) -> None:
        """Surfaces that no material names are materials of their own: documents without materials are common."""
        for element in self.tree.root:
            if element.tag in _NOT_NODES or element.get("type") != "surfaceshader" or element.get("name") in self.used:
                continue
            name = element.get("name", "")
            thing = self.thing = RawThing(self.names.path(name), name, Kind.MATERIAL, "surfaceshader")
            self.raw.things.append(thing)
            self.materials.setdefault(name, thing.path)
            waiting = [(self.root, element, name)]
            thing.contexts[CONTEXT] = {"surface": Link(name)}
            done: set[str] = set()
            while waiting:
                where, one, path = waiting.pop()
                if path not in done:
                    done.add(path)
                    self._node(thing, where, one, path, waiting)

    # nodes

    def _node(
        self, thing: RawThing, scope: Scope, element: Any, name: str, waiting: list[tuple[Scope, Any, str]]
    ) -> None:
        self.used.add(f"{scope.source}{element.get('name', '')}")
        inputs = {child.get("name", ""): child for child in element if child.tag == "input"}
        kind = self._kind(element, inputs)
        node = Node(name, kind, source=f"/{scope.source}{element.get('name', '')}")
        problems: dict[str, Problem] = {}
        known = definitions().get(kind)
        space = ""
        for port, child in inputs.items():
            meant = known.inputs.get(port, "") if known is not None else ""
            type_ = child.get("type") or meant
            if not _NAME.fullmatch(port) or (meant and type_.startswith("matrix") and type_ != meant):
                why = f"A {meant} is wanted, not a {type_}" if _NAME.fullmatch(port) else "No input can have that name"
                problems[port[:80]] = Problem(f"{why} (line {child.sourceline}).")
                continue
            found = self._input(child, scope, type_, port, problems, waiting)
            if isinstance(found, Link):
                node.links[port] = found
                continue
            value, where = found
            if value is None:
                continue
            if type_ == "filename" and isinstance(value, str):
                space = where.get("colorspace", "") or _inherited(element, "colorspace", scope.space)
                value = self._picture(value, where, element, scope, name, port)
            node.values[port] = value
        if (space and element.get("type", "") in ("color3", "color4")) or (
            space and len(known.outputs if known else ()) > 1
        ):
            node.values["colorspace"] = space
        node.problems = problems or None
        thing.graph.nodes[name] = node

    def _kind(self, element: Any, inputs: dict[str, Any]) -> str:
        """The name of the definition that a node has; of one that no library has, a name of the same form."""
        named, type_, category = element.get("nodedef", ""), element.get("type", ""), str(element.tag)
        if named in definitions():
            return str(named)
        version = element.get("version", "")
        if version:
            for one in by_category().get(category, ()):
                if one.version == version and one.type == type_:
                    return one.name
        types = {name: child.get("type", "") for name, child in inputs.items()}
        found = found_for(category, type_, types)
        return found.name if found is not None else named or f"ND_{category}_{type_}"

    def _input(
        self,
        child: Any,
        scope: Scope,
        type_: str,
        port: str,
        problems: dict[str, Problem],
        waiting: list[tuple[Scope, Any, str]],
    ) -> Link | tuple[Value | None, Any]:
        """What an input has: a link, or a value with the element that says it, through the inputs of graphs around it."""
        where, hops = child, 0
        while hops < _DEEP:
            hops += 1
            outer = where.get("interfacename", "")
            if not outer:
                break
            found, scope = self._interface(outer, scope)
            if found is None:
                problems[port] = Problem(f"Nothing is called '{outer[:80]}' in the graph around it.", link=True)
                return None, where
            where = found
        if _is_linked(where):
            link = self._target(where, scope, waiting)
            if isinstance(link, Link):
                return link
            if where.get("value") is None:
                problems[port] = Problem(f"It leads to no node: {_link_words(where)}.", link=True)
                self._odd("dangling", self.thing.path, port, where, f"leads to no node: {_link_words(where)}")
                return None, where
        text = where.get("value")
        if text is None:
            return None, where
        value = self._value(text, where, scope, type_, port, problems)
        unit = where.get("unit", "")
        if unit and value is not None:
            value = self._in_unit(value, unit, str(child.getparent().tag), port, where)
        return value, where

    def _in_unit(self, value: Value, unit: str, category: str, port: str, where: Any) -> Value:
        """A number in the unit of the port that it is for."""
        factor = in_units_of(unit, category, port)
        if factor is None:
            detail = f"is in '{unit[:40]}', which is no unit of it; its numbers are taken as they are"
            self._odd("unknown-unit", self.thing.path, port, where, detail)
            return value
        if isinstance(value, tuple):
            return tuple(part * factor for part in value)
        return value * factor if isinstance(value, float | int) and not isinstance(value, bool) else value

    def _value(
        self, text: str, where: Any, scope: Scope, type_: str, port: str, problems: dict[str, Problem]
    ) -> Value | None:
        try:
            value = value_of(type_, text)
        except ValueError as problem:
            problems[port] = Problem(f"{str(problem).capitalize()} in line {where.sourceline}.")
            return None
        parts = value if isinstance(value, tuple) else (value,)
        if not all(isinstance(part, str) or part is None or math.isfinite(part) for part in parts):
            problems[port] = Problem(f"Not a finite number in line {where.sourceline}: {text[:60]}.")
            return None
        if isinstance(value, tuple) and len(value) > 4:
            return text
        if type_ in ("color3", "color4") and isinstance(value, tuple):
            space = _inherited(where, "colorspace", _inherited(where.getparent(), "colorspace", scope.space))
            if not is_known(space):
                self._odd(
                    "colour-space",
                    self.thing.path,
                    port,
                    where,
                    f"is in '{space[:60]}', which is not known; its numbers are taken as they are",
                )
            value = to_rec709(value, space)
        return value

    def _interface(self, name: str, scope: Scope) -> tuple[Any | None, Scope]:
        """The input of the graph around a node, or what the node that uses the graph says for it, with where that is looked up."""
        if scope.used_by is not None and scope.outer is not None:
            for child in scope.used_by:
                if child.tag == "input" and child.get("name") == name:
                    return child, scope.outer
            definition = self._own_definition(scope.used_by, scope.used_by.get("type", ""))
            for child in definition if definition is not None else ():
                if child.tag == "input" and child.get("name") == name:
                    return child, scope.outer
        found = scope.inputs.get(name)
        # what a graph of the document says of its own input is linked from the document
        return found, scope.outer if found is not None and scope.outer is not None and _is_linked(found) else scope

    def _graph(self, name: str) -> Scope | None:
        found = self.scopes.get(name)
        if found is None:
            element = self.root.nodes.get(name)
            if element is None or element.tag != "nodegraph":
                return None
            found = self.scopes[name] = Scope(element, f"{name}/", f"{name}/", self.root)
        return found

    def _target(self, child: Any, scope: Scope, waiting: list[tuple[Scope, Any, str]]) -> Link | None:
        """Where a link leads: to a node of the same scope, or through the output of a graph or of a definition of the document."""
        output = child.get("output", "")
        name = child.get("nodename", "")
        graph = child.get("nodegraph", "")
        for _ in range(_DEEP):
            if graph:
                inner = self._graph(graph)
                found = self._output_of(inner, output) if inner is not None else None
                if inner is None or found is None:
                    return None
                scope, name, graph, output = (
                    inner,
                    found.get("nodename", ""),
                    found.get("nodegraph", ""),
                    found.get("output", ""),
                )
                if not name and found.get("interfacename"):
                    return None
                continue
            element = scope.nodes.get(name)
            if element is None:
                return None
            if element.tag == "nodegraph":
                graph, name = name, ""
                continue
            if element.tag in ("output", "input"):
                name, graph, output = (
                    element.get("nodename", ""),
                    element.get("nodegraph", ""),
                    element.get("output", ""),
                )
                continue
            body = self._body_of(element)
            if body is None:
                full = scope.prefix + name
                waiting.append((scope, element, full))
                return Link(full, output or "out")
            self.used.add(f"{scope.source}{name}")
            if scope.prefix.count("//") >= _DEEP // 4:
                return None
            inner = Scope(body, f"{scope.prefix}{name}//", f"{body.get('name', '')}/", scope, element)
            found = self._output_of(inner, output)
            if found is None:
                return None
            scope, name, graph, output = (
                inner,
                found.get("nodename", ""),
                found.get("nodegraph", ""),
                found.get("output", ""),
            )
        return None

    def _body_of(self, element: Any) -> Any | None:
        definition = self._own_definition(element, element.get("type", ""))
        return self.bodies.get(definition.get("name", "")) if definition is not None else None

    @staticmethod
    def _output_of(scope: Scope, name: str) -> Any | None:
        outputs = [child for child in scope.element if child.tag == "output"]
        named = [child for child in outputs if child.get("name") == name]
        return named[0] if named else outputs[0] if (outputs and not name) or len(outputs) == 1 else None

    # files

    def _picture(self, text: str, where: Any, element: Any, scope: Scope, node: str, port: str) -> str:
        prefix = next(
            (one.get("fileprefix") for one in (where, element) if one.get("fileprefix") is not None), scope.files
        )
        path = prefix + self._tokens(text, scope)
        space = where.get("colorspace", "")
        if space and not is_known(space):
            said = f"is in '{space[:60]}', which is not known; its pixels are taken as they are"
            self._odd("colour-space", self.thing.path, port, where, said)
        if path:
            self.raw.pictures.append(RawPicture(path, "", self.thing.path, node, port, self.folder))
        return path

    @staticmethod
    def _tokens(text: str, scope: Scope) -> str:
        """A path with the tokens of the graphs around it put in."""

        def put(match: re.Match[str]) -> str:
            here: Scope | None = scope
            while here is not None:
                token = here.nodes.get(match.group(1))
                if token is not None and token.tag == "token":
                    return str(token.get("value", ""))
                here = here.outer
            return match.group(0)

        return _TOKEN.sub(put, text)

    # the rest

    def _looks(self) -> None:
        """Who wears what, by the document's looks."""
        collections = {
            one.get("name", ""): one.get("includegeom", "") for one in self.tree.root if one.tag == "collection"
        }
        for look in self.tree.root:
            for one in look if look.tag == "look" else ():
                if one.tag != "materialassign":
                    continue
                path = self.materials.get(one.get("material", ""))
                if path is None:
                    self._odd(
                        "dangling",
                        "",
                        one.get("name", ""),
                        one,
                        f"assigns '{one.get('material', '')[:80]}', which is no material",
                    )
                    continue
                geometry = one.get("geom", "") or collections.get(one.get("collection", ""), "")
                for place in (part.strip() for part in geometry.split(",")):
                    if place:
                        by = f"{look.get('name', '')}/{one.get('name', '')}"
                        self.raw.wear(path, Wearer(place, by, False))

    def _left_over(self) -> None:
        """Nodes that no material uses are told; they stay in the document."""
        left: list[str] = []
        for element in self.tree.root:
            name = element.get("name", "")
            if element.tag == "nodegraph" and not element.get("nodedef"):
                inner = [
                    c.get("name", "")
                    for c in element
                    if isinstance(c.tag, str) and c.tag not in ("input", "output", "token")
                ]
                left += [f"{name}/{one}" for one in inner if f"{name}/{one}" not in self.used]
            elif (
                element.tag not in _NOT_NODES
                and element.tag not in ("surfacematerial", "volumematerial")
                and name not in self.used
            ):
                left.append(name)
        if left:
            some = ", ".join(left[:5]) + (f" and {len(left) - 5} more" if len(left) > 5 else "")
            self.raw.oddities.append(Oddity("unused-nodes", "", "/", f"No material uses {some}; they are not carried."))

    def _odd(self, code: str, thing: str, path: str, element: Any, said: str) -> None:
        line = f" (line {element.sourceline})" if element.sourceline else ""
        self.raw.oddities.append(Oddity(code, thing, path, f"{element.get('name', '')} {said}{line}."))


def _is_linked(child: Any) -> bool:
    return bool(child.get("nodename") or child.get("nodegraph") or (child.get("output") and child.tag != "output"))


def _link_words(child: Any) -> str:
    parts = (child.get("nodegraph", ""), child.get("nodename", ""), child.get("output", ""))
    return ".".join(part[:80] for part in parts if part)


def read_document(file: Path, report: Report = silent) -> RawScene:
    """Everything in a document that is carried, in its order. Raises SceneFileError with the line."""
    report(Step("Reading the document"))
    return Reader(Tree(file)).run(report)


def paths_of(tree: Tree) -> Iterator[tuple[Any, str]]:
    """Every input that names a file, and the path as it is written there."""
    for one in tree.root.iter("input"):
        if one.get("type") == "filename" and one.get("value"):
            yield one, one.get("value")


__all__ = ["CONTEXT", "HOME", "METRES", "Names", "paths_of", "read_document"]
