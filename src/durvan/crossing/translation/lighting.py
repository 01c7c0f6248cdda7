"""What a person does to the light of the target: trims in stops, and the colour that lights are forced to.

Both act on the common ground, so that they mean the same in every dialect.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import By, Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.optics.colour import black_body, luminance, spread
from durvan.scene.fate import Fate
from durvan.scene.graph import Node, Value
from durvan.scene.model import Kind, Thing
from durvan.scene.vocabulary import common_ground

EVERYTHING, ENVIRONMENT, GLOW = "everything", "environment", "glow"
KIND = "kind:"
SURFACE, DOME, DAYLIGHT = "open_pbr_surface", "DomeLight", "Daylight"
_WHITE = 0.02  # how far a colour may be from grey to count as white


@dataclass(frozen=True)
class Handling:
    """What is done to one thing's light: stops on it, stops on a sky that it holds besides, and the colour it is forced to."""

    stops: float = 0.0
    sky: float = 0.0
    kelvin: float = 0.0
    only_white: bool = False
    off: bool = False

    def factor(self, part: str) -> float:
        """What it multiplies a light by, or ("sky") the sky of one that is sun and sky."""
        return 0.0 if self.off else float(2.0 ** (self.sky if part == "sky" else self.stops))

    @property
    def idle(self) -> bool:
        """Whether nothing is done."""
        return self == AS_IT_IS


AS_IT_IS = Handling()


def category(thing: Thing, pack: Pack | None) -> str:
    """What a light is on the common ground; "glow" for a material, "" where it is not known."""
    if thing.kind is Kind.MATERIAL:
        return GLOW
    root = thing.root
    kind = pack.compiled.get(root.kind) if pack is not None and root is not None else None
    return kind.roles[kind.main] if kind is not None else ""


def handling(thing: Thing, pack: Pack | None, choices: Choices) -> Handling:
    """What the trims and tints of a crossing come to for one thing. Stops add up: everything, its kind, itself."""
    if thing.kind not in (Kind.LIGHT, Kind.MATERIAL) or not (choices.trims or choices.tints or choices.kept_off):
        return AS_IT_IS
    what = category(thing, pack)
    by_subject = {trim.subject: trim.stops for trim in choices.trims}
    common = by_subject.get(EVERYTHING, 0.0) + by_subject.get(thing.id, 0.0)
    sky = common + by_subject.get(ENVIRONMENT, 0.0)
    stops = (
        sky if what == DOME else common + by_subject.get(f"{KIND}{'DistantLight' if what == DAYLIGHT else what}", 0.0)
    )
    tint = next(
        (one for one in reversed(choices.tints) if one.subject in (thing.id, EVERYTHING) and thing.kind is Kind.LIGHT),
        None,
    )
    off = thing.kind is Kind.LIGHT and thing.id in choices.kept_off
    if tint is None:
        return Handling(stops, sky, off=off)
    return Handling(stops, sky, tint.kelvin, tint.only_white, off)


def handle(inward: Inward, thing: str, done: Handling) -> None:
    """Put what is done to a thing's light into it, on the common ground, and say so in its rows."""
    for node in inward.graph.nodes.values():
        if node.kind == DAYLIGHT:
            _scale(inward, thing, node, "sun_gain", done.stops)
            _scale(inward, thing, node, "sky_gain", done.sky)
            if done.off:
                _switch_off(inward, thing, node)
        elif node.kind == SURFACE:
            if "emission_luminance" in node.values or "emission_luminance" in node.links:
                _scale(inward, thing, node, "emission_luminance", done.stops)
        elif node.kind.endswith("Light"):
            _scale(inward, thing, node, "intensity", done.stops)
            if done.off:
                _switch_off(inward, thing, node)
            if done.kelvin > 0.0:
                _force(inward, thing, node, done)


def _scale(inward: Inward, thing: str, node: Node, port: str, stops: float) -> None:
    if stops == 0.0 or port in node.links:
        return
    default = common_ground().types[node.kind].parameters[port].default
    value = float(cast(float, node.values.get(port, default)))
    node.values[port] = value * 2.0**stops
    _tell(inward, thing, node, port, Step(f"a trim of {stops:+.2f} stops"), f"Trimmed by {stops:+.2f} stops by hand.")


def _switch_off(inward: Inward, thing: str, node: Node) -> None:
    node.values["on"] = False
    _tell(inward, thing, node, "on", Step("kept off"), "Kept, but switched off by hand.")


def _force(inward: Inward, thing: str, node: Node, done: Handling) -> None:
    """Give a light the colour of a temperature, with the luminance that it had."""
    tint = cast("tuple[float, ...]", node.values.get("color", (1.0, 1.0, 1.0)))
    if done.only_white and (spread(tint) > _WHITE * max(tint) or bool(node.values.get("enableColorTemperature"))):
        return
    level = luminance(tint)
    colour: Value = tuple(level * part for part in black_body(done.kelvin))
    node.values["color"], node.values["enableColorTemperature"] = colour, False
    said = f"Forced to {done.kelvin:g} K by hand."
    for port in ("color", "enableColorTemperature", "colorTemperature"):
        _tell(inward, thing, node, port, Step(f"forced to {done.kelvin:g} K"), said)


def _tell(inward: Inward, thing: str, node: Node, port: str, step: Step, said: str) -> None:
    rows: list[Row] = [*inward.origins.get((node.id, port), ()), *inward.of_default(thing, (node.id, port))]
    for row in rows:
        row.by = By.HAND
        row.scaled = False
        row.steps = (*row.steps, step)
        row.meet(Fate.FITTED, Why(Cause.HAND, said))
