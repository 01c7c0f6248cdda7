"""A quick set of values for the target's settings: fewer samples, more noise, half the picture, worked out on the common ground."""

from __future__ import annotations

from typing import cast

from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.inward import carry_in
from durvan.crossing.translation.outward import carry_out
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph, Value, same
from durvan.scene.model import Thing
from durvan.scene.vocabulary import common_ground

FEWER, NOISIER, SMALLER = 16.0, 4.0, 2.0


def quick(thing: Thing, source: Pack, target: Pack, metres_per_unit: float) -> tuple[Note, ...]:
    """Notes that make the target's settings quick: a sixteenth of the samples, four times the noise, half the picture's width and
    height; as far as the target has words for that.
    """
    plain = _carried(thing, source, target, metres_per_unit, eased=False)
    quicker = _carried(thing, source, target, metres_per_unit, eased=True)
    out = []
    for node in quicker.nodes.values():
        before = plain.nodes[node.id].values if node.id in plain.nodes else {}
        kind = target.type(node.kind)
        for name, value in node.values.items():
            parameter = kind.parameters.get(name) if kind is not None else None
            was = before.get(name, parameter.default if parameter is not None else None)
            if not same(was, value, 1e-6, 1.0):
                out.append(Note(thing=thing.id, node=node.id, parameter=name, value=value))
    return tuple(out)


def _carried(thing: Thing, source: Pack, target: Pack, metres_per_unit: float, eased: bool) -> Graph:
    inward = carry_in(thing, source, metres_per_unit)
    if eased:
        _ease(inward)
    return carry_out(thing.id, inward, target, thing.context, metres_per_unit).graph


def _ease(inward: Inward) -> None:
    for node in inward.graph.nodes.values():
        if node.kind != "RenderSettings":
            continue
        ground = common_ground().types[node.kind].parameters

        def given(port: str) -> Value:
            return cast("Value", node.values.get(port, ground[port].default))  # noqa: B023 # used at once

        least, most = (float(cast(float, given(f"samples_{end}"))) for end in ("least", "most"))
        node.values["samples_most"] = max(1.0, round(most / FEWER))
        node.values["samples_least"] = max(1.0, min(least, node.values["samples_most"]))
        noise = float(cast(float, given("noise_threshold")))
        if noise > 0.0:
            node.values["noise_threshold"] = min(noise * NOISIER, 0.5)
        width, height = cast("tuple[float, float]", given("resolution"))
        node.values["resolution"] = (max(1.0, round(width / SMALLER)), max(1.0, round(height / SMALLER)))
