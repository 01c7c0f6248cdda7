"""Recognise what a material is: from its look over its surface and from two sides, its network, and what wears it. Never from its name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.gist import Gist, gist, luminance
from durvan.dialects.look import Facts, Record, resolve
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.graph.expression import POINT, Field, Lane, Pixels, evaluate, order
from durvan.optics.lobes import layout, many
from durvan.optics.lobes.tables import tables
from durvan.optics.spread import spread
from durvan.scene.bodies import Body
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.traits import MaterialKind, Traits

_PLACES = 24
_COSINES = np.cos(np.radians([0.0, 30.0, 60.0, 75.0, 85.0]))
_SIDE = 0.35  # cosine of the second side that it is looked at from
_WATER = (1.3, 1.38)  # indices of water and what is mostly water
_GIVES_WAY = -0.5  # correlation of reflection and base from where on one is there instead of the other
_BRIGHT = 179.0  # nit that a thing glows with as brightly as a white one reflects


def recognise(scene: Scene, registry: Registry, bodies: Mapping[str, Body]) -> dict[str, Traits]:
    """What every material of a scene is, by its path."""
    facts = staging.facts_of(scene, registry)
    return {thing.id: of_material(thing, registry, facts, bodies.get(thing.id)) for thing in scene.of(Kind.MATERIAL)}


def of_material(thing: Thing, registry: Registry, facts: Facts, body: Body | None) -> Traits:
    """What one material is, on what wears it (None: not known)."""
    return traits_of(staging.look_of(thing, registry.packs.get(thing.dialect), facts), body, staging.pixels)


def traits_of(look: Record, body: Body | None, pixels: Pixels) -> Traits:
    """What a look is that of, on what wears it (None: not known)."""
    points = _places(body.size if body is not None and body.size > 0.0 else 0.1)
    recs = resolve(look, points, pixels)
    faced = [gist(rec) for rec in recs]
    aside = _mean([gist(rec) for rec in resolve(look, {**points, "facing": np.full(_PLACES, _SIDE)}, pixels)])
    mean = _mean(faced)
    kind, sure, because = _kind(look, mean, aside, body, recs)
    opacity = recs[:, layout.OPACITY]
    return Traits(
        kind, round(float(sure), 2), because, luminance(mean.scattered), luminance(mean.faced), luminance(mean.clear),
        _most(recs), (float(opacity.min()), float(opacity.mean()), float(opacity.max())),
        _relief(look, recs), float(recs[:, layout.REACH : layout.REACH + 3].max()) if luminance(mean.deep) > 1e-3 else 0.0,
        luminance(mean.glow), mean.bends, _facing(look), layout.OPACITY in look.lanes,
        luminance(aside.scattered) - luminance(mean.scattered), _painted(look, faced),
        _moved(look, points, pixels),
    )  # fmt: skip


def _places(size: float) -> dict[str, NDArray[np.float64]]:
    """Places over the UVs, evenly and never twice, and in a box of a half side in metres; seen from the front."""
    u, v = spread(_PLACES)
    x, y = (u - 0.5) * 2.0 * size, (v - 0.5) * 2.0 * size
    return {"u": u, "v": v, "x": x, "y": y, "z": x, "facing": np.ones(_PLACES)}


def _mean(some: Sequence[Gist]) -> Gist:
    first = some[0]
    colours = {
        name: np.mean([getattr(one, name) for one in some], axis=0)
        for name in ("matt", "deep", "leaf", "mirror", "faced", "clear", "fuzz", "glow")
    }
    alpha, opacity = float(np.mean([one.alpha for one in some])), float(np.mean([one.opacity for one in some]))
    bends, thin = any(one.bends for one in some), any(one.thin for one in some)
    return Gist(**colours, alpha=alpha, opacity=opacity, bends=bends, thin=thin, fibre=first.fibre)


def _most(recs: NDArray[np.float64]) -> float:
    """The most that a look gives back of the light that it gets, to either side, at any of some places and angles, of its strongest channel; by
    the renderer's own laws. A fibre gives light to all sides, and loses none of it by its own law.
    """
    most, out = 0.0, np.zeros((len(_COSINES), 6))
    for rec in recs:
        kinds = [int(rec[layout.HEADER + n * layout.LOBE + layout.KIND]) for n in range(int(rec[layout.COUNT]))]
        if layout.FIBRE not in kinds:
            many.albedos(rec, _COSINES, tables(), out)
            most = max(most, float((out[:, :3] + out[:, 3:]).max()))
    return most


def _relief(look: Record, recs: np.ndarray) -> float:
    """How deep the relief is: of a height, from its lowest to its highest place, metres."""
    if look.base[layout.RELIEF] not in layout.BY_HEIGHT:
        return 0.0
    heights = recs[:, layout.HEIGHT]
    return float(heights.max() - heights.min())


def _moved(look: Record, points: Mapping[str, NDArray[np.float64]], pixels: Pixels) -> float:
    """How far the surface is moved at most, in metres."""
    if look.moved is None:
        return 0.0
    known = {name: points.get(name, np.zeros(_PLACES)) for name in POINT}
    return float(np.nan_to_num(np.abs(evaluate([Field([look.moved])], known, pixels)[0])).max())


def _facing(look: Record) -> str:
    """What of a look depends on how it is faced: "reflection" or "base"; empty for nothing."""
    for number in range(int(look.base[layout.COUNT])):
        b = layout.HEADER + number * layout.LOBE
        kind = int(look.base[b + layout.KIND])
        if any(_faces(look.lanes[p]) for p in range(b + layout.WEIGHT, b + layout.WEIGHT + 3) if p in look.lanes):
            return "reflection" if kind == layout.REFLECT else "base"
    return ""


def _painted(look: Record, faced: Sequence[Gist]) -> tuple[float, float]:
    """Between what a picture paints the reflection when faced; nothing where metal comes and goes, as then the base gives way to it."""
    lanes = [
        look.lanes[place]
        for number in range(int(look.base[layout.COUNT]))
        for place in _strength_of(look, layout.HEADER + number * layout.LOBE)
        if place in look.lanes
    ]
    if not any(one.op == "picture" for one in order(lanes)):
        return (0.0, 0.0)
    mirror = np.array([luminance(one.faced) for one in faced])
    base = np.array([luminance(one.scattered) / max(1.0 - luminance(one.mirror), 0.05) for one in faced])
    gives_way = base.std() > 0.02 and np.corrcoef(mirror, base)[0, 1] < _GIVES_WAY
    if mirror.std() < 1e-4 or gives_way:
        return (0.0, 0.0)
    return (float(mirror.min()), float(mirror.max()))


def _strength_of(look: Record, b: int) -> Sequence[int]:
    """Where a lobe says how much it reflects when faced; none of one that does not."""
    if int(look.base[b + layout.KIND]) != layout.REFLECT:
        return ()
    return (*range(b + layout.WEIGHT, b + layout.WEIGHT + 3), *range(b + layout.FIRST, b + layout.FIRST + 3))


def _faces(lane: Lane) -> bool:
    return any(one.op == "point" and one.data == "facing" for one in order([lane]))


def _kind(
    look: Record, mean: Gist, aside: Gist, body: Body | None, recs: np.ndarray
) -> tuple[MaterialKind, float, str]:
    """The kind, how sure, and why, in the order of what tells most."""
    matt, mirror, faced = luminance(mean.scattered), luminance(mean.mirror), luminance(mean.faced)
    clear, deep, leaf, fuzz, glow = (
        luminance(part) for part in (mean.clear, mean.deep, mean.leaf, mean.fuzz, mean.glow)
    )
    if mean.fibre or (body is not None and body.strands):
        return (
            MaterialKind.FIBRE,
            1.0 if mean.fibre else 0.8,
            "it is on curves" if not mean.fibre else "it scatters as a fibre does",
        )
    if glow > 0.1 * _BRIGHT:
        return MaterialKind.GLOW, glow / (glow + 0.1 * _BRIGHT), f"it gives off {glow:.0f} nit"
    if clear > 0.25:
        return _clear(mean, body, recs, clear)
    if leaf > 0.03:
        return (
            MaterialKind.FOLIAGE,
            min(0.6 + 2.0 * leaf, 0.95),
            f"it lets {100 * leaf:.0f} % of the light through scattered",
        )
    if deep > 0.05 and deep > 0.3 * matt:
        return (
            MaterialKind.WAX,
            min(0.5 + deep / max(matt, 1e-6) * 0.5, 0.95),
            f"{100 * deep / max(matt, 1e-6):.0f} % of what it scatters comes from below",
        )
    if fuzz > 0.02:
        return MaterialKind.CLOTH, min(0.6 + 3.0 * fuzz, 0.95), "it has a layer of fuzz"
    brighter = luminance(aside.scattered) - matt
    if _facing(look) == "base" and brighter > 0.02 and mean.alpha > 0.1:
        return MaterialKind.CLOTH, min(0.5 + 2.0 * brighter, 0.85), "its base is brighter towards its edge, as fuzz is"
    if matt < 0.1 and (faced >= 0.2 or faced > max(0.08, 4.0 * matt)):
        return (
            MaterialKind.METAL,
            min(0.55 + faced * 0.5 * (1.0 - 5.0 * matt), 0.98),
            f"it reflects {100 * faced:.0f} % when faced over a base of {100 * matt:.0f} %",
        )
    return _opaque(look, mean, matt, mirror, faced)


def _clear(mean: Gist, body: Body | None, recs: np.ndarray, clear: float) -> tuple[MaterialKind, float, str]:
    sheet = body is not None and body.is_sheet
    solid = body is not None and body.is_solid
    sure = min(0.5 + 0.5 * clear, 0.95) * (1.0 if body is not None else 0.8)
    if mean.thin and not mean.bends:
        doubt = 0.6 if solid else 1.0
        return (
            MaterialKind.THIN_GLASS,
            sure * doubt,
            "light passes it without bending" + (", though it is on a closed body" if solid else ""),
        )
    if sheet:
        return MaterialKind.THIN_GLASS, sure * 0.6, "light would be bent, but what wears it is an open sheet"
    index = _index(recs)
    if _WATER[0] <= index <= _WATER[1]:
        return MaterialKind.LIQUID, sure * 0.85, f"its index of {index:.2f} is that of water"
    return MaterialKind.SOLID_GLASS, sure, f"light is bent by an index of {index:.2f}"


def _opaque(look: Record, mean: Gist, matt: float, mirror: float, faced: float) -> tuple[MaterialKind, float, str]:
    """Painted, glazed, plastic or flat: by how much, and how smoothly, it reflects, and by what varies."""
    if mirror < 0.012:
        return MaterialKind.FLAT, min(0.6 + (0.012 - mirror) * 30.0, 0.95), "it reflects next to nothing"
    if faced < 0.004:
        return MaterialKind.FLAT, 0.75, "it reflects nothing but at its edge"
    if faced < 0.025 and mean.alpha > 0.25:
        return MaterialKind.FLAT, 0.6, "what little it reflects is spread wide"
    mapped = bool(look.lanes)
    layers = sum(
        int(look.base[layout.HEADER + n * layout.LOBE]) == layout.REFLECT for n in range(int(look.base[layout.COUNT]))
    )
    if layers > 1:
        return MaterialKind.PAINTED, 0.75, "more than one layer of it reflects"
    if faced >= 0.2:
        return (
            MaterialKind.METAL,
            max(0.35, 0.6 - matt),
            f"it reflects {100 * faced:.0f} % when faced, over a base of {100 * matt:.0f} %",
        )
    if mean.alpha < 0.012:
        return MaterialKind.GLAZED, 0.7, "it reflects as a smooth glaze does"
    if not mapped and mean.alpha < 0.2:
        return MaterialKind.PLASTIC, 0.6, "one even colour under an even reflection"
    return MaterialKind.PAINTED, 0.5 if mapped else 0.45, "a matt colour under a soft reflection"


def _index(recs: np.ndarray) -> float:
    """The index by which light is bent, in the mean of the places where it is; there is one such place at least."""
    found = [
        float(rec[b + layout.FIRST])
        for rec in recs
        for b in range(layout.HEADER, layout.HEADER + int(rec[layout.COUNT]) * layout.LOBE, layout.LOBE)
        if int(rec[b + layout.KIND]) == layout.REFRACT
    ]
    return float(np.mean(found))
