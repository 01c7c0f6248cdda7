"""A sun with its sky, for a target that has no one word for both: it becomes a far light and a dome with a picture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import cast

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.optics import sky
from durvan.optics.colour import luminance
from durvan.optics.photometry import latlong_illuminance
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.raw import TOWARDS
from durvan.scene.vocabulary import common_ground

_DAYLIGHT = "Daylight"
_NIGHT = 1e-9  # lux: what a sky without light counts as, so that its gain can be told
_PARTED = Why(Cause.RULE, "The sun and its sky are one here; there they are a far light and a picture of the sky.")


@dataclass(frozen=True)
class Parted:
    """Which node the sun became, where it stands (azimuth and elevation, degrees), and what its sky puts on level ground."""

    sun: str
    towards: tuple[float, float]
    map_lux: float

    def known(self, context: Mapping[str, float]) -> dict[str, float]:
        """What formulas may know of it."""
        return {**context, "map_lux": self.map_lux}

    def stand(self, graph: Graph) -> None:
        """Say of the sun where it stands, in the target's graph."""
        if self.sun in graph.nodes:
            graph.nodes[self.sun].values[TOWARDS] = self.towards


def part(inward: Inward, target: Pack) -> Parted | None:
    """Put a far light and a dome in the place of a daylight; None where there is none, or where the target has its word."""
    node = next((one for one in inward.graph.nodes.values() if one.kind == _DAYLIGHT), None)
    if node is None or any(kind.roles[kind.main] == _DAYLIGHT for kind in target.compiled.values()):
        return None
    said = {
        name: node.values.get(name, one.default) for name, one in common_ground().types[_DAYLIGHT].parameters.items()
    }
    place = [float(cast(float, said[name])) for name in ("azimuth", "elevation", "haze", "ground")]
    picture = sky.name_of(*place)
    r, g, b = sky.sun_lux(place[1], place[2])
    level = luminance((r, g, b))
    tint = cast("tuple[float, ...]", said["color"])
    colour = tuple(t * (part / level if level > 0.0 else 1.0) for t, part in zip(tint, (r, g, b), strict=True))
    sun = {
        "intensity": level * float(cast(float, said["sun_gain"])), "normalize": True, "color": colour,
        "angle": said["sun_angle"], "shadow": said["shadow"], "on": said["on"],
    }  # fmt: skip
    dome = {"texture": picture, "intensity": said["sky_gain"], "color": tint, "on": said["on"]}
    _replace(inward, node, {"sun": sun, "sky": dome})
    made = sky.of_name(picture)
    lux = max(latlong_illuminance(made) if made is not None else 0.0, _NIGHT)
    return Parted(f"{node.id}_sun", (place[0], place[1]), lux)


_FROM = {  # which ports of a daylight a port of its parts comes from
    ("sun", "intensity"): ("elevation", "haze", "sun_gain"), ("sun", "color"): ("azimuth", "elevation", "haze", "color"),
    ("sun", "angle"): ("sun_angle",), ("sun", "shadow"): ("shadow",), ("sun", "on"): ("on",),
    ("sky", "texture"): ("azimuth", "elevation", "haze", "ground"), ("sky", "intensity"): ("sky_gain",),
    ("sky", "color"): ("color",), ("sky", "on"): ("on",),
}  # fmt: skip


def _replace(inward: Inward, node: Node, parts: dict[str, dict[str, Value]]) -> None:
    graph = inward.graph
    del graph.nodes[node.id]
    graph.outputs.clear()
    for name, values in parts.items():
        kind = "DistantLight" if name == "sun" else "DomeLight"
        made = graph.add(Node(f"{node.id}_{name}", kind, values, source=node.source))
        graph.outputs["light" if name == "sun" else name] = Link(made.id)
        for port in values:
            rows: list[Row] = []
            for origin in _FROM.get((name, port), ()):
                rows += [row for row in inward.origins.get((node.id, origin), ()) if row not in rows]
            inward.origins.setdefault((made.id, port), []).extend(rows)
    for (owner, _), rows in inward.origins.items():
        if owner == node.id:
            for row in rows:
                row.meet(Fate.RECAST, _PARTED)
    for key in [key for key in inward.origins if key[0] == node.id]:
        del inward.origins[key]
