"""Several surfaces as one: laid over each other by a share, or added.

A share of a surface is that part of its places, too small to be seen one by one. So each lobe counts by its share, and what lies
under it within its own surface gives way to it as before.
"""

from __future__ import annotations

from dataclasses import replace

from durvan.dialects.look import Lobe, Numbers, Surface
from durvan.graph import expression as ex
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

_FLAT = (0.0, 0.0, 1.0)


def two_sided(front: Surface | None, back: Surface | None) -> Surface:
    """A surface with another one on its back; nothing comes back from a side without one."""
    return replace(front or Surface(), back=back or Surface())


def over(below: Surface, top: Surface, share: Field) -> Surface:
    """`top` over `below` where `share` is 1, and beside it where it is less."""
    share = ex.clamp(share)
    if share.is_always(0.0):
        return below
    if share.is_always(1.0):
        return top
    return _together(below, top, 1.0 - share, share)


def added(below: Surface, top: Surface, share: Field) -> Surface:
    """What `top` gives, times `share`, on top of all that `below` gives."""
    share = ex.clamp(share)
    return below if share.is_always(0.0) else _together(below, top, ex.field(1.0), share, adds=True)


def stacked(below: Surface | None, top: Surface | None) -> Surface:
    """`top` lying on `below`: each of its lobes that light may pass lets what it does not give back come to all of `below`; one that it
    cannot pass hides it. Where `top` has no lobes, as a glow, `below` is as it was.
    """
    if below is None or top is None:
        return below or top or Surface()
    there = ex.field(top.opacity)
    if not there.is_always(1.0):  # through its holes `below` is seen as it is
        return over(below, stacked(below, replace(top, opacity=1.0)), there)
    last = [lobe for lobe in top.lobes if not any(other.under is lobe for other in top.lobes)]
    if last and all(lobe.cover == layout.BARE for lobe in last):
        return top
    made = replace(below, lobes=[*top.lobes, *([] if last else below.lobes)])
    for lobe in last:
        if lobe.cover != layout.BARE:
            made.lobes += _laid_under(below, lobe)
    made.glow = ex.field(top.glow) + ex.field(below.glow)
    made.glow_lights = below.glow_lights and top.glow_lights
    made.relief = below.relief or top.relief
    made.soft_relief = below.soft_relief or top.soft_relief
    made.notes = list(dict.fromkeys((*below.notes, *top.notes)))
    return made


def _laid_under(below: Surface, lobe: Lobe) -> list[Lobe]:
    """A surface's lobes under one that has a share of its places to itself."""
    share = ex.field(lobe.within)
    lobes = _scaled(below, share, copied=True)
    for one in lobes:
        if one.under is None:
            one.under = lobe
    return lobes


def _together(below: Surface, top: Surface, rest: Field, share: Field, adds: bool = False) -> Surface:
    low, high = ex.field(below.opacity), ex.field(top.opacity)
    if adds:
        opacity, rest_solid, share_solid = low, rest, share * high
    else:
        solid = low.is_always(1.0) and high.is_always(1.0)
        opacity = ex.field(1.0) if solid else rest * low + share * high
        whole = ex.most(opacity, 1e-6)
        rest_solid, share_solid = (rest, share) if solid else (rest * low / whole, share * high / whole)
    made = Surface(_scaled(below, rest_solid) + _scaled(top, share_solid), opacity)
    made.glow = rest_solid * ex.field(below.glow) + share_solid * ex.field(top.glow)
    made.glow_lights = below.glow_lights and top.glow_lights
    made.glow_whole = below.glow_whole and top.glow_whole
    made.glow_bare = below.glow_bare and top.glow_bare
    made.glow_front = below.glow_front and top.glow_front
    made.murk = _of_those_with(layout.REFRACT, below, top, below.murk, top.murk, share)
    made.reach = _of_those_with(layout.DEEP_DIFFUSE, below, top, below.reach, top.reach, share)
    made.deep = _of_those_with(layout.DEEP_DIFFUSE, below, top, below.deep, top.deep, share)
    made.notes = list(dict.fromkeys((*below.notes, *top.notes)))
    made.relief = _relief(made, below, top, share if not adds else ex.field(0.0))
    made.soft_relief = below.soft_relief or top.soft_relief
    if below.back is not None or top.back is not None:
        low_back, high_back = (replace(one.back or one, back=None) for one in (below, top))
        made.back = _together(low_back, high_back, rest, share, adds)
    return made


def _scaled(surface: Surface, share: Field, copied: bool = False) -> list[Lobe]:
    """A surface's lobes with a share of its places; `copied` where they are changed further."""
    if share.is_always(1.0) and not copied:
        return list(surface.lobes)
    made: dict[int, Lobe] = {}
    for lobe in surface.lobes:
        made[id(lobe)] = replace(lobe, weight=ex.field(lobe.weight) * share, within=ex.field(lobe.within) * share)
    for lobe in made.values():
        if lobe.under is not None:
            lobe.under = made.get(id(lobe.under), lobe.under)
    return list(made.values())


def _has(surface: Surface, kind: int) -> bool:
    return any(lobe.kind == kind and not ex.field(lobe.weight).is_always(0.0) for lobe in surface.lobes)


def _of_those_with(kind: int, below: Surface, top: Surface, one: Numbers, two: Numbers, share: Field) -> Numbers:
    """A property of what lies inside: of the surface that has such an inside, of both by their shares."""
    if not _has(top, kind):
        return one
    return ex.mix(one, two, share) if _has(below, kind) else two


def _relief(made: Surface, below: Surface, top: Surface, share: Field) -> tuple[str, Field] | None:
    """Relief by its share, too: heights and normals are mixed."""
    one, two = below.relief, top.relief
    kinds = {relief[0] for relief in (one, two) if relief is not None}
    if not kinds:
        return None
    if len(kinds) == 2:
        made.notes.append("a bump and a normal map of two layers are not shown together; that below is")
        return one
    kind = kinds.pop()
    flat = ex.field(0.0 if kind == "height" else _FLAT)
    return kind, ex.mix(one[1] if one else flat, two[1] if two else flat, share)
