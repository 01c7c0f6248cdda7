"""Write what is meant as a MaterialX document: into the source's own tree where it is one, else into a new one.

Of each material the surfaces stand in the document, everything that feeds them in a node graph of its own.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.materialx.definitions import KINDS, SIDES, Definition, definitions, value_of
from durvan.formats.materialx.document import Tree
from durvan.formats.materialx.reading import HOME, Names, plain_name
from durvan.identity import Namer, leaf
from durvan.scene.graph import Value
from durvan.scene.written import Form, Property, ReadBack, Written, WrittenThing

_FROM, _TOLD = "durvan_from", "durvan_"
_LINKS = ("nodename", "nodegraph")
_BARE = "durvan_bare"  # of a material with nothing on its back, which a document cannot say
_OF = "durvan_of"  # of what feeds no material: the one that it came with
_LINEAR = "lin_rec709"
_ENDS = {"surface": "surfaceshader", "displacement": "displacementshader"}
_SIDES = {"front": "surfaceshader", "back": "backsurfaceshader"}  # what a material says of both, by the word's ports
_OUTSIDE = ("surfaceshader", "displacementshader", "volumeshader")  # types of nodes that stand in the document
_NEUTRAL: dict[str, str] = {str(neutral): type_ for type_, neutral in KINDS.items()} | {
    "color": "color3", "normal": "vector3", "vector4": "vector4", "token": "string", "int": "integer", "bool": "boolean",
}  # fmt: skip


def write(written: Written, file: Path) -> None:
    """Write a document that validates. Raises SceneFileError and OSError."""
    writer = Writer(written)
    writer.run()
    data = xml.to_bytes(writer.root)
    wrong = _wrong(data)
    if wrong and not (written.base and _wrong(Path(written.base).read_bytes())):
        raise SceneFileError(f"does not validate: {wrong}.", file=file)
    if wrong:
        written.remarks.append(f"The source is no valid document, so this one is none: {wrong}.")
    file.write_bytes(data)


def _wrong(data: bytes) -> str:
    """What MaterialX's own library finds wrong with a document; nothing of a valid one."""
    import MaterialX as mx

    document = mx.createDocument()
    try:
        mx.readFromXmlString(document, data.decode("utf-8"))
        document.importLibrary(library())
        good, said = document.validate()
    except (mx.Exception, RuntimeError, UnicodeDecodeError) as problem:
        return f"MaterialX does not take it: {problem}"[:400]
    return "" if good else str(said).strip()[:400]


def plain(name: str) -> str:
    """A name of the letters that names of elements may have."""
    return re.sub(r"[^A-Za-z0-9_]", "_", name)


_TYPES = (*KINDS, "BSDF", "EDF", "VDF", "displacementshader", "volumeshader", "matrix33", "matrix44")
_LIBRARY: list[Any] = []


def library() -> Any:
    """MaterialX's standard libraries, loaded once."""
    import MaterialX as mx

    if not _LIBRARY:
        found = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), found)
        _LIBRARY.append(found)
    return _LIBRARY[0]


class Writer:
    """Puts one `Written` into a tree."""

    def __init__(self, written: Written) -> None:
        self.written = written
        self.base = Tree(Path(written.base), comments=True) if written.base else None
        self.root = (
            self.base.root if self.base is not None else xml.element("materialx", version="1.39", colorspace=_LINEAR)
        )
        self.names = Names("")
        self.names.taken = Namer([one.get("name", "") for one in self.root if xml.is_element(one)], exact=True)
        materials = [path for path, thing in written.things.items() if thing.form is Form.MATERIAL]
        self.names.taken.know((path, plain_name(plain(leaf(path)))) for path in materials)
        self.known = materials_of(self.root) if self.base is not None else {}

    def run(self) -> None:
        for name, said in self.written.told.items():
            self.root.set(_TOLD + name, said)
        things = self.written.things
        below: dict[str, dict[str, WrittenThing]] = {}
        for path, thing in things.items():
            if thing.form is Form.NODE and not thing.off:
                below.setdefault(path.rsplit("/", 2)[0], {})[path] = thing
        for path, thing in things.items():
            if thing.form is Form.MATERIAL:
                self._material(path, thing, below.get(path, {}))
            elif thing.form is Form.CHANGES:
                self._changes(path, thing)
        if self.base is None:
            self._looks()

    def _material(self, path: str, thing: WrittenThing, nodes: Mapping[str, WrittenThing]) -> None:
        found = self.known.get(path)
        if found is None:
            name = self.names.taken.name(path, plain_name(plain(leaf(path))))
            found = xml.element("surfacematerial", name=name, type="material")
            found.set(_FROM, path)
        name = found.get("name", "")
        before = [child for child in found if child.tag == "input"]
        for child in before:
            found.remove(child)
        for node, output in thing.ends.values():
            if node in nodes and nodes[node].word not in definitions():
                nodes[node].outputs = {output: "token"}  # whatever it is, it stands for a surface
        sides = next(
            (nodes[node] for node, _ in thing.ends.values() if node in nodes and nodes[node].word == SIDES), None
        )
        nodes = {at: one for at, one in nodes.items() if one.word != SIDES}
        graph = _Graph(self.root, name, nodes, self.names)
        graph.run()
        for end, (node, _output) in thing.ends.items():
            said = _ENDS.get(end.rpartition(":")[2])
            if said is not None and node in graph.outside:
                xml.element("input", found, name=said, type=said, nodename=graph.outside[node])
        if sides is not None:
            _both_sides(found, sides, graph.outside)
        graph.mark_idle(found)
        if found.getparent() is None:
            self.root.append(found)
        else:  # after what it names
            self.root.remove(found)
            self.root.append(found)
            _prune(self.root, before)

    def _changes(self, path: str, thing: WrittenThing) -> None:
        """Put other values on a node of the source."""
        element = _at(self.root, path)
        if element is None:
            raise SceneFileError("has no such node any more.", file=self.written.base, inside=path)
        for port, one in thing.properties.items():
            child = next((c for c in element if c.tag == "input" and c.get("name") == port), None)
            if child is not None and child.get("interfacename"):
                graph = element.getparent()
                child = next(
                    (c for c in graph if c.tag == "input" and c.get("name") == child.get("interfacename")), child
                )
            if child is None:
                known = definitions().get(element.get("nodedef", ""))
                type_ = known.inputs.get(port, "") if known is not None else _NEUTRAL.get(one.type, one.type)
                child = xml.element("input", element, name=port, type=type_)
            if one.value is not None:
                if child.get("type") == "filename":
                    child.set("fileprefix", "")  # the path is whole
                child.set("value", text_of(one.value, child.get("type", "")))
                for said in ("unit", "unittype"):  # it was of the value that stood there; this one is in the port's own
                    child.attrib.pop(said, None)

    def _looks(self) -> None:
        """Who wears what, where the source says it."""
        if not self.written.worn:
            return
        look = xml.element("look", name=self.names.path("worn")[1:])
        names = {one.get(_FROM): one.get("name", "") for one in self.root if one.tag == "surfacematerial"}
        for number, (path, wearers) in enumerate(self.written.worn.items(), 1):
            if path in names and wearers:
                xml.element(
                    "materialassign",
                    look,
                    name=f"assign{number}",
                    material=names[path],
                    geom=", ".join(dict.fromkeys(wearers)),
                )
        if len(look):
            self.root.append(look)


def _both_sides(material: Any, sides: WrittenThing, names: Mapping[str, str]) -> None:
    """Have a material say what is on either side of it."""
    for port, said in _SIDES.items():
        one = sides.properties.get(port)
        if one is not None and one.link is not None and one.link[0] in names:
            xml.element("input", material, name=said, type="surfaceshader", nodename=names[one.link[0]])
    if not _has_back(material):
        material.set(_BARE, "true")


def _has_back(material: Any) -> bool:
    return any(child.get("name") == _SIDES["back"] for child in material)


def _as_meant(element: Any, root: Any) -> None:
    """Have a new element's colours and paths count as they are, whatever its document says of those that it holds already."""
    if root.get("fileprefix"):
        element.set("fileprefix", "")
    if root.get("colorspace", _LINEAR) != _LINEAR:
        element.set("colorspace", _LINEAR)


class _Graph:
    """One material's nodes: `outside` are the names of those that stand in the document, by their paths."""

    def __init__(self, root: Any, material: str, nodes: Mapping[str, WrittenThing], names: Names) -> None:
        self.root, self.material, self.nodes, self.names = root, material, nodes, names
        self.outside: dict[str, str] = {}
        self.inside: dict[str, str] = {}
        self.element: Any = None
        self.made: list[Any] = []  # what stands in the document beside that
        self.outputs: dict[tuple[str, str], str] = {}

    def run(self) -> None:
        numbers = 0
        for path, thing in self.nodes.items():
            if type_of(thing) in _OUTSIDE:
                numbers += 1
                kind = "DR" if type_of(thing) == "displacementshader" else "SR"
                self.outside[path] = self.names.path(f"{kind}{numbers if numbers > 1 else ''}_{self.material}")[1:]
            else:
                self.inside[path] = path.rsplit("/", 1)[-1]
        if self.inside:
            self.element = xml.element("nodegraph", name=self.names.path(f"NG_{self.material}")[1:])
            _as_meant(self.element, self.root)
            self.root.append(self.element)
        for path in self.inside:
            self._node(self.element, path, self.inside[path])
        for path in _fed_first(self.nodes, self.outside):
            node = self._node(self.root, path, self.outside[path])
            self.made.append(node)
            node.set("uiname", path.rsplit("/", 1)[-1])
            _as_meant(node, self.root)

    def mark_idle(self, material: Any) -> None:
        """Have what nothing reads say which material it came with."""
        made = [*self.made, *([self.element] if self.inside else [])]
        read = {one.get(key) for holder in (material, *made) for one in holder.iter("input") for key in _LINKS}
        for one in made:
            if one.get("name") not in read:
                one.set(_OF, material.get("name"))

    def _node(self, parent: Any, path: str, name: str) -> Any:
        thing = self.nodes[path]
        known = definitions().get(thing.word)
        category, type_ = (known.category, _said_type(known)) if known is not None else _guessed(thing)
        node = xml.element(category, parent, name=name, type=type_)
        if known is not None and known.version and known.name[-1].isdigit():
            node.set("version", known.version)
        elif known is not None and _needs_naming(known):
            node.set("nodedef", known.name)
        elif known is None and thing.word != f"ND_{category}_{type_}":
            node.set("nodedef", thing.word)
        for port, one in thing.properties.items():
            of = known.inputs.get(port, "") if known is not None else ""
            self._input(node, port, one, of or _NEUTRAL.get(one.type, one.type), path in self.outside)
        return node

    def _input(self, node: Any, port: str, one: Property, type_: str, outside: bool) -> None:
        child = xml.element("input", node, name=port, type=type_)
        if one.link is not None and one.link[0] in self.nodes:
            self._link(child, one.link, type_, outside)
        elif one.value is not None:
            child.set("value", text_of(one.value, type_))
            if one.space:
                child.set("colorspace", one.space)

    def _link(self, child: Any, link: tuple[str, str], type_: str, outside: bool) -> None:
        path, output = link
        multi = len(_outputs(self.nodes[path])) > 1
        if path in self.outside:
            child.set("nodename", self.outside[path])
        elif not outside:
            child.set("nodename", self.inside[path])
            if multi:
                child.set("output", output)
        else:
            child.set("nodegraph", self.element.get("name"))
            child.set("output", self._output(path, output, multi, type_))

    def _output(self, path: str, output: str, multi: bool, type_: str) -> str:
        """The graph's output that gives what a node gives; made when it is not there."""
        found = self.outputs.get((path, output))
        if found is None:
            base = self.inside[path] + (f"_{output}" if multi else "")
            found, number = f"{base}_out", 2
            while found in self.outputs.values() or found in self.inside.values():
                found, number = f"{base}_out{number}", number + 1
            self.outputs[path, output] = found
            end = xml.element("output", self.element, name=found, type=type_, nodename=self.inside[path])
            if multi:
                end.set("output", output)
        return found


def _fed_first(nodes: Mapping[str, WrittenThing], wanted: Mapping[str, str]) -> Iterator[str]:
    """Paths of what stands in the document, each after those that feed it."""
    done: set[str] = set()
    for start in wanted:
        stack = [(start, False)]
        while stack:
            path, ready = stack.pop()
            if path in done or path not in wanted:
                continue
            if ready:
                done.add(path)
                yield path
                continue
            stack.append((path, True))
            stack += [
                (one.link[0], False)
                for one in nodes[path].properties.values()
                if one.link is not None and one.link[0] != path
            ]


def _outputs(thing: WrittenThing) -> Mapping[str, str]:
    known = definitions().get(thing.word)
    return known.outputs if known is not None else thing.outputs


def _said_type(known: Definition) -> str:
    return known.type if len(known.outputs) == 1 else "multioutput"


def _guessed(thing: WrittenThing) -> tuple[str, str]:
    """Category and type of a node by an id that no library has, or by what it gives."""
    category, _, type_ = thing.word.removeprefix("ND_").rpartition("_")
    if not category or type_ not in _TYPES:
        given = next(iter(thing.outputs.values()), "")
        category, type_ = thing.word, "surfaceshader" if given == "token" else _NEUTRAL.get(given, "float")
    name = plain(category)
    return (f"_{name}" if name[:1].isdigit() else name or "node"), type_


def _needs_naming(known: Definition) -> bool:
    """Whether a category, a type and the inputs' types do not tell a definition from others of its kind."""
    return (
        known.category in ("gltf_image", "gltf_normalmap")
        or len(known.outputs) > 1
        or known.name.endswith(("FA", "I", "B"))
    )


def type_of(thing: WrittenThing) -> str:
    """The type that a node gives."""
    known = definitions().get(thing.word)
    return known.type if known is not None else _guessed(thing)[1]


def text_of(value: Value, type_: str) -> str:
    """A value as MaterialX writes it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, tuple):
        return ", ".join(_number(part) for part in value)
    if isinstance(value, str):
        return value
    return str(int(value)) if type_ == "integer" else _number(value)


def _number(value: float) -> str:
    return str(int(value)) if float(value).is_integer() and abs(value) < 1e15 else repr(float(value))


def materials_of(root: Any) -> dict[str, Any]:
    """A document's materials by the paths that they are read under."""
    names = Names(HOME)
    found = {}
    for one in root:
        if one.tag in ("surfacematerial", "volumematerial"):
            path = names.path(one.get("name", ""))
            found[path] = one
    return found


def _at(root: Any, path: str) -> Any | None:
    """The element of a node by where it was read: /name, or /graph/name."""
    here = root
    for name in path.strip("/").split("/"):
        here = next((child for child in here if child.get("name") == name), None)
        if here is None:
            return None
    return here


def _prune(root: Any, ends: list[Any]) -> None:
    """Take away what a material used, and nothing else uses."""
    waiting = [end.get("nodename") or end.get("nodegraph") for end in ends]
    while waiting:
        name = waiting.pop()
        element = next((one for one in root if one.get("name") == name), None) if name else None
        if element is None or _is_used(root, name, element):
            continue
        for one in element.iter("input", "output"):
            waiting += [one.get("nodegraph"), one.get("nodename") if element.tag != "nodegraph" else None]
        root.remove(element)


def _is_used(root: Any, name: str, element: Any) -> bool:
    within = set(element.iter()) if element.tag == "nodegraph" else set()
    return any(
        name in (one.get("nodename"), one.get("nodegraph")) for one in root.iter("input", "output") if one not in within
    )


# reading back


class DocumentReadBack:
    """A document that was written, asked what it says."""

    over = ""

    def __init__(self, file: Path) -> None:
        self.file = file
        self.root = Tree(file).root
        self.materials = materials_of(self.root)
        self.materials.update({one.get(_FROM): one for one in self.root if one.get(_FROM)})
        self.named: dict[str, Any] = {}
        self.idle: dict[str, list[str]] = {}  # by the material that they came with
        for one in self.root:
            self.named.setdefault(one.get("name"), one)
            if one.get(_OF):
                self.idle.setdefault(one.get(_OF), []).append(one.get("name"))
        self.inside: dict[str, tuple[dict[str, Any], dict[str, str]]] = {}

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What the document says of what is wanted of a thing. Raises SceneFileError."""
        if wanted.form is Form.MATERIAL:
            return self._material(path, wanted)
        if wanted.form is Form.CHANGES:
            return self._changed(path, wanted)
        if wanted.form is not Form.NODE or wanted.off:
            return wanted
        if wanted.word == SIDES:
            return self._sides(path, wanted)
        nodes, _ = self._nodes(path.rsplit("/", 2)[0])
        element = nodes.get(path.rsplit("/", 1)[-1])
        return self._node(path, element, wanted) if element is not None else None

    def _nodes(self, material: str) -> tuple[dict[str, Any], dict[str, str]]:
        """A material's nodes by their short names, and the other way round, by the names of the elements."""
        known = self.inside.get(material)
        if known is not None:
            return known
        found: dict[str, Any] = {}
        back: dict[str, str] = {}
        element = self.materials.get(material)
        waiting: list[tuple[str | None, str | None]] = []
        if element is not None:
            waiting = [(child.get("nodename"), child.get("nodegraph")) for child in element if child.tag == "input"]
            waiting += [(name, None) for name in self.idle.get(element.get("name"), ())]
        seen: set[str] = set()
        while waiting:
            name, graph = waiting.pop()
            key = name or graph or ""
            if key in seen:
                continue
            seen.add(key)
            one = self.named.get(key)
            if one is None:
                continue
            if one.tag == "nodegraph":
                for inner in one:
                    if xml.is_element(inner) and inner.tag not in ("input", "output"):
                        found[inner.get("name")] = inner
            else:
                found[one.get("uiname") or one.get("name")] = one
                back[one.get("name")] = one.get("uiname") or one.get("name")
                waiting += [(c.get("nodename"), c.get("nodegraph")) for c in one if c.tag == "input"]
        self.inside[material] = found, back
        return found, back

    def _material(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        element = self.materials.get(path)
        if element is None:
            return None
        thing = WrittenThing(wanted.form)
        _, back = self._nodes(path)
        for end, (node, output) in wanted.ends.items():
            if end.rpartition(":")[2] == "surface" and (element.get(_BARE) or _has_back(element)):
                thing.ends[end] = (node, output)  # both sides are asked for by themselves
                continue
            said = _ENDS.get(end.rpartition(":")[2], "")
            child = next((c for c in element if c.get("name") == said), None)
            if child is not None:
                thing.ends[end] = (f"{node.rsplit('/', 1)[0]}/{back.get(child.get('nodename'), '')}", output)
        return thing

    def _sides(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What a material says of both of its sides."""
        element = self.materials.get(path.rsplit("/", 2)[0])
        if element is None:
            return None
        thing = WrittenThing(wanted.form, wanted.word, outputs=dict(wanted.outputs))
        _, back = self._nodes(path.rsplit("/", 2)[0])
        for port, one in wanted.properties.items():
            child = next((c for c in element if c.get("name") == _SIDES.get(port)), None)
            if child is not None:
                link = self._link(child, path.rsplit("/", 1)[0], back, one.link)
                thing.properties[port] = Property(one.type, one.value, link, space=one.space)
        return thing

    def _node(self, path: str, element: Any, wanted: WrittenThing) -> WrittenThing:
        inputs = {c.get("name"): c for c in element if c.tag == "input"}
        thing = WrittenThing(wanted.form, self._word(element, inputs, wanted), outputs=dict(wanted.outputs))
        stem = path.rsplit("/", 1)[0]
        _, back = self._nodes(path.rsplit("/", 2)[0])
        for name, one in wanted.properties.items():
            child = inputs.get(name)
            if child is None:
                continue
            found = Property(one.type, space=child.get("colorspace", "") if one.space else "")
            try:
                found.value = (
                    value_of(child.get("type"), child.get("value")) if child.get("value") is not None else None
                )
            except ValueError as problem:
                raise SceneFileError(
                    f"does not read back: {problem}.", file=self.file, inside=f"{path}.{name}"
                ) from problem
            found.link = self._link(child, stem, back, one.link)
            if one.link is not None and found.link is not None:
                found.value = one.value  # a link stands in the place of a value
            thing.properties[name] = found
        return thing

    def _word(self, element: Any, inputs: Mapping[str, Any], wanted: WrittenThing) -> str:
        """The definition that an element has; what was meant, where category, type and the inputs' types agree with it."""
        known = definitions().get(wanted.word)
        if known is None:
            return wanted.word if _guessed(wanted)[0] == element.tag else str(element.tag)
        agrees = known.category == element.tag and element.get("type") == _said_type(known)
        agrees = agrees and all(known.inputs.get(name) == child.get("type") for name, child in inputs.items())
        return wanted.word if agrees else f"{element.tag} of {element.get('type')}"

    def _link(
        self, child: Any, stem: str, back: Mapping[str, str], wanted: tuple[str, str] | None
    ) -> tuple[str, str] | None:
        name, output = child.get("nodename"), child.get("output")
        if child.get("nodegraph"):
            graph = self.named.get(child.get("nodegraph"))
            end = (
                next((c for c in graph if c.tag == "output" and c.get("name") == output), None)
                if graph is not None
                else None
            )
            if end is None:
                return None
            name, output = end.get("nodename"), end.get("output")
        if not name:
            return None
        return f"{stem}/{back.get(name, name)}", output or (wanted[1] if wanted is not None else "out")

    def _changed(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        element = _at(self.root, path)
        if element is None:
            return None
        thing = WrittenThing(wanted.form)
        for name, one in wanted.properties.items():
            child = next((c for c in element if c.tag == "input" and c.get("name") == name), None)
            if child is not None and child.get("interfacename"):
                child = next((c for c in element.getparent() if c.get("name") == child.get("interfacename")), None)
            if child is not None and child.get("value") is not None:
                thing.properties[name] = Property(
                    one.type, value_of(child.get("type"), child.get("value")), None, False, one.space
                )
        return thing


def read_back(file: Path) -> ReadBack:
    """A document that was written. Raises SceneFileError."""
    return DocumentReadBack(file)


def carried_before(file: Path) -> dict[str, str]:
    """What a document says of how it was made; nothing of any other."""
    if not file.is_file():
        return {}
    try:
        root = Tree(file).root
    except SceneFileError:
        return {}
    return {name.removeprefix(_TOLD): value for name, value in root.attrib.items() if name.startswith(_TOLD)}
