"""What a person does to the light of the target: trims in stops, and the colour that lights are forced to.

Both act on the common ground, so that they mean the same in every dialect.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import cast

from durvan.crossing.translation.choices import Choices, Tinting
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import By, Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.graph.formula import Vec
from durvan.graph.wire import Wire
from durvan.optics.colour import black_body, luminance, spread, usd_black_body, white_balance
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
    """What is done to one thing's light: stops on it, stops on a sky that it holds besides, the colour it is forced to; and to a
    camera: how far it goes forward, and at what distance things keep their size, in metres. `by_name`: it is off because of what
    it is called. `policy` is what lights get that have a temperature, where the target knows none. `white` is the temperature
    that light is balanced to instead of the camera (kelvin, 0 for none).
    """

    stops: float = 0.0
    sky: float = 0.0
    kelvin: float = 0.0
    only_white: bool = False
    off: bool = False
    by_name: bool = False
    policy: str = "all"
    forward: float = 0.0
    subject: float = 0.0
    white: float = 0.0

    def factor(self, part: str) -> float:
        """What it multiplies a light by, or ("sky") the sky of one that is sun and sky."""
        return 0.0 if self.off else float(2.0 ** (self.sky if part == "sky" else self.stops))

    @property
    def idle(self) -> bool:
        """Whether nothing is done."""
        return not (
            self.stops
            or self.sky
            or self.kelvin
            or self.only_white
            or self.off
            or self.by_name
            or self.forward
            or self.subject
            or self.white
        )


AS_IT_IS = Handling()


def category(thing: Thing, pack: Pack | None) -> str:
    """What a light is on the common ground; "glow" for a material, "" where it is not known."""
    if thing.kind is Kind.MATERIAL:
        return GLOW
    root = thing.root
    if thing.place:
        return root.kind if root is not None else ""
    kind = pack.compiled.get(root.kind) if pack is not None and root is not None else None
    return kind.roles[kind.main] if kind is not None else ""


class Handlings:
    """What the trims, tints and policies of a crossing come to, thing by thing; looked up once for all of them."""

    def __init__(self, choices: Choices) -> None:
        self.choices = choices
        self.stops = {trim.subject: trim.stops for trim in choices.trims}
        self.tints: dict[str, tuple[int, Tinting]] = {one.subject: (at, one) for at, one in enumerate(choices.tints)}
        self.off, self.shine = frozenset(choices.kept_off), frozenset(choices.let_shine)
        self.moves = {one.thing: one for one in reversed(choices.advances)}
        self.bare = Handling(policy=choices.kelvin, white=choices.balanced)

    def of(self, thing: Thing, pack: Pack | None) -> Handling:
        """What is done to one thing. Stops add up: everything, its kind, itself."""
        if thing.kind is Kind.CAMERA:
            moved = self.moves.get(thing.id)
            forward, subject = (moved.metres, moved.subject) if moved is not None else (0.0, 0.0)
            return Handling(forward=forward, subject=subject, white=self.choices.balanced)
        if thing.kind is Kind.LIGHT:
            decided = thing.id in self.shine or thing.id in self.off
            by_name = not decided and is_setup(thing.name, self.choices)
            off = by_name or thing.id in self.off
        elif thing.kind is Kind.MATERIAL and (self.stops or self.choices.balanced):
            off = by_name = False
        else:
            return AS_IT_IS
        tint = self._tint(thing) if self.tints else None
        if not self.stops and tint is None and not off:
            return self.bare
        stops, sky = self._stops(thing, pack) if self.stops else (0.0, 0.0)
        done = Handling(stops, sky, off=off, by_name=by_name, policy=self.choices.kelvin, white=self.choices.balanced)
        return replace(done, kelvin=tint.kelvin, only_white=tint.only_white) if tint is not None else done

    def _stops(self, thing: Thing, pack: Pack | None) -> tuple[float, float]:
        """Stops on a thing, and on a sky that it holds besides."""
        what = category(thing, pack)
        common = self.stops.get(EVERYTHING, 0.0) + self.stops.get(thing.id, 0.0)
        sky = common + self.stops.get(ENVIRONMENT, 0.0)
        of_kind = self.stops.get(f"{KIND}{'DistantLight' if what == DAYLIGHT else what}", 0.0)
        return sky if what == DOME else common + of_kind, sky

    def _tint(self, thing: Thing) -> Tinting | None:
        """The tint that was put last of those that are about it."""
        if thing.kind is not Kind.LIGHT:
            return None
        found = [one for subject in (EVERYTHING, thing.id) if (one := self.tints.get(subject)) is not None]
        return max(found, key=lambda one: one[0])[1] if found else None


def is_setup(name: str, choices: Choices) -> bool:
    """Whether a light is there for setting up, by its name: one of the names as a word of it, or as a part ("setup" only)."""
    return _named(name, choices.setup_names)


@lru_cache(maxsize=1 << 16)
def _named(name: str, names: tuple[str, ...]) -> bool:
    said = _words(name)
    return any(
        said[n : n + len(wanted)] == wanted
        for wanted in map(_words, names) if wanted
        for n in range(len(said) - len(wanted) + 1)
    ) or ("setup" in names and "setup" in name.lower())  # fmt: skip


@lru_cache(maxsize=1 << 16)
def _words(name: str) -> tuple[str, ...]:
    """The words of a name, by its separators, capitals and digits.

    >>> _words("keyTestFill_01")
    ('key', 'test', 'fill', '01')
    """
    return tuple(word.lower() for word in re.findall(r"[^\W\d_]+?(?=[A-Z][a-z]|(?<=[a-z])[A-Z]|[\W\d_]|$)|\d+", name))


def forward_of(thing: Thing, done: Handling) -> tuple[float, ...]:
    """Where a camera stands once it has gone forward: a world matrix; nothing where it stays, or where nobody knows."""
    if done.forward <= 0.0 or len(thing.stands) != 16:
        return ()
    z = thing.stands[8:11]
    length = math.sqrt(sum(part * part for part in z)) or 1.0
    x, y, w = (a - done.forward * b / length for a, b in zip(thing.stands[12:15], z, strict=True))
    return (*thing.stands[:12], x, y, w, 1.0)


def handle(inward: Inward, thing: str, done: Handling, knows_kelvin: bool = True) -> None:
    """Put what is done to a thing's light into it, on the common ground, and say so in its rows."""
    for node in list(inward.graph.nodes.values()):
        if node.kind == "Camera":
            _go_forward(inward, thing, node, done)
            _leave_white(inward, thing, node, done.white)
        elif node.kind == DAYLIGHT:
            _scale(inward, thing, node, "sun_gain", done.stops)
            _scale(inward, thing, node, "sky_gain", done.sky)
            _balance(inward, thing, node, "color", done.white)
            if done.off:
                _switch_off(inward, thing, node, done.by_name)
        elif node.kind == SURFACE:
            if "emission_luminance" in node.values or "emission_luminance" in node.links:
                _scale(inward, thing, node, "emission_luminance", done.stops)
                _balance(inward, thing, node, "emission_color", done.white, "emission_luminance")
        elif node.kind.endswith("Light"):
            _scale(inward, thing, node, "intensity", done.stops)
            if done.off:
                _switch_off(inward, thing, node, done.by_name)
            if done.kelvin > 0.0:
                _force(inward, thing, node, done)
            if not knows_kelvin and node.values.get("enableColorTemperature"):
                _spend_kelvin(inward, thing, node, done.policy)
            _balance(inward, thing, node, "color", done.white)


def _scale(inward: Inward, thing: str, node: Node, port: str, stops: float) -> None:
    if stops == 0.0:
        return
    what = "Its map is trimmed" if port in node.links else "Trimmed"
    _multiply(inward, node, port, 2.0**stops)
    _tell(inward, thing, node, port, Step(f"a trim of {stops:+.2f} stops"), f"{what} by {stops:+.2f} stops by hand.")


def _multiply(inward: Inward, node: Node, port: str, factor: float) -> None:
    """Multiply a number, or the map that feeds it."""
    if port in node.links:
        _on_map(inward, node, port, factor)
        return
    default = common_ground().types[node.kind].parameters[port].default
    node.values[port] = float(cast(float, node.values.get(port, default))) * factor


def _on_map(inward: Inward, node: Node, port: str, factor: float | Vec) -> None:
    """Multiply a map that feeds a port."""
    before = len(inward.graph.nodes)
    rows = inward.origins.get((node.id, port), [])
    node.links[port] = (Wire(inward.graph, node.links[port], f"{node.id}_{port}") * factor).settled()
    inward.learn_grown(before, rows)


def _balance(inward: Inward, thing: str, node: Node, port: str, kelvin: float, strength: str = "") -> None:
    """Give light the factors of a white balance that the target's camera does not have. Where a colour is at most 1, what is over that goes into
    its `strength`.
    """
    if kelvin <= 0.0:
        return
    step = Step(f"balanced for {kelvin:g} K")
    factors: tuple[float, ...] = white_balance(kelvin)
    most = max(factors) if strength else 1.0
    factors = tuple(part / most for part in factors)
    if most != 1.0:
        _multiply(inward, node, strength, most)
        _tell(
            inward,
            thing,
            node,
            strength,
            step,
            f"It has the strength that its colour has not, at a white balance of {kelvin:g} K.",
        )
    if port in node.links:
        _on_map(inward, node, port, Vec(factors))
        _tell(inward, thing, node, port, step, f"Its map has the white balance of {kelvin:g} K in it, by hand.")
        return
    default = common_ground().types[node.kind].parameters[port].default
    colour = cast("tuple[float, ...]", node.values.get(port, default))
    node.values[port] = tuple(c * w for c, w in zip(colour, factors, strict=True))
    _tell(inward, thing, node, port, step, f"It has the white balance of {kelvin:g} K in its colour, by hand.")


def _leave_white(inward: Inward, thing: str, node: Node, kelvin: float) -> None:
    """Take the white balance from a camera whose light has it."""
    given = node.values.get("white_balance")
    if kelvin > 0.0 and isinstance(given, float | int) and abs(given - kelvin) < 0.5:
        _tell(
            inward, thing, node, "white_balance", Step("balanced light"), "The colours of the lights have it instead."
        )
        del node.values["white_balance"]


def _go_forward(inward: Inward, thing: str, node: Node, done: Handling) -> None:
    """A camera nearer to what it looks at, with a wider view by as much as the subject has come nearer."""
    if done.forward <= 0.0 or done.subject <= done.forward:
        return
    ground = common_ground().types["Camera"].parameters
    closer = (done.subject - done.forward) / done.subject
    said = f"The camera is {done.forward:g} m further forward; what is {done.subject:g} m ahead keeps its size."
    step = Step(f"moved forward by {done.forward:g} m")
    focal = float(cast(float, node.values.get("focalLength", ground["focalLength"].default)))
    focus = float(cast(float, node.values.get("focusDistance", ground["focusDistance"].default)))
    node.values["focalLength"] = focal * closer
    if focus > done.forward:
        node.values["focusDistance"] = focus - done.forward
    node.values["clip_near"] = 0.0
    for port in ("focalLength", "focusDistance", "clip_near"):
        _tell(inward, thing, node, port, step, said)


def _spend_kelvin(inward: Inward, thing: str, node: Node, policy: str) -> None:
    """A temperature as a colour, for a target that knows none: of every light, of white ones, or of none."""
    tint = cast("tuple[float, ...]", node.values.get("color", (1.0, 1.0, 1.0)))
    default = common_ground().types[node.kind].parameters["colorTemperature"].default
    kelvin = float(cast(float, node.values.get("colorTemperature", default)))
    white = spread(tint) <= _WHITE * max(max(tint), 1e-9)
    node.values["enableColorTemperature"] = False
    if policy == "all" or (policy == "white" and white):
        node.values["color"] = tuple(t * k for t, k in zip(tint, usd_black_body(kelvin), strict=True))
        said = f"{kelvin:g} K became a colour; the target knows no temperatures."
    else:
        said = f"{kelvin:g} K is left out; the target knows no temperatures."
    for port in ("color", "enableColorTemperature", "colorTemperature"):
        _tell(inward, thing, node, port, Step("temperature as a colour"), said, By.RULES)


def _switch_off(inward: Inward, thing: str, node: Node, by_name: bool) -> None:
    node.values["on"] = False
    said = (
        "It is there for setting up, by its name: kept, but switched off."
        if by_name
        else "Kept, but switched off by hand."
    )
    _tell(inward, thing, node, "on", Step("kept off"), said, By.RULES if by_name else By.HAND)


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


def _tell(inward: Inward, thing: str, node: Node, port: str, step: Step, said: str, by: By = By.HAND) -> None:
    rows: list[Row] = [*inward.origins.get((node.id, port), ()), *inward.of_default(thing, (node.id, port))]
    for row in rows:
        row.by = by
        row.scaled = False
        row.steps = (*row.steps, step)
        row.meet(Fate.FITTED, Why(Cause.HAND if by is By.HAND else Cause.RULE, said))
