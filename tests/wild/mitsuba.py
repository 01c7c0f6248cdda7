"""Mitsuba scenes made up from its plugins: BSDFs within each other, spectra in all their forms, shapes, emitters and sensors."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

BSDFS: dict[str, dict[str, str]] = {
    "diffuse": {"reflectance": "colour"},
    "conductor": {"material": "metal", "specular_reflectance": "colour"},
    "roughconductor": {"material": "metal", "alpha": "map", "distribution": "facets", "eta": "colour", "k": "colour"},
    "dielectric": {"int_ior": "index", "ext_ior": "index", "specular_transmittance": "colour"},
    "roughdielectric": {"int_ior": "index", "alpha": "map", "distribution": "facets"},
    "thindielectric": {"int_ior": "index"},
    "plastic": {"diffuse_reflectance": "colour", "nonlinear": "flag", "int_ior": "index"},
    "roughplastic": {"diffuse_reflectance": "colour", "alpha": "number", "int_ior": "index", "nonlinear": "flag"},
    "principled": {
        "base_color": "colour", "roughness": "map", "metallic": "map", "spec_trans": "map", "sheen": "map", "clearcoat": "map",
        "specular": "number", "anisotropic": "map", "flatness": "map",
    },
    "principledthin": {"base_color": "colour", "roughness": "map", "diff_trans": "number", "eta": "index"},
    "hair": {"eumelanin": "number", "longitudinal_roughness": "number", "scale_tilt": "number"},
    "null": {}, "pplastic": {"diffuse_reflectance": "colour"}, "polarizer": {}, "nobodys": {"x": "number"},
}  # fmt: skip
FILES = ("tex/a.png", "b.exr", "../c.jpg", "ü.png", "/abs.png")
_MOVES = (
    '<translate x="1" y="-2"/>', '<scale value="0.3"/>', '<scale x="-2" y="0.5" z="1"/>', '<rotate y="1" angle="200"/>',
    '<lookat origin="1,2,3" target="0,0,0" up="0,1,0"/>', '<matrix value="1 0 0 3 0 1 0 0 0 0 1 0 0 0 0 1"/>',
)  # fmt: skip


@dataclass
class Scene:
    """One scene while it is made."""

    seed: int
    ids: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.r = random.Random(f"xml {self.seed}")

    def text(self) -> str:
        """A scene of some materials, shapes and lights, and mostly a view."""
        parts = []
        for number in range(self.r.randint(1, 5)):
            parts.append(self._bsdf(3, f"m{number}"))
            self.ids.append(f"m{number}")
        parts += [self._shape() for _ in range(self.r.randint(0, 4))]
        parts += [self._emitter() for _ in range(self.r.randint(0, 3))]
        if self.r.random() < 0.7:
            kind = self.r.choice(["perspective", "thinlens", "orthographic", "batch", "distant"])
            film = '<film type="hdrfilm"><integer name="width" value="320"/></film>'
            parts.append(
                f'<sensor type="{kind}"><float name="fov" value="{self._n(20, 90)}"/>{self._placed()}{film}</sensor>'
            )
        if self.r.random() < 0.7:
            kind = self.r.choice(["path", "volpath", "direct", "aov", "nobodys"])
            parts.append(
                f'<integrator type="{kind}"><integer name="max_depth" value="{self.r.randint(-1, 20)}"/></integrator>'
            )
        return "\n".join([f'<scene version="{self.r.choice(["3.0.0", "3.5.0", "2.1.0"])}">', *parts, "</scene>\n"])

    def _n(self, low: float = 0.0, high: float = 1.0) -> str:
        return repr(round(self.r.uniform(low, high), 4))

    def _placed(self, name: str = "to_world") -> str:
        return f'<transform name="{name}">{"".join(self.r.choices(_MOVES, k=self.r.randint(1, 3)))}</transform>'

    def _property(self, name: str, kind: str) -> str:
        if kind == "colour":
            return self._colour(name)
        if kind == "map" and self.r.random() < 0.3:
            return self._texture(name)
        if kind in ("map", "number"):
            return f'<float name="{name}" value="{self._n()}"/>'
        if kind == "index" and self.r.random() < 0.6:
            return f'<float name="{name}" value="{self._n(1.0, 2.5)}"/>'
        if kind == "flag":
            return f'<boolean name="{name}" value="{self.r.choice(["true", "false"])}"/>'
        words = {
            "index": ("bk7", "water", "air", "nothing known"),
            "facets": ("ggx", "beckmann"),
            "metal": ("Au", "Cu", "none", "Zz"),
        }
        return f'<string name="{name}" value="{self.r.choice(words[kind])}"/>'

    def _colour(self, name: str) -> str:
        a, b, c = self._n(), self._n(), self._n()
        return self.r.choice([
            f'<rgb name="{name}" value="{a}, {b}, {c}"/>', f'<rgb name="{name}" value="{a} {b} {c}"/>', f'<spectrum name="{name}" value="{a}"/>',
            f'<spectrum name="{name}" value="400:{a}, 500:{b}, 700:{c}"/>', f'<rgb name="{name}" value="#{self.r.randrange(1 << 24):06x}"/>',
            f'<float name="{name}" value="{a}"/>', self._texture(name), self._texture(name),
        ])  # fmt: skip

    def _texture(self, name: str) -> str:
        kind = self.r.choice(["bitmap", "bitmap", "checkerboard", "mesh_attribute", "volume", "srgb", "blackbody"])
        inside = {
            "bitmap": f'<string name="filename" value="{self.r.choice(FILES)}"/>' + self._property("raw", "flag"),
            "checkerboard": f'<rgb name="color1" value="{self._n()}"/>',
            "mesh_attribute": '<string name="name" value="vertex_color"/>',
            "srgb": f'<rgb name="color" value="{self._n()}"/>',
            "blackbody": '<float name="temperature" value="4000"/>',
        }.get(kind, "")
        placed = self._placed("to_uv") if kind in ("bitmap", "checkerboard") and self.r.random() < 0.4 else ""
        return f'<texture type="{kind}" name="{name}">{inside}{placed}</texture>'

    def _bsdf(self, depth: int, id_: str = "") -> str:
        said = f' id="{id_}"' if id_ else ""
        share = self.r.random()
        if depth > 0 and share < 0.4:
            return self._wrapper(depth - 1, said)
        if self.ids and share < 0.5 and not id_:
            return f'<ref id="{self.r.choice(self.ids)}"/>'
        kind = self.r.choice(list(BSDFS))
        inside = [self._property(name, of) for name, of in BSDFS[kind].items() if self.r.random() < 0.6]
        return f'<bsdf type="{kind}"{said}>{"".join(inside)}</bsdf>'

    def _wrapper(self, depth: int, said: str) -> str:
        kind = self.r.choice(["twosided", "mask", "bumpmap", "normalmap", "blendbsdf"])
        inside = {
            "mask": lambda: self._property("opacity", "map"),
            "bumpmap": lambda: self._texture("height") + f'<float name="scale" value="{self._n(0, 3)}"/>',
            "normalmap": lambda: (
                '<texture name="normalmap" type="bitmap"><string name="filename" value="n.png"/></texture>'
            ),
            "blendbsdf": lambda: self._property("weight", "map") + self._bsdf(depth),
            "twosided": lambda: self._bsdf(depth) if self.r.random() < 0.3 else "",
        }[kind]()
        return f'<bsdf type="{kind}"{said}>{inside}{self._bsdf(depth)}</bsdf>'

    def _shape(self) -> str:
        kind = self.r.choice(
            ["cube", "sphere", "rectangle", "disk", "cylinder", "ply", "obj", "linearcurve", "instance", "nobodys"]
        )
        file = '<string name="filename" value="mesh.ply"/>' if kind in ("ply", "obj", "linearcurve") else ""
        worn = f'<ref id="{self.r.choice(self.ids)}"/>' if self.r.random() < 0.7 else self._bsdf(1)
        glow = f'<emitter type="area">{self._colour("radiance")}</emitter>' if self.r.random() < 0.25 else ""
        return f'<shape type="{kind}">{file}{self._placed() if self.r.random() < 0.7 else ""}{worn}{glow}</shape>'

    def _emitter(self) -> str:
        kind = self.r.choice(
            ["point", "spot", "directional", "constant", "envmap", "sunsky", "projector", "area", "nobodys"]
        )
        if kind == "area":
            shape = self.r.choice(["rectangle", "sphere", "disk", "cylinder", "cube"])
            return f'<shape type="{shape}">{self._placed()}<emitter type="area">{self._colour("radiance")}</emitter></shape>'
        inside = {
            "point": '<point name="position" x="1" y="2" z="3"/>' + self._colour("intensity"),
            "spot": self._placed() + '<float name="cutoff_angle" value="30"/>',
            "directional": '<vector name="direction" x="0" y="-1" z="0"/>',
            "constant": self._colour("radiance"),
            "envmap": '<string name="filename" value="sky.exr"/>' + self._placed(),
        }.get(kind, "")
        return f'<emitter type="{kind}">{inside}</emitter>'


def scene(seed: int) -> str:
    """The text of a scene."""
    return Scene(seed).text()
