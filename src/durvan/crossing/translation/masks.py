"""What is cut out by a map becomes a stencil where a person wants that: hard at a half, once a material, and never where light passes."""

from __future__ import annotations

from durvan.crossing.translation.ground import Inward, lets_light_pass
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.graph.wire import Wire
from durvan.scene.fate import Fate

_SURFACE, _OPACITY = "open_pbr_surface", "geometry_opacity"
_STEEP, _SHIFT = 999.0, -499.0
_WHY = Why(Cause.RULE, "A stencil makes the mask hard at a half, as was chosen.", "stencil")


def harden(inward: Inward, target: Pack) -> tuple[Why, ...]:
    """Make the only mask of a material hard; where there are several, or light passes, it stays as it is, and why is given."""
    masked = [node for node in inward.graph.nodes.values() if node.kind == _SURFACE and _OPACITY in node.links]
    if not masked:
        return ()
    if not target.identity.abilities.get("stencil", False):
        return (_unmet(f"{target.title} has none."),)
    if len(masked) > 1:
        return (_unmet(f"it has {len(masked)} masks, and a material has one stencil."),)
    if lets_light_pass(masked[0]):
        return (_unmet("light passes through it as well, and a stencil lets none."),)
    node = masked[0]
    before = len(inward.graph.nodes)
    rows = inward.origins.get((node.id, _OPACITY), [])
    node.links[_OPACITY] = (Wire(inward.graph, node.links[_OPACITY], f"{node.id}_stencil") * _STEEP + _SHIFT).settled()
    inward.learn_grown(before, rows)
    for row in rows:
        row.meet(Fate.FITTED, _WHY)
    return ()


def _unmet(what: str) -> Why:
    return Why(Cause.NO_WORD, f"Not cut out by a stencil: {what}", "stencil:unmet")
