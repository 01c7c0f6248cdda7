"""Write what is meant as glTF: a new file from all that a scene has, or the source's own with other values in it."""

from __future__ import annotations

import copy
import os
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np

from durvan.delivery.beside import Beside
from durvan.errors import PictureError, SceneFileError
from durvan.formats import embedded
from durvan.formats.gltf.container import Asset, pack, read_asset, text_of, without_unsaid
from durvan.formats.gltf.geometry import Geometry, apart, said_of
from durvan.formats.gltf.lenient import extension, inner, listed, table
from durvan.formats.gltf.materials import ANISOTROPY, BY_PARAMETER, PBR, TRANSFORM, WRAPS
from durvan.formats.gltf.packing import Packer, Textures, extension_names, number, three
from durvan.formats.gltf.paths import material_paths, node_paths, parents
from durvan.formats.gltf.reading import LIGHTS, SPACE
from durvan.formats.gltf.words import EXTRAS, WORDS_OF_LIGHTS
from durvan.identity import leaf
from durvan.optics.sun import towards
from durvan.scene.assembly import Assembly
from durvan.scene.graph import Value
from durvan.scene.written import Form, Lying, Property, Written, WrittenThing

_MIME = {".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg"}


def write(written: Written, file: Path) -> None:
    """Write a file, and what lies beside it. Raises SceneFileError and OSError."""
    beside = written.beside or Beside(file)
    home = beside.target
    binary = home.suffix.lower() == ".glb"
    try:
        document, data, remarks = _changed(written, home) if written.base else _Whole(written, beside, binary).made()
    except PictureError as problem:
        raise SceneFileError(f"a picture {problem.what}", file=home, inside=problem.file) from problem
    written.remarks.extend(remarks)
    document.setdefault("asset", {})["version"] = "2.0"
    document["asset"]["generator"] = "Durvan"
    if written.told:
        upright = (written.body.upright() if written.body is not None else _upright(written)).reshape(-1).tolist()
        document["asset"].setdefault("extras", {})[EXTRAS] = {**written.told, "upright": upright}
    if data:
        document["buffers"] = [{"byteLength": len(data)}]
        if not binary:
            name = beside.named("", "the buffer", home.stem, ".bin")
            beside.place(name).write_bytes(data)
            document["buffers"][0]["uri"] = quote(name)
    if binary:
        file.write_bytes(pack(document, bytes(data) if data else None))
    else:
        file.write_text(text_of(document, indent=1) + "\n", encoding="utf-8")


class _Whole:
    """A file of its own."""

    def __init__(self, written: Written, beside: Lying, binary: bool) -> None:
        self.written, self.beside, self.binary = written, beside, binary
        self.geometry = Geometry({}, {})
        self.textures = Textures(self._find, self._put, self._use)
        self.materials: list[dict[str, Any]] = []
        self.lights: list[dict[str, Any]] = []
        self.cameras: list[dict[str, Any]] = []

    def made(self) -> tuple[dict[str, Any], bytearray, list[str]]:
        """The document, its buffer and what is to be said of it."""
        body = self.written.body or Assembly()
        self.geometry.learn(body)
        self._materials()
        self.geometry.put(body)
        for path, thing in self.written.things.items():
            if thing.form is Form.SCENE:
                self._standing(path, thing, body)
        return (
            self._document(),
            self.geometry.data,
            [*self.geometry.remarks, *dict.fromkeys(self.textures.remarks), *body.lost],
        )

    # pictures

    def _find(self, path: str) -> str:
        return path if path.startswith("/") else self.beside.find(path)

    def _use(self, path: str) -> dict[str, Any]:
        """A picture that is there: within a binary file, or where it is."""
        if self.binary:
            place = Path(self._find(path))
            if place.is_file():
                return self._within(place.read_bytes(), place.suffix.lower())
        return {"uri": quote(path, safe="/.-_~")}

    def _put(self, key: str, wish: str, data: bytes) -> dict[str, Any]:
        if self.binary:
            return self._within(data, ".png")
        name = self.beside.named("maps", key, wish, ".png")
        self.beside.place(name).write_bytes(data)
        return {"uri": quote(name)}

    def _within(self, data: bytes, ending: str) -> dict[str, Any]:
        mime = _MIME.get(embedded.ending_of(data) or ending, "image/png")
        return {"bufferView": self.geometry.embed(data), "mimeType": mime}

    # materials

    def _materials(self) -> None:
        below: dict[str, dict[str, WrittenThing]] = {}
        for path, thing in self.written.things.items():
            if thing.form is Form.NODE and not thing.off:
                below.setdefault(path.rsplit("/", 2)[0], {})[path] = thing
        for path, thing in self.written.things.items():
            if thing.form is not Form.MATERIAL:
                continue
            root = next((node for end, (node, _) in thing.ends.items() if end.endswith("surface")), "")
            nodes = below.get(path, {})
            if root not in nodes:
                continue
            packer = Packer(nodes, root, self.textures, self.geometry.uv_number, path)
            said = {"name": packer.name, **packer.run()}
            said["extras"] = {EXTRAS: {"path": path, **({"missing": packer.missing} if packer.missing else {})}}
            self.geometry.numbers[path] = len(self.materials)
            if ANISOTROPY in said.get("extensions", {}) and "normalTexture" not in said:
                self.geometry.stretched.add(path)
            if packer.corners:
                self.geometry.tinted[path] = packer.corners
            self.materials.append(said)
        for gone, into in self.written.merged.items():
            if into in self.geometry.numbers:
                self.geometry.numbers[gone] = self.geometry.numbers[into]
            if into in self.geometry.stretched:
                self.geometry.stretched.add(gone)

    # lights and cameras

    def _standing(self, path: str, thing: WrittenThing, body: Assembly) -> None:
        node: dict[str, Any] = {"name": leaf(path)}
        values = {name.rpartition(":")[2]: one.value for name, one in thing.properties.items() if one.value is not None}
        if thing.word in WORDS_OF_LIGHTS:
            self.lights.append(_light(WORDS_OF_LIGHTS[thing.word], values, node["name"]))
            node["extensions"] = {LIGHTS: {"light": len(self.lights) - 1}}
        elif thing.word == "gltf.camera":
            self.cameras.append(_camera(values, node["name"]))
            node["camera"] = len(self.cameras) - 1
        else:
            return
        node["extras"] = {EXTRAS: {"path": path}}
        node |= self._stands(thing, body)
        self.geometry.roots.append(len(self.geometry.nodes))
        self.geometry.nodes.append(node)

    def _stands(self, thing: WrittenThing, body: Assembly) -> dict[str, Any]:
        """Where a light or a camera stands, without a size: neither has one in glTF."""
        upright = body.upright() if self.written.body is not None else _upright(self.written)
        if thing.towards is not None:
            to = np.array(towards(*thing.towards))
            across = np.cross((0.0, 1.0, 0.0), to)
            across = across / np.linalg.norm(across) if np.linalg.norm(across) > 1e-9 else np.array([1.0, 0.0, 0.0])
            return said_of(np.zeros(3), np.stack([across, np.cross(to, across), to]), np.ones(3))
        if not thing.matrix:
            return {}
        matrix = np.array(thing.matrix).reshape(4, 4) @ upright
        rows = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True), 1e-12)
        if np.linalg.det(rows) < 0.0:
            rows[0] *= -1.0
        if apart(np.block([[rows, np.zeros((3, 1))], [matrix[3:4, :3], np.ones((1, 1))]])) is None:
            rows[1] -= (rows[1] @ rows[2]) * rows[2]
            rows[1] /= max(float(np.linalg.norm(rows[1])), 1e-12)
            rows[0] = np.cross(rows[1], rows[2])
        return said_of(matrix[3, :3], rows, np.ones(3))

    def _document(self) -> dict[str, Any]:
        g, t = self.geometry, self.textures
        out: dict[str, Any] = {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": g.roots} if g.roots else {}],
        }
        parts = {
            "nodes": g.nodes, "meshes": g.meshes, "accessors": g.accessors, "bufferViews": g.views, "materials": self.materials,
            "textures": t.textures, "images": t.images, "samplers": t.samplers, "cameras": self.cameras,
        }  # fmt: skip
        out |= {name: rows for name, rows in parts.items() if rows}
        if self.lights:
            out["extensions"] = {LIGHTS: {"lights": self.lights}}
        used = sorted(extension_names(out))
        if used:
            out["extensionsUsed"] = used
        return out


def _upright(written: Written) -> Any:
    unit = written.metadata.get("metersPerUnit", 1.0)
    return Assembly(
        up_axis=written.up_axis, metres_per_unit=float(unit) if isinstance(unit, int | float) else 1.0
    ).upright()


def _light(kind: str, values: Mapping[str, Value], name: str) -> dict[str, Any]:
    said: dict[str, Any] = {"type": kind, "name": name}
    if "color" in values:
        colour = three(values["color"])
        most = max(*colour, 1.0)
        said["color"] = [part / most for part in colour]
        said["intensity"] = number(values.get("intensity", 1.0)) * most
    elif "intensity" in values:
        said["intensity"] = number(values["intensity"])
    if number(values.get("range", 0.0)) > 0.0 and kind != "directional":
        said["range"] = number(values["range"])
    if kind == "spot":
        outer = min(number(values.get("outer_cone", np.pi / 4)), np.pi / 2)
        inner = min(number(values.get("inner_cone", 0.0)), max(outer - 1e-4, 0.0))
        said["spot"] = {"innerConeAngle": inner, "outerConeAngle": outer}
    return said


def _camera(values: Mapping[str, Value], name: str) -> dict[str, Any]:
    near, far = number(values.get("near", 0.01)), number(values.get("far", 0.0))
    if values.get("projection") == "orthographic":
        part = {
            "xmag": number(values.get("width", 1.0)), "ymag": number(values.get("height", 1.0)), "znear": near,
            "zfar": far if far > near else near + 1e4,
        }  # fmt: skip
        return {"type": "orthographic", "name": name, "orthographic": part}
    part = {"yfov": number(values.get("yfov", np.pi / 4)), "znear": max(near, 1e-6)}
    if far > near:
        part["zfar"] = far
    if number(values.get("aspect_ratio", 0.0)) > 0.0:
        part["aspectRatio"] = number(values["aspect_ratio"])
    return {"type": "perspective", "name": name, "perspective": part}


# into the source's own document


def _changed(written: Written, home: Path) -> tuple[dict[str, Any], bytearray, list[str]]:
    """The source's document with what is meant in it; everything else of it stays, known or not."""
    asset = read_asset(Path(written.base))
    for name in ("bufferViews", "images", "materials", "textures", "samplers", "cameras"):
        asset.many(name)
    document = copy.deepcopy(asset.document)
    data = _buffers(asset, document)
    _images(asset, document, home)
    nodes = asset.many("nodes")
    above, order = parents(nodes)
    materials = {path: n for n, path in enumerate(material_paths(asset.many("materials")))}
    standing = {path: n for n, path in enumerate(node_paths(nodes, above, order))}
    for path, thing in written.things.items():
        stem, _, node = path.rpartition("/")
        if thing.form is Form.CHANGES and stem in materials:
            _change_material(document, materials[stem], node, thing)
        elif path in standing:
            _change_standing(document, standing[path], thing)
        elif thing.form is not Form.PROPERTIES:
            raise SceneFileError("has no such thing any more.", file=written.base, inside=path)
    said = [name for name in listed(document.get("extensionsUsed")) if isinstance(name, str)]
    used = sorted({*said, *extension_names(document)})
    if used:
        document["extensionsUsed"] = used
    left: list[str] = []
    document = without_unsaid(document, "", left)
    return document, data, [f"{place} was no finite number; it is left out." for place in left]


def _buffers(asset: Asset, document: dict[str, Any]) -> bytearray:
    """All buffers as one; views say where in it they lie."""
    data = bytearray()
    starts = []
    for number_ in range(len(asset.many("buffers"))):
        data.extend(b"\0" * (-len(data) % 4))
        starts.append(len(data))
        data.extend(asset.buffer(number_)[: asset.many("buffers")[number_]["byteLength"]])
    for number_, view in enumerate(document.get("bufferViews", ())):
        _, begin, _, _ = asset.view(number_, f"/bufferViews/{number_}")
        view["byteOffset"] = begin + starts[view["buffer"]]
        view["buffer"] = 0
    return data


def _images(asset: Asset, document: dict[str, Any], home: Path) -> None:
    """Pictures beside the source are named from the new place."""
    for one in document.get("images", ()):
        uri = one.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:") and asset.place(uri):
            one["uri"] = quote(
                os.path.relpath(asset.place(uri), home.absolute().parent).replace(os.sep, "/"), safe="/.-_~"
            )


def _change_material(document: dict[str, Any], number_: int, node: str, thing: WrittenThing) -> None:
    said = document["materials"][number_]
    for port, one in thing.properties.items():
        if node == "surface":
            _put_factor(said, port, one)
        elif one.value is not None:
            _put_texture(document, said, node.removesuffix("_texture"), port, one.value)


def _put_factor(said: dict[str, Any], port: str, one: Property) -> None:
    """Put another value of the surface where it stands."""
    value = one.value
    place = BY_PARAMETER.get(port)
    if value is None:
        return
    if port == "alpha_mode":
        said["alphaMode"] = ("OPAQUE", "MASK", "BLEND")[int(number(value)) % 3]
    elif port in ("alpha_cutoff", "double_sided"):
        said["alphaCutoff" if port == "alpha_cutoff" else "doubleSided"] = (
            bool(value) if port == "double_sided" else number(value)
        )
    elif port == "iridescence_thickness":
        inner(inner(said, "extensions"), "KHR_materials_iridescence")["iridescenceThicknessMaximum"] = number(value)
    elif place is not None:
        home = said
        if place.home:
            home = inner(said if place.home == PBR else inner(said, "extensions"), place.home)
        if place.factor == "baseColorFactor":
            rgba = [*listed(home.get("baseColorFactor")), *[1.0] * 4][:4]
            home["baseColorFactor"] = [*rgba[:3], number(value)] if port == "alpha" else [*three(value), rgba[3]]
        else:
            home[place.factor] = three(value) if place.channels == "rgb" else number(value)
    else:
        raise SceneFileError(f"has no place for {port}.")


def _texture_info(said: dict[str, Any], port: str) -> dict[str, Any] | None:
    own = {"normal": ("", "normalTexture"), "occlusion": ("", "occlusionTexture"), "clearcoat_normal": ("KHR_materials_clearcoat", "clearcoatNormalTexture"),
           "anisotropy": ("KHR_materials_anisotropy", "anisotropyTexture"), "iridescence_thickness": ("KHR_materials_iridescence", "iridescenceThicknessTexture")}  # fmt: skip
    place = BY_PARAMETER.get(port)
    home, key = own.get(port) or ((place.home, place.texture) if place is not None else ("", ""))
    holder = said if not home else table(said.get(PBR)) if home == PBR else extension(said, home)
    found = holder.get(key)
    return found if isinstance(found, dict) else None


def _put_texture(document: dict[str, Any], said: dict[str, Any], texture: str, port: str, value: Value) -> None:
    info = _texture_info(said, texture)
    if info is None:
        raise SceneFileError(f"has no texture for {texture} any more.")
    if port in ("offset", "scale", "rotation"):
        moved = inner(inner(info, "extensions"), TRANSFORM)
        moved[port] = [float(part) for part in value] if isinstance(value, tuple) else number(value)
    elif port == "factor":
        place = BY_PARAMETER[texture]
        four = value if isinstance(value, tuple) else (number(value),) * 4
        _put_factor(said, texture, Property("any", tuple(four[:3]) if place.channels == "rgb" else four[0]))
    elif port == "strength":
        info["scale" if "ormal" in texture else "strength"] = number(value)
    elif port == "uv_set":
        info["texCoord"] = int(str(value).removeprefix("st") or 0)
    elif port in ("wrap_s", "wrap_t"):
        _own_texture(document, info)
        sampler = (
            dict(document["samplers"][document["textures"][info["index"]]["sampler"]])
            if "sampler" in document["textures"][info["index"]]
            else {}
        )
        sampler["wrapS" if port == "wrap_s" else "wrapT"] = {name: n for n, name in WRAPS.items()}[str(value)]
        document.setdefault("samplers", []).append(sampler)
        document["textures"][info["index"]]["sampler"] = len(document["samplers"]) - 1
    elif port == "file":
        _put_file(document, info, str(value))
    elif port != "decode":
        raise SceneFileError(f"has no place for {port} of {texture}.")


def _own_texture(document: dict[str, Any], info: dict[str, Any]) -> None:
    document["textures"].append(dict(document["textures"][info["index"]]))
    info["index"] = len(document["textures"]) - 1


def _put_file(document: dict[str, Any], info: dict[str, Any], path: str) -> None:
    """Another picture: one that is named so already, or a new one."""
    uri = quote(path.removeprefix("./"), safe="/.-_~")
    images = document.setdefault("images", [])
    place = next((n for n, one in enumerate(images) if one.get("uri") == uri), None)
    if place is None:
        images.append({"uri": uri})
        place = len(images) - 1
    _own_texture(document, info)
    document["textures"][info["index"]]["source"] = place


def _change_standing(document: dict[str, Any], place: int, thing: WrittenThing) -> None:
    node = document["nodes"][place]
    names = {
        "inner_cone": "innerConeAngle",
        "outer_cone": "outerConeAngle",
        "aspect_ratio": "aspectRatio",
        "near": "znear",
        "far": "zfar",
        "width": "xmag",
        "height": "ymag",
    }
    index = extension(node, LIGHTS).get("light")
    for port, one in thing.properties.items():
        name = port.removeprefix(f"{SPACE}:")
        key = names.get(name, name)
        value = [float(part) for part in one.value] if isinstance(one.value, tuple) else one.value
        if index is not None:
            light = document["extensions"][LIGHTS]["lights"][index]
            (inner(light, "spot") if "ConeAngle" in key else light)[key] = value
        elif "camera" in node:
            camera = document["cameras"][node["camera"]]
            inner(camera, camera.get("type", "perspective"))[key] = value


def carried_before(file: Path) -> dict[str, str]:
    """What a file says of how it was made; nothing of any other."""
    if not file.is_file():
        return {}
    try:
        said = read_asset(file).document["asset"].get("extras", {}).get(EXTRAS, {})
    except (SceneFileError, AttributeError):
        return {}
    return {str(name): str(value) for name, value in said.items()} if isinstance(said, dict) else {}


def rewrite(source: Path, out: Path, put: Callable[[str], str]) -> int:
    """Write a copy with other paths of pictures in it; how many were changed. Raises SceneFileError."""
    from urllib.parse import unquote

    asset = read_asset(source)
    unsaid: list[str] = []
    document = without_unsaid(copy.deepcopy(asset.document), "", unsaid)
    if unsaid:
        raise SceneFileError("has a number that is not finite, which JSON cannot say.", file=source, inside=unsaid[0])
    changed = 0
    named = [one for name in ("images", "buffers") if asset.many(name) for one in document[name]]
    for one in named:
        uri = one.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:"):
            new = put(unquote(uri))
            if new != unquote(uri):
                one["uri"] = quote(new, safe="/.-_~")
                changed += 1
    if source.suffix.lower() == ".glb":
        out.write_bytes(pack(document, asset.inside))
    else:
        out.write_text(text_of(document, indent=1) + "\n", encoding="utf-8")
    return changed


def paths_in(file: Path) -> list[str]:
    """Every path of another file that a file names."""
    from urllib.parse import unquote

    asset = read_asset(file)
    found = [one.get("uri") for one in (*asset.many("images"), *asset.many("buffers"))]
    return list(dict.fromkeys(unquote(uri) for uri in found if isinstance(uri, str) and not uri.startswith("data:")))
