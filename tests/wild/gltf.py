"""glTF files made up at random: every ratified extension of materials, all forms of accessors, pictures and nodes, JSON and binary."""

from __future__ import annotations

import base64
import json
import random
import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from wild import spoiling

_FORMATS = {5120: "b", 5121: "B", 5122: "h", 5123: "H", 5125: "I", 5126: "f"}
NAMES = ("same", "ünï漢字", "a/b", "", 'q"<')
URIS = ("tex/a.png", "b%20c.jpg", "../up.png", "https://example.invalid/y.png", "data:image/png;base64,!!!!")
BYTES = "data:application/octet-stream;base64,"


def png(r: random.Random, channels: int) -> bytes:
    """A small picture of noise."""
    width, height = r.choice([1, 3, 8]), r.choice([1, 2, 5])

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\0" + r.randbytes(width * channels) for _ in range(height))
    head = struct.pack(">IIBBBBB", width, height, 8, 6 if channels == 4 else 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


@dataclass
class Asset:
    """One file while it is made."""

    seed: int
    spoilt: int = 0
    buffer: bytearray = field(default_factory=bytearray)
    said: dict[str, Any] = field(
        default_factory=lambda: {"asset": {"version": "2.0"}, "accessors": [], "bufferViews": []}
    )

    def __post_init__(self) -> None:
        self.r = random.Random(f"gltf {self.seed}")

    # parts

    def _share(self, high: float = 1.0) -> float:
        return round(self.r.uniform(0.0, high), 4)

    def _three(self) -> list[float]:
        return [self._share() for _ in range(3)]

    def _view(self, data: bytes, stride: int = 0) -> int:
        self.buffer.extend(b"\0" * (-len(self.buffer) % 4))
        view = {
            "buffer": 0,
            "byteOffset": len(self.buffer),
            "byteLength": len(data),
            **({"byteStride": stride} if stride else {}),
        }
        self.buffer.extend(data)
        self.said["bufferViews"].append(view)
        return len(self.said["bufferViews"]) - 1

    def _accessor(
        self, rows: list[list[float]], component: int, shape: str, *, normalized: bool = False, ends: bool = False
    ) -> int:
        form, width = f"<{len(rows[0])}{_FORMATS[component]}", struct.calcsize(_FORMATS[component]) * len(rows[0])
        stride = (width + 3) // 4 * 4 if len(rows[0]) > 1 else width
        data = b"".join(struct.pack(form, *row).ljust(stride, b"\0") for row in rows)
        one: dict[str, Any] = {
            "bufferView": self._view(data, stride if stride != width else 0), "componentType": component, "count": len(rows), "type": shape,
            **({"normalized": True} if normalized else {}),
        }  # fmt: skip
        if ends:
            one |= {
                "min": [min(part) for part in zip(*rows, strict=True)],
                "max": [max(part) for part in zip(*rows, strict=True)],
            }
        if component == 5126 and self.r.random() < 0.1:
            held = {"bufferView": self._view(struct.pack(form, *[0.5] * len(rows[0])))}
            which = {"bufferView": self._view(struct.pack("<H", 0)), "componentType": 5123}
            one["sparse"] = {"count": 1, "indices": which, "values": held}
        self.said["accessors"].append(one)
        return len(self.said["accessors"]) - 1

    def _images(self) -> None:
        images: list[dict[str, Any]] = []
        for _ in range(self.r.randint(0, 4)):
            data = png(self.r, self.r.choice([3, 4]))
            images.append(self.r.choice([
                {"uri": "data:image/png;base64," + base64.b64encode(data).decode()}, {"uri": self.r.choice(URIS)},
                {"bufferView": self._view(data), "mimeType": "image/png"},
            ]))  # fmt: skip
        if images:
            self.said["images"] = images
            self.said["samplers"] = [{"wrapS": self.r.choice([33071, 33648, 10497]), "wrapT": 10497}]
            self.said["textures"] = [
                {"source": self.r.randrange(len(images)), **({"sampler": 0} if self.r.random() < 0.5 else {})}
                for _ in range(self.r.randint(1, 5))
            ]

    def _texture(self, normal: bool = False) -> dict[str, Any] | None:
        if "textures" not in self.said:
            return None
        one: dict[str, Any] = {"index": self.r.randrange(len(self.said["textures"]))}
        if self.r.random() < 0.3:
            one["texCoord"] = self.r.choice([0, 1])
        if self.r.random() < 0.3:
            moved = {
                "offset": [0.2, -0.1],
                "rotation": self._share(6),
                "scale": [2.0, self.r.choice([1.0, -1.0, 0.5])],
                "texCoord": 1,
            }
            one["extensions"] = {"KHR_texture_transform": {k: v for k, v in moved.items() if self.r.random() < 0.6}}
        return {**one, "scale": self._share(2)} if normal else one

    def _filled(self, spec: dict[str, Callable[[], Any]], often: float = 0.6) -> dict[str, Any]:
        found = {name: make() for name, make in spec.items() if self.r.random() < often}
        return {name: made for name, made in found.items() if made is not None}

    def _material(self, number: int) -> dict[str, Any]:
        share, three, texture = self._share, self._three, self._texture
        extensions: dict[str, dict[str, Callable[[], Any]]] = {
            "clearcoat": {"clearcoatFactor": share, "clearcoatRoughnessFactor": share, "clearcoatTexture": texture,
                          "clearcoatNormalTexture": lambda: texture(True)},
            "transmission": {"transmissionFactor": share, "transmissionTexture": texture},
            "volume": {"thicknessFactor": share, "thicknessTexture": texture, "attenuationDistance": lambda: share() + 0.01, "attenuationColor": three},
            "ior": {"ior": lambda: self.r.choice([1.0, 1.33, 1.5, 2.4, 0])},
            "specular": {"specularFactor": share, "specularTexture": texture, "specularColorFactor": three, "specularColorTexture": texture},
            "sheen": {"sheenColorFactor": three, "sheenColorTexture": texture, "sheenRoughnessFactor": share, "sheenRoughnessTexture": texture},
            "iridescence": {"iridescenceFactor": share, "iridescenceTexture": texture, "iridescenceIor": lambda: 1.0 + share(),
                            "iridescenceThicknessMaximum": lambda: 400.0, "iridescenceThicknessTexture": texture},
            "anisotropy": {"anisotropyStrength": share, "anisotropyRotation": lambda: share(6), "anisotropyTexture": texture},
            "emissive_strength": {"emissiveStrength": lambda: share(50)}, "dispersion": {"dispersion": share},
            "diffuse_transmission": {"diffuseTransmissionFactor": share, "diffuseTransmissionColorTexture": texture}, "unlit": {},
            "nobodys": {"x": share},
        }  # fmt: skip
        base = {"baseColorFactor": lambda: [*three(), share()], "baseColorTexture": texture, "metallicFactor": share,
                "roughnessFactor": share, "metallicRoughnessTexture": texture}  # fmt: skip
        own = {
            "normalTexture": lambda: texture(True), "occlusionTexture": texture, "emissiveFactor": three, "emissiveTexture": texture,
            "doubleSided": lambda: True, "alphaMode": lambda: self.r.choice(["OPAQUE", "MASK", "BLEND"]), "alphaCutoff": share,
            "extras": lambda: {"x": [1, {"y": None}]},
        }  # fmt: skip
        worn = {
            f"KHR_materials_{name}": self._filled(spec) for name, spec in extensions.items() if self.r.random() < 0.2
        }
        return {
            "name": self.r.choice((f"m{number}", *NAMES)), "pbrMetallicRoughness": self._filled(base), **self._filled(own, 0.4),
            **({"extensions": worn} if worn else {}),
        }  # fmt: skip

    def _primitive(self) -> dict[str, Any]:
        count = self.r.choice([3, 4, 6, 9])
        places = [[self.r.uniform(-1, 1) for _ in range(3)] for _ in range(count)]
        attributes = {"POSITION": self._accessor(places, 5126, "VEC3", ends=True)}
        more: dict[str, Callable[[], int]] = {
            "NORMAL": lambda: self._accessor([[0.0, 1.0, 0.0]] * count, 5126, "VEC3"),
            "TEXCOORD_0": lambda: self._accessor([[self._share(), self._share()] for _ in range(count)], 5126, "VEC2"),
            "TEXCOORD_1": lambda: self._accessor(
                [[self.r.randrange(256)] * 2 for _ in range(count)], 5121, "VEC2", normalized=True
            ),
            "COLOR_0": lambda: self._accessor(
                [[self.r.randrange(256)] * 4 for _ in range(count)], 5121, "VEC4", normalized=True
            ),
            "_OWN": lambda: self._accessor([[1.0]] * count, 5126, "SCALAR"),
        }
        attributes |= {name: make() for name, make in more.items() if self.r.random() < 0.4}
        one: dict[str, Any] = {"attributes": attributes}
        if self.r.random() < 0.6:
            corners = [[self.r.randrange(count)] for _ in range(self.r.choice([3, 6, 9]))]
            one["indices"] = self._accessor(corners, self.r.choice([5121, 5123, 5125]), "SCALAR")
        if "materials" in self.said and self.r.random() < 0.8:
            one["material"] = self.r.randrange(len(self.said["materials"]))
            if self.r.random() < 0.2:
                one["extensions"] = {"KHR_materials_variants": {"mappings": [{"material": 0, "variants": [0]}]}}
        return {**one, **({"mode": self.r.randrange(7)} if self.r.random() < 0.3 else {})}

    def _nodes(self) -> None:
        nodes: list[dict[str, Any]] = []
        for number in range(self.r.randint(1, 9)):
            one: dict[str, Any] = {"name": self.r.choice((f"n{number}", *NAMES))}
            one |= self.r.choice([
                {"mesh": self.r.randrange(len(self.said["meshes"]))}, {"mesh": self.r.randrange(len(self.said["meshes"]))}, {"camera": 0}, {},
                {"extensions": {"KHR_lights_punctual": {"light": self.r.randrange(3)}}},
            ])  # fmt: skip
            placed = {
                "translation": self._three(),
                "rotation": [0, 0.7071068, 0, 0.7071068],
                "scale": [1.5, self.r.choice([1.0, -2.0]), 0.5],
            }
            one |= {name: value for name, value in placed.items() if self.r.random() < 0.4}
            nodes.append(one)
        for number in range(1, len(nodes)):
            if self.r.random() < 0.5:
                nodes[self.r.randrange(number)].setdefault("children", []).append(number)
        below = {child for one in nodes for child in one.get("children", [])}
        self.said |= {
            "nodes": nodes,
            "scenes": [{"nodes": [n for n in range(len(nodes)) if n not in below]}],
            "scene": 0,
        }

    def _whole(self) -> None:
        self._images()
        materials = [self._material(number) for number in range(self.r.randint(0, 6))]
        self.said |= {"materials": materials} if materials else {}
        self.said["meshes"] = [
            {"primitives": [self._primitive() for _ in range(self.r.randint(1, 3))]}
            for _ in range(self.r.randint(1, 3))
        ]
        self._nodes()
        self.said["cameras"] = [self.r.choice([
            {"type": "perspective", "perspective": {"yfov": 0.7, "znear": 0.1, "aspectRatio": 1.5}},
            {"type": "orthographic", "orthographic": {"xmag": 1, "ymag": 2, "znear": 0.1, "zfar": 10}},
        ])]  # fmt: skip
        lights = [
            {"type": "point", "intensity": 80},
            {"type": "spot", "spot": {"outerConeAngle": 0.5}},
            {"type": "directional", "color": self._three()},
        ]
        self.said["extensions"] = {
            "KHR_lights_punctual": {"lights": lights}, "KHR_materials_variants": {"variants": [{"name": "one"}]},
        }  # fmt: skip

    def file(self) -> tuple[str, bytes]:
        """The ending, and what is in the file."""
        self._whole()
        binary = self.r.random() < 0.5
        self.said["buffers"] = [{"byteLength": len(self.buffer)}]
        if not binary:
            self.said["buffers"][0]["uri"] = BYTES + base64.b64encode(self.buffer).decode()
        spoiling.document(self.said, self.r, self.spoilt)
        text = json.dumps(self.said).encode()
        if not binary:
            return ".gltf", text
        text += b" " * (-len(text) % 4)
        tail = bytes(self.buffer) + b"\0" * (-len(self.buffer) % 4)
        chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(tail), 0x004E4942) + tail
        return ".glb", b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def asset(seed: int, spoilt: int = 0) -> tuple[str, bytes]:
    """The ending and the bytes of a file; spoilt in so many places."""
    return Asset(seed, spoilt).file()
