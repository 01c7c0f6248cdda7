"""A flat pane is simplified where a person wants that: light passes it straight, in the colour that it would have on its way through."""

from __future__ import annotations

from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES
from durvan.crossing.translation.ground import Inward, lets_light_pass
from durvan.dialects.said import Cause, Why
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.graph import Node, Value, same
from durvan.scene.vocabulary import common_ground

_SURFACE, _PASSES, _THIN = "open_pbr_surface", "transmission_weight", "geometry_thin_walled"
_GONE = (
    "transmission_scatter", "transmission_scatter_anisotropy", "transmission_dispersion_scale",
    "transmission_dispersion_abbe_number", "subsurface_weight",
)  # fmt: skip
_WHY = Why(Cause.RULE, "A flat pane lets light pass straight, as was chosen.", "pane")


def simplify(inward: Inward, body: Body | None) -> tuple[Why, ...]:
    """Make every surface that light passes through a flat pane, where what wears it is one; why, where it is none."""
    clear = [node for node in inward.graph.nodes.values() if node.kind == _SURFACE and lets_light_pass(node)]
    if not clear:
        return ()
    if not all(node.values.get(_THIN) is True for node in clear) and (body is None or not body.is_sheet):
        if body is None:
            return (
                Why(Cause.NO_WORD, "Not simplified to a flat pane: nobody has looked at it yet.", WAITS_FOR_SHAPES),
            )
        return (Why(Cause.NO_WORD, "Not simplified to a flat pane: what wears it encloses a volume.", "pane:unmet"),)
    for node in clear:
        _flatten(inward, node, body)
    return ()


def _flatten(inward: Inward, node: Node, body: Body | None) -> None:
    depth, colour = node.values.get("transmission_depth", 0.0), node.values.get("transmission_color")
    if isinstance(depth, float) and depth > 0.0:
        thick = body.thickness if body is not None else 0.0
        if isinstance(colour, tuple):
            _put(inward, node, "transmission_color", tuple(part ** (thick / depth) for part in colour))
        _put(inward, node, "transmission_depth", 0.0)
    for port in _GONE:
        if port in node.ports():
            node.links.pop(port, None)
            _put(inward, node, port, common_ground().types[_SURFACE].parameters[port].default)
    if node.values.get(_THIN) is not True:
        _put(inward, node, _THIN, True)
        for row in inward.origins.get((node.id, _PASSES), ()):
            row.meet(Fate.FITTED, _WHY)


def _put(inward: Inward, node: Node, port: str, value: Value | None) -> None:
    if value is None or same(node.values.get(port), value):
        return
    node.values[port] = value
    for row in inward.origins.get((node.id, port), ()):
        row.meet(Fate.FITTED, _WHY)
