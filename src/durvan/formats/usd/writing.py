"""Write what is meant as a USD layer, and read a layer back into the same form.

USD text is one rendering of it: nodes are Shader prims in a scope of their own, links are connections, a scene's property
is a prim at the root.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pxr import Sdf

from durvan.errors import SceneFileError
from durvan.formats.usd.flattening import as_crate, flatten
from durvan.formats.usd.opening import reads
from durvan.formats.usd.text import TYPES, Layer, Spec, asset, literal, number, quoted
from durvan.formats.usd.whole import put_body
from durvan.scene.graph import Value
from durvan.scene.written import Form, Property, Written, WrittenThing

_NEUTRAL = {usd: neutral for neutral, usd in TYPES.items()}
_TYPE_OF = {Sdf.ValueTypeNames.Find(usd): neutral for usd, neutral in _NEUTRAL.items()}
_STANDS = "xformOp:transform:stands"
_TURN, _UP = "xformOp:rotateY:turn", "xformOp:rotateX:up"
_SIZES = {"color": 3, "vector3": 3, "normal": 3, "vector2": 2, "vector4": 4, "int2": 2}


def layer_of(written: Written) -> Layer:
    """A layer that says what is meant."""
    layer = Layer()
    layer.metadata = _metadata(written)
    for path, thing in written.things.items():
        _put(layer, path, thing, written)
    return layer


def _metadata(written: Written) -> list[str]:
    told = "; ".join(f"string {name} = {quoted(said)}" for name, said in written.told.items())
    lines = [f"customLayerData = {{ dictionary durvan = {{ {told} }} }}"] if told else []
    lines += [f"{n} = {quoted(v) if isinstance(v, str) else repr(v)}" for n, v in written.metadata.items()]
    if written.over:
        lines.append(f"subLayers = [{asset(written.over)}]")
    return lines


def _put(layer: Layer, path: str, thing: WrittenThing, written: Written) -> None:
    spec = layer.prim(path)
    if thing.free:
        instance = layer.prim(thing.free)
        if "instanceable = false" not in instance.metadata:
            instance.metadata.append("instanceable = false")
    if thing.off:
        spec.metadata.append("active = false")
    for name, (node, output) in thing.ends.items():
        spec.lines.append(f"token outputs:{name}.connect = <{node}.outputs:{output}>")
    if thing.form is Form.NODE:
        parent = path.rsplit("/", 1)[0]
        if parent not in written.things:
            scope = layer.prim(parent)
            scope.specifier, scope.type = "def", "Scope"
        spec.specifier, spec.type = "def", "Shader"
        spec.lines.append(f"uniform token info:id = {quoted(thing.word)}")
    elif thing.form is Form.SCENE:
        spec.specifier, spec.type = "def", thing.word
    prefix = "inputs:" if thing.form in (Form.NODE, Form.CHANGES) else ""
    for name, one in thing.properties.items():
        _property(spec, f"{prefix}{name}", one)
    if thing.yaw is not None:
        spec.lines.extend(_turned(thing.yaw, written.up_axis))
    if thing.towards is not None:
        spec.lines.extend(_standing(thing.towards, written.up_axis))
    if thing.matrix:
        rows = ", ".join(f"({', '.join(repr(float(n)) for n in thing.matrix[k : k + 4])})" for k in range(0, 16, 4))
        spec.lines += [
            f"matrix4d {_STANDS} = ( {rows} )",
            f'uniform token[] xformOpOrder = ["!resetXformStack!", "{_STANDS}"]',
        ]
    for name, of in thing.outputs.items():
        spec.lines.append(f"{TYPES[of]} outputs:{name}")


def _property(spec: Spec, name: str, one: Property) -> None:
    of = TYPES[one.type]
    if one.value is not None:
        space = f" (\n    colorSpace = {quoted(one.space)}\n)" if one.space else ""
        fixed = "uniform " if one.fixed else ""
        spec.lines.append(f"{fixed}{of} {name} = {literal(one.type, one.value)}{space}")
    if one.link is not None:
        spec.lines.append(f"{of} {name}.connect = <{one.link[0]}.outputs:{one.link[1]}>")


def _turned(yaw: float, up_axis: str) -> list[str]:
    """A dome's transform, its pole up and turned by an angle in degrees, whatever its parents do."""
    order = ["!resetXformStack!", *([_UP] if up_axis == "Z" else []), _TURN]
    lines = [f"float {_UP} = 90"] if up_axis == "Z" else []
    lines.append(f"float {_TURN} = {number(yaw)}")
    return [*lines, f"uniform token[] xformOpOrder = [{', '.join(map(quoted, order))}]"]


def _standing(towards: tuple[float, float], up_axis: str) -> list[str]:
    """The transform of a light that shines along −Z from where it stands in the sky (azimuth and elevation, degrees), with
    north at −Z, or at +Y where Z is up.
    """
    azimuth, elevation = towards
    about, turn, lift = ("Z", -azimuth, elevation - 90.0) if up_axis == "Z" else ("Y", 180.0 - azimuth, -elevation)
    across, up = f"xformOp:rotate{about}:azimuth", "xformOp:rotateX:elevation"
    order = ", ".join(map(quoted, ("!resetXformStack!", across, up)))
    return [
        f"double {across} = {turn!r}", f"double {up} = {lift!r}", f"uniform token[] xformOpOrder = [{order}]",
    ]  # fmt: skip


def write(written: Written, file: Path) -> None:
    """Write a file, in the form that its ending says; one that replaces its source becomes a stage of its own.

    Raises SceneFileError and OSError.
    """
    layer = layer_of(written)
    text = file.with_name(f"{file.stem}.beside.usda")
    try:
        try:
            if file.suffix == ".usda" and written.replaced is None and written.over:
                layer.write(file)
                keep(file, written)
                return
            layer.write(text)
            keep(text, written)
            if not written.over:
                put_body(text, written)
        finally:
            layer.release()
        if written.replaced is None:
            as_crate(text, file)
        else:
            flatten(text, file, written.replaced)
    finally:
        text.unlink(missing_ok=True)


def keep(file: Path, written: Written) -> None:
    """Take over what else stands in the file that is written anew. Raises SceneFileError."""
    if not written.kept_from:
        return
    old, new = reads(Path(written.kept_from)), reads(file)
    waiting = [prim.path for prim in old.rootPrims]
    with Sdf.ChangeBlock():
        while waiting:
            path = waiting.pop()
            if str(path) in written.things:
                continue
            there = new.GetPrimAtPath(path)
            if there is None:
                Sdf.CopySpec(old, path, new, path)
                continue
            for name in [one.name for one in old.GetPrimAtPath(path).properties if one.name not in there.properties]:
                Sdf.CopySpec(old, path.AppendProperty(name), new, path.AppendProperty(name))
            waiting += [child.path for child in old.GetPrimAtPath(path).nameChildren]
    if not new.Export(str(file)):
        raise SceneFileError("cannot be written.", file=file)


def carried_before(file: Path) -> dict[str, str]:
    """What a file says of how it was made; nothing of one that is not there, or that somebody else made."""
    if not file.is_file():
        return {}
    try:
        layer = reads(file)
    except SceneFileError:
        return {}
    said = {str(name): str(value) for name, value in dict(layer.customLayerData.get("durvan", {})).items()}
    return said | {"over": str(layer.subLayerPaths[0])} if said and layer.subLayerPaths else said


# reading back


class LayerReadBack:
    """A layer that says what is asked for by its name: far quicker than walking over all there is."""

    def __init__(self, file: Path) -> None:
        self.file = file
        self.layer = reads(file)
        self.over = str(self.layer.subLayerPaths[0]) if self.layer.subLayerPaths else ""

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What a prim says of what is wanted of it. Raises SceneFileError."""
        prim = self.layer.GetPrimAtPath(path)
        try:
            return _thing(self.layer, prim, wanted) if prim is not None else None
        except (RuntimeError, TypeError, ValueError) as problem:
            raise SceneFileError(f"does not read back: {problem}.", file=self.file, inside=path) from problem


def read_back(file: Path) -> LayerReadBack:
    """A file that was written, opened past any copy in memory. Raises SceneFileError."""
    return LayerReadBack(file)


def _thing(layer: Any, prim: Any, wanted: WrittenThing) -> WrittenThing:
    """What a prim says of what is wanted of it; every question costs the library something, so no other is asked."""
    at, of = layer.GetAttributeAtPath, prim.path.AppendProperty
    thing = WrittenThing(wanted.form, str(prim.typeName) if wanted.form is Form.SCENE else "")
    thing.off = wanted.off and prim.HasInfo("active") and not prim.active
    if wanted.form is Form.NODE:
        spec = at(of("info:id"))
        thing.word = str(spec.default) if spec is not None else ""
    for name in wanted.ends:
        link = _link(at(of(f"outputs:{name}")))
        if link is not None:
            thing.ends[name] = link
    for name in wanted.outputs:
        spec = at(of(f"outputs:{name}"))
        if spec is not None:
            thing.outputs[name] = _type(spec)
    if wanted.yaw is not None:
        turn = at(of(_TURN))
        thing.yaw = float(turn.default) if turn is not None else None
    if wanted.towards is not None:
        thing.towards = _stood(layer, prim)
    if wanted.matrix:
        spec = at(of(_STANDS))
        found = spec.default if spec is not None else None
        thing.matrix = tuple(found[row][column] for row in range(4) for column in range(4)) if found is not None else ()
    prefix = "inputs:" if wanted.form in (Form.NODE, Form.CHANGES) else ""
    for name, one in wanted.properties.items():
        if one.type == "paths":
            list_ = layer.GetRelationshipAtPath(of(prefix + name))
            if list_ is not None:
                thing.properties[name] = Property("paths", " ".join(map(str, list_.targetPathList.explicitItems)))
            continue
        spec = at(of(prefix + name))
        if spec is not None:
            thing.properties[name] = _found(spec, one)
    return thing


def _stood(layer: Any, prim: Any) -> tuple[float, float] | None:
    """Where a far light stands in the sky by its transform."""
    for about in "YZ":
        turn = layer.GetAttributeAtPath(prim.path.AppendProperty(f"xformOp:rotate{about}:azimuth"))
        lift = layer.GetAttributeAtPath(prim.path.AppendProperty("xformOp:rotateX:elevation"))
        if turn is not None and lift is not None:
            one, two = float(turn.default), float(lift.default)
            return (180.0 - one, -two) if about == "Y" else (-one, two + 90.0)
    return None


def _type(spec: Any) -> str:
    written = spec.typeName
    return _TYPE_OF.get(written) or str(written)


def _found(spec: Any, wanted: Property) -> Property:
    of = _type(spec)
    value = _value(of, spec.default) if wanted.value is not None else None
    link = _link(spec) if wanted.link is not None else None
    space = str(spec.GetInfo("colorSpace")) if wanted.space and spec.HasInfo("colorSpace") else ""
    return Property(of, value, link, False, space)


def _value(of: str, found: Any) -> Value | None:
    if found is None or isinstance(found, bool | int | float):
        plain: Value | None = found
        return plain
    size = _SIZES.get(of)
    if size is not None:
        return tuple(found[place] for place in range(size))
    return str(found.path) if of == "file" else str(found)


def _link(spec: Any) -> tuple[str, str] | None:
    if spec is None:
        return None
    for path in spec.connectionPathList.explicitItems:
        return str(path.GetPrimPath()), str(path.name).removeprefix("outputs:")
    return None
