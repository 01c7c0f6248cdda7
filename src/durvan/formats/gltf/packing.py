"""A material's nodes as a glTF material: factors, and textures whose channels are where glTF reads them.

What a slot of the material reads straight from a file stays that file; channels that come from several files, or stand elsewhere in
one, are put together into a picture of their own.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from durvan.errors import PictureError
from durvan.formats.gltf.channels import LETTERS, Pixels, as_png, channel_of, read_raw, recoded, together
from durvan.formats.gltf.materials import ANISOTROPY, CORNERS, MODES, NORMAL, PBR, PLACES, TRANSFORM, WRAPS, Place
from durvan.identity import clean, leaf
from durvan.scene.graph import Value
from durvan.scene.written import WrittenThing

_UNBOUND = ("thicknessTexture", "iridescenceThicknessTexture", "emissiveTexture")  # slots whose factors may be over 1
_FILM = 400.0  # nm, the thickness of a film of which none is said
_STRAIGHT = (".png", ".jpg", ".jpeg")
_SAMPLER = {said: number for number, said in WRAPS.items()}
_X = "KHR_materials_"
_SRGB, _LINEAR = "srgb", "linear"
Nodes = Mapping[str, WrittenThing]


@dataclass
class Textures:
    """All textures of a file, each once. `find` gives the file that a written path leads to; `put` takes a picture that was made, by
    a key of its own and what it would be called, and gives how it is written; `use` does so for one that is there.
    """

    find: Callable[[str], str]
    put: Callable[[str, str, bytes], dict[str, Any]]
    use: Callable[[str], dict[str, Any]]
    images: list[dict[str, Any]] = field(default_factory=list)
    samplers: list[dict[str, Any]] = field(default_factory=list)
    textures: list[dict[str, Any]] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    raw: dict[str, Pixels] = field(default_factory=dict)
    _made: dict[Any, int] = field(default_factory=dict)

    def pixels(self, written: str) -> Pixels:
        """A picture's numbers, read once. Raises PictureError."""
        if written not in self.raw:
            self.raw[written] = read_raw(self.find(written))
        return self.raw[written]

    def image(self, key: Any, said: Callable[[], dict[str, Any]]) -> int:
        """The number of an image, made when it is new."""
        if key not in self._made:
            self.images.append(said())
            self._made[key] = len(self.images) - 1
        return self._made[key]

    def texture(self, image: int, sampler: dict[str, Any]) -> int:
        """The number of a texture of an image with a sampler."""
        if sampler and sampler not in self.samplers:
            self.samplers.append(sampler)
        said: dict[str, Any] = {"source": image}
        if sampler:
            said["sampler"] = self.samplers.index(sampler)
        if said not in self.textures:
            self.textures.append(said)
        return self.textures.index(said)


@dataclass
class Fed:
    """A channel of a slot that is fed: the node, the channel of its picture, and the channel of the slot."""

    node: WrittenThing
    reads: str
    stands: str


class Packer:
    """Makes one material. `uv_number` gives the number of a set of UVs by its name."""

    def __init__(self, nodes: Nodes, root: str, textures: Textures, uv_number: Callable[[str], int], path: str) -> None:
        self.nodes, self.surface, self.textures = nodes, nodes[root], textures
        self.uv_number, self.path, self.name = uv_number, path, leaf(path)
        self.out: dict[str, Any] = {}
        self.corners = ""
        self.missing: dict[str, str] = {}

    def run(self) -> dict[str, Any]:
        """The material as JSON."""
        links = {
            port: one.link
            for port, one in self.surface.properties.items()
            if one.link is not None and one.link[0] in self.nodes
        }
        values = {port: one.value for port, one in self.surface.properties.items() if one.value is not None}
        self._past_corners(links, values)
        self._absent(links)
        slots: dict[tuple[str, str], list[Place]] = {}
        for place in PLACES:
            if place.parameter in links and place.texture:
                slots.setdefault((place.home, place.texture), []).append(place)
            elif place.parameter in values:
                self._factor(place, values[place.parameter])
        for (home, key), places in slots.items():
            self._slot(home, key, places, links, values)
        self._modes(values)
        self._relief(links)
        self._film(links, values)
        self._stretch(links, values)
        self._whole()
        return self.out

    def _past_corners(self, links: dict[str, tuple[str, str]], values: dict[str, Value]) -> None:
        """Colours of corners are the mesh's matter: what they multiply is the base itself."""
        link = links.get("base_color")
        if link is None or self.nodes[link[0]].word != CORNERS:
            return
        node = self.nodes[link[0]]
        self.corners = str(_value(node, "name", "COLOR_0"))
        inner = node.properties.get("input")
        del links["base_color"]
        if inner is not None and inner.link is not None and inner.link[0] in self.nodes:
            links["base_color"] = inner.link
        elif inner is not None and inner.value is not None:
            values["base_color"] = inner.value

    def _absent(self, links: dict[str, tuple[str, str]]) -> None:
        """Pictures that are not there cannot be named in a file that is to be whole: their paths are kept beside it."""
        for port, (node, _) in list(links.items()):
            file = str(_value(self.nodes[node], "file", ""))
            if not Path(self.textures.find(file)).is_file():
                del links[port]
                self.missing[port] = file
                self.textures.remarks.append(
                    f"{self.name}: the picture of {port.replace('_', ' ')} is not there ({file}), so it is left out."
                )

    # factors

    def _home(self, name: str) -> dict[str, Any]:
        if not name:
            return self.out
        holder = self.out if name == PBR else self.out.setdefault("extensions", {})
        found: dict[str, Any] = holder.setdefault(name, {})
        return found

    def _factor(self, place: Place, value: Value) -> None:
        if not place.factor:
            return
        if place.factor == "baseColorFactor":
            rgba = self._home(PBR).setdefault("baseColorFactor", [1.0, 1.0, 1.0, 1.0])
            if place.parameter == "alpha":
                rgba[3] = number(value)
            else:
                rgba[:3] = three(value)
            return
        if place.parameter == "attenuation_distance" and number(value) <= 0.0:
            return
        self._home(place.home)[place.factor] = three(value) if place.channels == "rgb" else number(value)

    # textures

    def _slot(
        self,
        home: str,
        key: str,
        places: list[Place],
        links: Mapping[str, tuple[str, str]],
        values: Mapping[str, Value],
    ) -> None:
        """What stands in a slot: the picture that feeds it, or one that is put together."""
        fed = [Fed(self.nodes[links[p.parameter][0]], links[p.parameter][1], p.channels) for p in places]
        colour = any(p.colour for p in places)
        largest = 1.0
        if self._is_straight(fed, colour, home, key, values):
            said = self._straight(fed[0].node)
        else:
            said, largest = self._together(fed, colour, key)
        self._home(home)[key] = said
        for place, one in zip(places, fed, strict=True):
            self._slot_factor(place, one, largest)

    def _slot_factor(self, place: Place, one: Fed, largest: float) -> None:
        factor = _value(one.node, "factor", (1.0, 1.0, 1.0, 1.0))
        four = (
            [float(part) * largest for part in factor] if isinstance(factor, tuple) else [number(factor) * largest] * 4
        )
        four = [max(part, 0.0) for part in four]
        brightest = max(four[:3])
        if place.parameter == "emissive" and brightest > 1.0:  # what is over 1 of a glow is its strength
            strength = self._home(f"{_X}emissive_strength")
            strength["emissiveStrength"] = float(strength.get("emissiveStrength", 1.0)) * brightest
            four = [part / brightest for part in four]
        elif place.texture not in _UNBOUND:
            four = [min(part, 1.0) for part in four]
        if place.channels == "rgb":
            self._factor(place, tuple(four[:3]))
        else:
            self._factor(
                place, four[3] if one.reads == "a" else four[0 if one.reads == "rgb" else LETTERS.index(one.reads)]
            )

    def _is_straight(self, fed: list[Fed], colour: bool, home: str, key: str, values: Mapping[str, Value]) -> bool:
        """Whether a slot can read the file that feeds it as it is."""
        first = fed[0].node
        file = str(_value(first, "file", ""))
        if not file.lower().endswith(_STRAIGHT) or any(_placed(one.node) != _placed(first) for one in fed[1:]):
            return False
        if any(one.reads != one.stands or _decode(one.node) != (_SRGB if colour else _LINEAR) for one in fed):
            return False
        stands = {one.stands for one in fed}
        if key == "metallicRoughnessTexture" and stands == {"g"}:
            return "metallic" in values and number(values["metallic"]) == 0.0
        if key == "metallicRoughnessTexture" and stands == {"b"}:
            return "roughness" in values and number(values["roughness"]) == 0.0
        if key == "baseColorTexture" and stands == {"a"}:
            return False
        if key == "baseColorTexture" and stands == {"rgb"} and number(values.get("alpha_mode", 0)) > 0:
            return not self._has_alpha(file)
        return True

    def _has_alpha(self, file: str) -> bool:
        try:
            return self.textures.pixels(file).shape[2] in (2, 4)
        except PictureError:  # one that cannot be read has none
            return False

    def _straight(self, node: WrittenThing) -> dict[str, Any]:
        file = str(_value(node, "file", ""))
        image = self.textures.image(("file", file), lambda: self.textures.use(file))
        return self._info(node, image)

    def _together(self, fed: list[Fed], colour: bool, key: str) -> tuple[dict[str, Any], float]:
        """A picture of the channels that a slot reads, and what its largest number stands for."""
        need = _SRGB if colour else _LINEAR
        wide = 4 if any(one.stands == "a" for one in fed) else 3
        layers: list[Pixels | None] = [None] * wide
        names: list[Any] = [need]
        for one in fed:
            file = str(_value(one.node, "file", ""))
            pixels = self.textures.pixels(file)
            for letter in one.stands:
                reads = letter if one.reads == "rgb" else one.reads
                have = _LINEAR if reads == "a" else _decode(one.node)
                wants = _LINEAR if letter == "a" else need
                layer = recoded(channel_of(pixels, reads), have, wants)
                layers[LETTERS.index(letter)] = self._moved(layer, one.node, fed[0].node)
                names.append((letter, file, reads, have, _placed(one.node)))
        if key not in _UNBOUND:  # what is never over 1 is no more so in a picture
            layers = [
                layer if layer is None or layer.dtype.kind == "u" else np.clip(layer, 0.0, 1.0) for layer in layers
            ]
        full = self._full([layer for layer in layers if layer is not None])
        pixels, largest = together([full if layer is None else layer for layer in layers])
        image = self.textures.image(tuple(names), lambda: self._put(key.removesuffix("Texture"), as_png(pixels)))
        return self._info(fed[0].node, image), largest

    def _put(self, slot: str, data: bytes) -> dict[str, Any]:
        """A picture that was made for a slot."""
        return self.textures.put(f"{self.path} {slot}", f"{clean(self.name, 'material')}_{slot}", data)

    @staticmethod
    def _full(layers: list[Pixels]) -> Pixels:
        """A channel that changes nothing where it is multiplied."""
        like = layers[0]
        most = np.iinfo(like.dtype).max if like.dtype.kind == "u" else 1.0
        return np.full(like.shape, most, dtype=like.dtype)

    def _moved(self, layer: Pixels, node: WrittenThing, to: WrittenThing) -> Pixels:
        """A channel that lies otherwise than the first one, laid as that lies: looked up anew, so no longer bit for bit."""
        if _placed(node) == _placed(to):
            return layer
        here, there = _matrix(node), _matrix(to)
        height, width = layer.shape
        u, v = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
        place = np.stack([u.ravel(), v.ravel(), np.ones(u.size)])
        moved = here @ np.linalg.pinv(there) @ place
        column = np.floor(moved[0] * width).astype(np.int64) % width
        row = np.floor(moved[1] * height).astype(np.int64) % height
        self.textures.remarks.append(
            f"{self.name}: pictures that lie otherwise were laid over each other in one; look at how they repeat."
        )
        return np.asarray(layer[row, column].reshape(height, width))

    def _info(self, node: WrittenThing, image: int) -> dict[str, Any]:
        sampler = {
            key: _SAMPLER[str(_value(node, port, "repeat"))]
            for key, port in (("wrapS", "wrap_s"), ("wrapT", "wrap_t"))
            if str(_value(node, port, "repeat")) in _SAMPLER and _value(node, port, "repeat") != "repeat"
        }
        said: dict[str, Any] = {"index": self.textures.texture(image, sampler)}
        number_ = self.uv_number(str(_value(node, "uv_set", "")))
        if number_:
            said["texCoord"] = number_
        moved: dict[str, Any] = {}
        for port, usual in (("offset", (0.0, 0.0)), ("scale", (1.0, 1.0))):
            value = _value(node, port, usual)
            if value != usual and isinstance(value, tuple):
                moved[port] = [float(part) for part in value]
        if number(_value(node, "rotation", 0.0)):
            moved["rotation"] = number(_value(node, "rotation", 0.0))
        if moved:
            said["extensions"] = {TRANSFORM: moved}
        return said

    # the rest

    def _modes(self, values: Mapping[str, Value]) -> None:
        mode = int(number(values.get("alpha_mode", 0)))
        if 0 < mode < len(MODES):
            self.out["alphaMode"] = MODES[mode]
        if mode == 1 and "alpha_cutoff" in values:
            self.out["alphaCutoff"] = number(values["alpha_cutoff"])
        if bool(values.get("double_sided", False)):
            self.out["doubleSided"] = True

    def _relief(self, links: Mapping[str, tuple[str, str]]) -> None:
        for port, home, key in (
            ("normal", "", "normalTexture"),
            ("clearcoat_normal", f"{_X}clearcoat", "clearcoatNormalTexture"),
        ):
            link = links.get(port)
            if link is None or self.nodes[link[0]].word != NORMAL:
                continue
            node = self.nodes[link[0]]
            file = str(_value(node, "file", ""))
            if file.lower().endswith(_STRAIGHT):
                said = self._straight(node)
            else:
                said, _ = self._together([Fed(node, "rgb", "rgb")], False, key)
            if number(_value(node, "strength", 1.0)) != 1.0:
                said["scale"] = number(_value(node, "strength", 1.0))
            self._home(home)[key] = said
        link = links.get("occlusion")
        if link is not None:
            self.out["occlusionTexture"] = self._straight(self.nodes[link[0]])

    def _film(self, links: Mapping[str, tuple[str, str]], values: Mapping[str, Value]) -> None:
        """The film's thickness: a picture lies between two ends, a number is the upper one."""
        name = f"{_X}iridescence"
        link = links.get("iridescence_thickness")
        if link is not None:
            node = self.nodes[link[0]]
            fed = [Fed(node, link[1], "g")]
            straight = link[1] == "g" and str(_value(node, "file", "")).lower().endswith(_STRAIGHT)
            said, largest = (
                (self._straight(node), 1.0) if straight else self._together(fed, False, "iridescenceThicknessTexture")
            )
            factor, shift = _value(node, "factor", (1.0,) * 4), number(_value(node, "shift", 0.0))
            spread = number(factor[0] if isinstance(factor, tuple) else factor) * largest
            home = self._home(name)
            home |= {
                "iridescenceThicknessTexture": said,
                "iridescenceThicknessMinimum": shift,
                "iridescenceThicknessMaximum": shift + spread,
            }
        elif "iridescence_thickness" in values and (
            "iridescence" in values or "iridescence" in links or number(values["iridescence_thickness"]) != _FILM
        ):
            self._home(name)["iridescenceThicknessMaximum"] = number(values["iridescence_thickness"])

    def _stretch(self, links: Mapping[str, tuple[str, str]], values: Mapping[str, Value]) -> None:
        """A map of how far highlights are drawn out stands in blue; red and green say that they follow the tangent."""
        link = links.get("anisotropy_strength")
        if link is None:
            return
        node = self.nodes[link[0]]
        pixels = self.textures.pixels(str(_value(node, "file", "")))
        layer = recoded(channel_of(pixels, "r" if link[1] == "rgb" else link[1]), _decode(node), _LINEAR)
        full = self._full([layer])
        middle = (full / 2).astype(full.dtype) if full.dtype.kind == "u" else full * 0.5
        layer = layer if layer.dtype.kind == "u" else np.clip(layer, 0.0, 1.0)
        made, largest = together([full, middle, layer])
        file = str(_value(node, "file", ""))
        image = self.textures.image(("stretch", file, link[1]), lambda: self._put("anisotropy", as_png(made)))
        home = self._home(ANISOTROPY)
        factor = _value(node, "factor", (1.0,) * 4)
        home["anisotropyStrength"] = min(number(factor[0] if isinstance(factor, tuple) else factor) * largest, 1.0)
        home["anisotropyTexture"] = self._info(node, image)

    def _whole(self) -> None:
        """Extensions that say nothing are left out, and those that have to say something say it."""
        extensions = self.out.get("extensions", {})
        for name in [name for name, said in extensions.items() if not said]:
            del extensions[name]
        if not extensions:
            self.out.pop("extensions", None)
        if f"{_X}dispersion" in extensions:
            extensions.setdefault(f"{_X}volume", {})  # colours part in a body alone
            if f"{_X}diffuse_transmission" not in extensions:
                extensions.setdefault(f"{_X}transmission", {})  # and a body is one that may let light through
        if f"{_X}volume" in extensions:
            self.out.pop("doubleSided", None)  # a body has an inside
        if (
            f"{_X}volume" in extensions
            and f"{_X}transmission" not in extensions
            and f"{_X}diffuse_transmission" not in extensions
        ):
            del extensions[f"{_X}volume"]  # of a body that lets nothing through
            if not extensions:
                self.out.pop("extensions", None)


def _value(node: WrittenThing, port: str, otherwise: Value) -> Value:
    one = node.properties.get(port)
    return otherwise if one is None or one.value is None else one.value


def _decode(node: WrittenThing) -> str:
    return str(_value(node, "decode", _LINEAR))


def _placed(node: WrittenThing) -> tuple[Value, ...]:
    usual: tuple[tuple[str, Value], ...] = (
        ("file", ""),
        ("offset", (0.0, 0.0)),
        ("scale", (1.0, 1.0)),
        ("rotation", 0.0),
        ("uv_set", ""),
        ("wrap_s", "repeat"),
        ("wrap_t", "repeat"),
    )
    return tuple(_value(node, port, otherwise) for port, otherwise in usual if port != "file")


def _matrix(node: WrittenThing) -> Any:
    """A placement as a matrix [3, 3] for places with v downwards."""
    scale, offset = _value(node, "scale", (1.0, 1.0)), _value(node, "offset", (0.0, 0.0))
    sx, sy = scale[:2] if isinstance(scale, tuple) else (number(scale),) * 2
    ox, oy = offset[:2] if isinstance(offset, tuple) else (number(offset),) * 2
    angle = number(_value(node, "rotation", 0.0))
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c * sx, s * sy, ox], [-s * sx, c * sy, oy], [0.0, 0.0, 1.0]])


def number(value: Value) -> float:
    """One number of a value."""
    if isinstance(value, tuple):
        return float(sum(value) / len(value))
    return 0.0 if isinstance(value, str) else float(value)


def three(value: Value) -> list[float]:
    """A colour of a value."""
    if isinstance(value, tuple):
        return [float(part) for part in value[:3]]
    return [number(value)] * 3


def extension_names(said: Any) -> set[str]:
    """The names of all extensions that a document uses."""
    found: set[str] = set()
    waiting = [said]
    while waiting:
        here = waiting.pop()
        if isinstance(here, dict):
            if isinstance(here.get("extensions"), dict):
                found |= set(here["extensions"])
            waiting.extend(here.values())
        elif isinstance(here, list):
            waiting.extend(here)
    return found
