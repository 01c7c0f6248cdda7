"""What OpenPBR surfaces and MaterialX nodes look like, from their specifications (OpenPBR 1.1.1, MaterialX 1.39).

Scattering inside a clear body and dispersion are left out, and said. Fuzz is an inverted-Gaussian-like lobe in place of
the tabulated one of the specification; its roughness means the same.
"""

from __future__ import annotations

import math

from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared import usd_looks
from durvan.dialects.shared.looks import relief_of
from durvan.dialects.shared.materialx import looks as shared
from durvan.graph import expression as ex
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

node = shared.node
light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings


def surface(kind: str, get: Inputs) -> Surface:
    """Open surfaces, and layers of them."""
    return _open_pbr(get) if kind.startswith("mtlx.open_pbr_surface") else shared.surface(kind, get)


def _open_pbr(get: Inputs) -> Surface:
    """open_pbr_surface: fuzz over coat over metal, body and dielectric side by side."""
    weight, metal = get("specular_weight"), get("base_metalness")
    fuzz = Lobe(layout.SHEEN, get("fuzz_weight") * get("fuzz_color"), get("fuzz_roughness"), cover=layout.SCALED)
    coat, rough, darker = _coat(get, fuzz)
    across, along = _alphas(rough, get("specular_roughness_anisotropy"))
    turn = get("geometry_tangent")[0] * (math.pi / 180.0) if get.linked("geometry_tangent") else ex.field(0.0)
    film = get("thin_film_weight") * get("thin_film_thickness") * 1000.0
    film_index = get("thin_film_ior")
    color = get("base_weight") * get("base_color") * darker
    made = Surface([fuzz, coat])
    made.lobes.append(
        Lobe(
            layout.REFLECT,
            metal * ex.least(weight, 1.0),
            along,
            across,
            turn,
            fresnel=layout.SCHLICK,
            first=ex.least(color * ex.most(weight, 1.0), 1.0),  # a weight over 1 brings nothing over what there is
            second=get("specular_color"),
            under=coat,
            film=film,
            film_index=film_index,
            full=True,
        )
    )
    index = _index(get("specular_ior"), weight)
    clear = get("transmission_weight")
    matt = (1.0 - metal) * (1.0 - clear)
    shine = Lobe(
        layout.REFLECT, get("specular_color") * matt, along, across, turn, fresnel=layout.DIELECTRIC, first=index,
        under=coat, cover=layout.SCALED, film=film, film_index=film_index, within=matt,
    )  # fmt: skip
    deep = get("subsurface_weight")
    made.lobes.append(shine)
    made.lobes.append(Lobe(layout.DIFFUSE, color * matt * (1.0 - deep), get("base_diffuse_roughness"), under=shine))
    scattered = get("subsurface_color") * darker * matt * deep
    if get.flag("geometry_thin_walled"):  # a sheet scatters to both sides (OpenPBR 1.1, thin-walled subsurface)
        forward = 0.5 * (1.0 + get("subsurface_scatter_anisotropy"))
        made.lobes.append(Lobe(layout.DIFFUSE, scattered * (1.0 - forward), under=shine))
        made.lobes.append(Lobe(layout.THROUGH, scattered * forward, under=shine))
    else:
        made.lobes.append(Lobe(layout.DEEP_DIFFUSE, scattered, under=shine))
    made.reach = get("subsurface_radius") * get("subsurface_radius_scale") * get.facts.metres_per_unit
    made.deep = get("subsurface_color")
    _body(made, get, (1.0 - metal) * clear, (along, across, turn), index, coat)
    made.opacity = get("geometry_opacity")
    seen = ex.mix(1.0, get("coat_color"), get("coat_weight"))
    made.glow = get("emission_luminance") * get("emission_color") * seen
    made.relief = relief_of(get, "geometry_normal")
    return made


def _index(index: Field, weight: Field) -> Field:
    """The index that reflects `weight` times as much when faced (OpenPBR 1.1, specular)."""
    root = (index - 1.0) / (index + 1.0) * ex.each("root", weight)
    root = ex.least(root, 0.9999)
    return (1.0 + root) / (1.0 - root)


def _alphas(rough: Field, anisotropy: Field) -> tuple[Field, Field]:
    """Alpha across and along the tangent (OpenPBR 1.1, microfacet model)."""
    alpha = rough * rough
    if anisotropy.is_always(0.0):
        return alpha, alpha
    keep = 1.0 - anisotropy
    along = alpha * ex.each("root", 2.0 / (1.0 + keep * keep))
    return keep * along, along


def _coat(get: Inputs, fuzz: Lobe) -> tuple[Lobe, Field, Field]:
    """The coat, the roughness of what lies under it, and how much darker it makes the base."""
    weight, index = get("coat_weight"), get("coat_ior")
    across, along = _alphas(get("coat_roughness"), get("coat_roughness_anisotropy"))
    lobe = Lobe(
        layout.REFLECT, weight, along, across, fresnel=layout.DIELECTRIC, first=index, under=fuzz,
        cover=layout.SCALED, amount=weight, absorb=get("coat_color"),
    )  # fmt: skip
    base = get("specular_roughness")
    if weight.is_always(0.0):
        return lobe, base, ex.field(1.0)
    over = ex.least((base**4.0 + 2.0 * get("coat_roughness") ** 4.0) ** 0.25, 1.0)
    rough = ex.mix(base, over, weight)
    # light that is reflected back down inside the coat meets the base again (OpenPBR 1.1, coat darkening)
    root = (index - 1.0) / (index + 1.0)
    faced = root * root
    inside = 1.0 - (1.0 - faced - (1.0 - faced) / 21.0) / (index * index)
    albedo = get("base_weight") * get("base_color")
    darker = (1.0 - inside) / (1.0 - inside * albedo)
    return lobe, rough, ex.mix(1.0, darker, weight * get("coat_darkening"))


def _body(
    made: Surface, get: Inputs, share: Field, alphas: tuple[Field, Field, Field], index: Field, coat: Lobe
) -> None:
    if share.is_always(0.0):
        return
    thin = get.flag("geometry_thin_walled")
    along, across, turn = alphas
    depth = get("transmission_depth") * get.facts.metres_per_unit  # lengths of surfaces stand in the stage's unit
    at_once = depth.is_always(0.0) or thin
    law = layout.WALL if thin else layout.DIELECTRIC
    made.lobes.append(
        Lobe(layout.REFLECT, share * get("specular_color"), along, across, turn, fresnel=law, first=index, under=coat)
    )
    tint = share * get("transmission_color") if at_once else ex.colour(share)
    kind = layout.STRAIGHT if thin else layout.REFRACT
    made.lobes.append(Lobe(kind, tint, along, across, turn, fresnel=law, first=index, under=coat))
    if not at_once:
        made.murk = -1.0 * ex.each("log", ex.most(get("transmission_color"), 1e-6)) / ex.most(depth, 1e-9)
    if not get("transmission_scatter").is_always(0.0):
        made.notes.append("scattering inside a clear body is not shown")
    if not get("transmission_dispersion_scale").is_always(0.0):
        made.notes.append("dispersion is not shown")
