"""What USD's preview surface looks like, from its specification (2.6), wherever it stands: metal or specular workflow, a coat, no layers more."""

from __future__ import annotations

from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared.looks import turned
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics.lobes import layout

EDGES = {
    "black": "constant", "constant": "constant", "clamp": "clamp", "mirror": "mirror", "repeat": "periodic", "periodic": "periodic",
    "useMetadata": "periodic",
}  # fmt: skip


def surface(get: Inputs) -> Surface:
    """UsdPreviewSurface: a coat over metal beside dielectric. What is not there lets light pass unbent."""
    rough, index = get("roughness"), get("ior")
    alpha = rough * rough
    coat_rough = get("clearcoatRoughness")
    coat = Lobe(
        layout.REFLECT, get("clearcoat"), coat_rough * coat_rough, fresnel=layout.DIELECTRIC, first=index,
        cover=layout.SCALED,
    )  # fmt: skip
    color = get("diffuseColor")
    made = Surface([coat])
    if get.flag("useSpecularWorkflow"):
        metal = ex.field(0.0)
        faced = get("specularColor")
    else:
        metal = get("metallic")
        root = (index - 1.0) / (index + 1.0)
        faced = ex.mix(root * root, color, metal)
    shine = Lobe(layout.REFLECT, 1.0, alpha, fresnel=layout.SCHLICK, first=faced, under=coat, cover=layout.SCALED)
    made.lobes.append(shine)
    made.lobes.append(Lobe(layout.DIFFUSE, color * (1.0 - metal) * get("occlusion"), under=shine))
    opacity = get("opacity")
    threshold = get.number("opacityThreshold")
    if threshold > 0.0:
        made.opacity = 1.0 - ex.below(opacity, threshold)
    elif get.word("opacityMode") in ("presence", "1") or opacity.is_always(1.0):
        made.opacity = opacity
    else:  # the reflection stays where the body is seen through
        made.lobes[-1].weight = ex.field(made.lobes[-1].weight) * opacity
        made.lobes.append(
            Lobe(layout.STRAIGHT, 1.0 - opacity, fresnel=layout.SCHLICK, first=0.0, second=0.0, under=shine)
        )
    made.moved = get("displacement") * get.facts.metres_per_unit
    made.glow = get("emissiveColor")
    if get.linked("normal"):
        made.relief = ("normal", get("normal"))
    return made


def texture(get: Inputs, decode: str | float) -> Field:
    """The four channels of UsdUVTexture."""
    place = get("st") if get.linked("st") else ex.uv()
    edges = (EDGES[get.word("wrapS")], EDGES[get.word("wrapT")])
    four = ex.picture(Lookup(get.facts.find(get.word("file")), decode, *edges), place)
    return four * ex.field(get.numbers("scale")) + ex.field(get.numbers("bias"))


def moved(get: Inputs) -> Field:
    """The place that UsdTransform2d gives."""
    place = get("in") if get.linked("in") else ex.uv()
    return turned(place * ex.field(get.numbers("scale")), get.number("rotation")) + ex.field(get.numbers("translation"))
