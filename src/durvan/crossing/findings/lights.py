"""Findings about lights: what a target cannot do, what would count twice or not at all, what differs by numbers."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from pathlib import Path

from durvan.crossing.document.changes import AddLight, Choose, KeepOff, LeaveOut, Match
from durvan.crossing.findings import standins
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.light.report import Emitter
from durvan.crossing.translation.lighting import category, is_setup
from durvan.crossing.translation.rows import Row
from durvan.formats.table import format_of
from durvan.identity import leaf
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Solid, Thing

_FLAMES = frozenset({"flame", "candle", "candlelight", "lantern", "torch", "wick", "lamp", "bulb", "lightbulb", "fire"})
_WORDS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
_NOT_ITSELF = frozenset({"l", "r", "left", "right", "top", "bottom", "front", "back", "mesh", "geo", "geom", "shape", "grp", "group", "inner", "outer"})  # fmt: skip
_SHARE = 0.05  # of all light on a probe that a light must have to matter
_NEAR = 0.5  # metres within which a light belongs to a flame
_HIDDEN = 0.05  # opacity below which a mesh is not seen
_AROUND = ("DomeLight", "Daylight")


def setup(view: View, thing: Thing) -> Iterator[Finding]:
    """A light that is there for setting up, by its name: it is carried, but off, unless a person lets it shine."""
    choices = view.plan.choices
    if thing.kind is not Kind.LIGHT or not is_setup(thing.name, choices):
        return
    if thing.id in choices.let_shine or thing.id in choices.kept_off:
        return
    on = _shines(view, thing)
    shine = Remedy("Let it shine", "Let all {count} shine", KeepOff(thing=thing.id, off=False), bulk=False)
    agree = Remedy("Keep it off", "Keep all {count} off", KeepOff(thing=thing.id))
    leave = Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id))
    yield Finding(
        "setup-light", Level.LOOK if on else Level.NOTE, "A light that is there for setting up, by its name",
        f"{thing.name} is {'on in the source and' if on else 'off in the source, and'} is carried switched off",
        "what it lit will be darker" if on else "it stays dark", thing.id, "", "Light",
        (("switched", "on" if on else "off"),), (agree, shine, leave) if on else (agree, leave),
    )  # fmt: skip


def _shines(view: View, thing: Thing) -> bool:
    """Whether a light is switched on, by what its dialect calls its switch; one without a switch is."""
    pack, root = view.source(thing), thing.root
    name = pack.playing(root.kind, "switch") if pack is not None and root is not None else None
    if pack is None or root is None or name is None:
        return True
    parameter = pack.parameter(root.kind, name)
    return bool(root.values.get(name, parameter.default if parameter is not None else True))


# What a light does that a target cannot, as packs name it (`told_by`): title, cause, consequence
_CANNOT = {
    "light-list": (
        "A light with a list of what it lights", "{thing} is kept from some things by a list; {target} has no lists",
        "it will light what stayed dark, and throw shadows that were left out",
    ),
    "shadowless": (
        "A light without shadows", "{thing} casts no shadows; every light of {target} does",
        "what it lit through will stand in its way",
    ),
    "decay": (
        "A light that weakens in its own way", "{thing} does not weaken with the square of the distance alone; lights of {target} do",
        "it will be too bright near it, or too dark far from it",
    ),
}  # fmt: skip


def cannot(view: View, thing: Thing) -> Iterator[Finding]:
    """What a light does and the target cannot: lists, no shadows, another decay."""
    if thing.kind is not Kind.LIGHT:
        return
    lost: dict[str, list[Row]] = {}
    for row in view.translation(thing).rows:
        if row.why.told_by in _CANNOT and row.fate is Fate.LOST and not row.targets:
            lost.setdefault(row.why.told_by, []).append(row)
    match = Remedy("Match it at the probes", "Match all {count} at the probes", Match(things=(thing.id,)))
    for code, rows in lost.items():
        title, cause, consequence = (said.format(thing=thing.name, target=view.target.title) for said in _CANNOT[code])
        evidence = tuple((row.parameter.replace("_", " "), f"{row.value} {row.unit}".strip()) for row in rows)
        yield Finding(
            code, Level.LOOK, title, cause, consequence, thing.id, rows[0].parameter, "Light", evidence, (match,)
        )


def portals(view: View) -> Iterator[Finding]:
    """A portal that the target does not need, with what it would have done."""
    report = view.balance
    openings = {one.path: one for one in report.openings} if report is not None else {}
    for thing in view.carried:
        translation = view.translation(thing)
        if thing.kind is not Kind.LIGHT or not any(why.told_by == "portal" for _, why in translation.unsaid):
            continue
        done = openings.get(thing.id)
        evidence: tuple[tuple[str, str], ...] = ()
        if done is not None and done.share > 0.0:
            evidence = (
                ("of the surroundings' light", f"{100.0 * done.share:.0f} % at {done.probe}"),
                ("ways that find it unguided", f"{100.0 * done.found:.2g} %"),
            )
            would = f"{100.0 * done.share:.0f} % of the surroundings' light at {done.probe} comes through it"
        else:
            would = (
                "no light that a probe gets from the surroundings comes through it"
                if done is not None
                else "it guides the surroundings' light"
            )
        leave = Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id))
        yield Finding(
            "portal", Level.NOTE, "A portal that is no longer needed",
            f"{thing.name}: {would}; {view.target.title} finds it by itself", "nothing changes but the noise", thing.id, "", "Light",
            evidence, (leave,),
        )  # fmt: skip


def temperature(view: View, thing: Thing) -> Iterator[Finding]:
    """A temperature that the target does not know."""
    if thing.kind is not Kind.LIGHT or view.target.identity.abilities.get("kelvin", True):
        return
    common = view.translation(thing).common
    kelvin, used = common.get("colorTemperature"), any(
        step.rule == "temperature as a colour" for row in view.translation(thing).rows for step in row.steps
    )  # fmt: skip
    if kelvin is None or not used:
        return
    policy = view.plan.choices.kelvin
    said = {
        "all": "every light gets the colour of its temperature", "white": "white lights get the colour of their temperature",
        "leave": "temperatures are left out",
    }  # fmt: skip
    others = tuple(
        Remedy(label, label, Choose(kelvin=how), bulk=False)  # type: ignore[arg-type]
        for how, label in (
            ("all", "Colour them all"),
            ("white", "Only white lights"),
            ("leave", "Leave temperatures out"),
        )
        if how != policy
    )
    yield Finding(
        "kelvin", Level.NOTE if policy == "all" else Level.LOOK, "A temperature that the target does not know",
        f"{view.target.title} has no colour temperature; {said[policy]}",
        "nothing changes" if policy == "all" else "it may be whiter or warmer than before", thing.id, "", "Light",
        (("temperature", f"{kelvin:g} K"),), others,
    )  # fmt: skip


# the scene as a whole


def unbalanced(view: View) -> Iterator[Finding]:
    """Light on a probe, or one light's part in it, that differs by more than the limit, with what it comes from."""
    report = view.balance
    if report is None:
        return
    told = {emitter.path for emitter in report.emitters if _is_lost(view, emitter)}  # which another finding tells
    told |= {light.path for light in view.plan.choices.added}
    for place, probe in enumerate(report.probes):
        apart = report.sum_apart(place)
        for part in report.parts:
            own = report.apart(part, place)
            done = report.stops.get(part.path)
            if (
                own is None
                or part.path in told
                or (done is not None and done.off)
                or abs(own) <= view.light_limit
                or report.share(part, place) < _SHARE
            ):
                continue
            told.add(part.path)
            evidence = (
                ("probe", probe.name), ("source", f"{report.lux(part, place, 'source'):.4g} lx"),
                ("target", f"{report.lux(part, place, 'target'):.4g} lx"), ("apart", in_stops(own)),
                ("all light there", in_stops(apart)),
            )  # fmt: skip
            match = Remedy("Make the budget match", "Make the budget match", Match(things=(part.path,)), bulk=False)
            yield Finding(
                "budget", Level.LOOK, "A light gives more or less than it did",
                f"{part.name} {_apart(own)} at {probe.name}{_because(view, part.path)}", f"all light there {_apart(apart)}", part.path, "", "Light", evidence, (match,),
            )  # fmt: skip


def in_stops(apart: float | None) -> str:
    """Stops in words."""
    if apart is None:
        return "dark on both sides"
    if math.isinf(apart):
        return "only in the target" if apart > 0.0 else "only in the source"
    return f"{round(apart, 2) + 0.0:+.2f} stops".replace("-", "−")


def _apart(stops: float | None) -> str:
    said = in_stops(stops)
    return f"is {said} apart" if stops is not None and math.isfinite(stops) else f"is {said}"


def _because(view: View, thing: str) -> str:
    """Why, as far as the ledger says it."""
    translation = view.plan.translations.get(thing)
    if translation is None:
        return ": it is not carried"
    rows = [
        row for row in translation.rows if row.fate >= Fate.FITTED and row.reason and row.family in ("lights", "glow")
    ]
    worst = max(rows, key=_weight, default=None)
    return f": {worst.reason[0].lower()}{worst.reason[1:].rstrip('.')}" if worst is not None else ""


def _weight(row: Row) -> tuple[bool, Fate]:
    return bool(row.why.told_by), row.fate


def none(view: View) -> Iterator[Finding]:
    """A scene without any light: a sun is offered, and nothing is added unasked."""
    things = view.scene.things.values()
    if Kind.LIGHT not in format_of(Path(view.scene.file)).holds:  # a file of materials alone lights nothing
        return
    if not things or any(thing.kind is Kind.LIGHT for thing in things) or _glows(view):
        return
    sun = Remedy("Add a sun", "Add a sun", AddLight(light=standins.sun(view, "no light")), bulk=False)
    yield Finding(
        "no-light", Level.LOOK, "There is no light at all", "the scene holds no light", "the picture will be black",
        "", "", "Light", (), (sun,),
    )  # fmt: skip


def _glows(view: View) -> bool:
    report = view.balance
    return report is not None and bool(report.emitters)


def _lights(view: View) -> list[tuple[Thing, str]]:
    """The lights of the source that shine, and what they are on the common ground."""
    found = [thing for thing in view.scene.own if thing.kind is Kind.LIGHT and _shines(view, thing)]
    return [(thing, category(thing, view.source(thing))) for thing in found]


def shadowless_scene(view: View) -> Iterator[Finding]:
    """Lights, but none that casts a shadow with an edge: a soft sun is offered."""
    lights = _lights(view)
    if not lights or view.plan.choices.added or _glows(view):
        return
    for thing, what in lights:
        common = view.plan.translations[thing.id].common if thing.id in view.plan.translations else {}
        if what not in ("DomeLight", "PortalLight") and bool(common.get("shadow", True)):
            return
    sun = Remedy(
        "Add a soft sun", "Add a soft sun", AddLight(light=standins.sun(view, "no shadows", soft=True)), bulk=False
    )
    yield Finding(
        "no-shadows", Level.NOTE, "Nothing casts a shadow", "all light comes from all around, or passes through things",
        "things will look as if they float", "", "", "Light", (("lights", str(len(lights))),), (sun,),
    )  # fmt: skip


def environment_twice(view: View) -> Iterator[Finding]:
    """More than one light from all around: a dome beside another one, or beside a sky."""
    around = [(thing, what) for thing, what in _lights(view) if what in _AROUND and thing.id in view.plan.translations]
    off = set(view.plan.choices.kept_off) | set(view.plan.choices.left_out)
    around = [(thing, what) for thing, what in around if thing.id not in off]
    if len(around) < 2:
        return
    names = ", ".join(thing.name for thing, _ in around)
    for thing, _ in around[1:]:
        remedies = (
            Remedy("Keep it off", "Keep all {count} off", KeepOff(thing=thing.id)),
            Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id)),
        )
        yield Finding(
            "environment-twice", Level.LOOK, "Surroundings that count twice", f"{names} all light from all around",
            "the target's surroundings are one property of the scene; the picture will be brighter or take the wrong one",
            thing.id, "", "Light", (("surroundings", names),), remedies,
        )  # fmt: skip


def hidden_emitters(view: View) -> Iterator[Finding]:
    """A mesh that is made almost invisible and lights all the same, or one whose glow lights nothing in the target."""
    report = view.balance
    if report is None:
        return
    taken = {light.instead_of for light in view.plan.choices.added}
    lost = [(one.path, there.name) for one in report.emitters if (there := view.scene.things.get(one.path)) is not None]
    names = standins.Names(view, lost)
    for emitter in report.emitters:
        thing = view.scene.things.get(emitter.path)
        hidden = emitter.opacity < _HIDDEN
        if thing is None or emitter.path in taken or not _is_lost(view, emitter):
            continue
        lumens = standins.flux(emitter)
        first, *more = standins.of_emitter(emitter, thing.name, names)
        added = Remedy("Put a light in its place", "Put lights in the place of all {count}", AddLight(light=first, more=tuple(more)))  # fmt: skip
        cause = (
            f"{thing.name} is {100.0 * emitter.opacity:.3g} % solid and gives {lumens:.4g} lm"
            if hidden else f"{thing.name} gives {lumens:.4g} lm"
        )  # fmt: skip
        yield Finding(
            "hidden-emitter" if hidden else "silent-glow", Level.LOOK,
            "A mesh that lights without being seen" if hidden else "A glow that cannot light",
            f"{cause}; {view.target.title} {'dims a glow with its mesh' if hidden else 'lets no glow light'}",
            "what it lit will be dark", emitter.path, "", "Light",
            (("flux", f"{lumens:.4g} lm"), ("area", f"{emitter.area:.4g} m²"), ("on", ", ".join(leaf(p) for p in emitter.objects[:4]))),
            (added,),
        )  # fmt: skip


def _is_lost(view: View, emitter: Emitter) -> bool:
    """Whether what glows lights in the source and will not in the target: it is hidden, or no glow lights there."""
    abilities = view.target.identity.abilities
    hidden = emitter.opacity < _HIDDEN and not abilities.get("hidden_emitters", False)
    return hidden or not abilities.get("lit_by_glows", True)


def is_flame(name: str) -> bool:
    """Whether something is a flame or a lamp by its name: by its last word, as a lamp's brass is none."""
    words = [word.lower() for word in _WORDS.findall(name)]
    while len(words) > 1 and words[-1] in _NOT_ITSELF:
        words.pop()
    return bool(words) and (words[-1] in _FLAMES or words[-1].removesuffix("s") in _FLAMES)


def flames(view: View) -> Iterator[Finding]:
    """A flame, lamp or candle, by its name, that neither glows with effect nor has a light near it."""
    report = view.balance
    if report is None or not view.scene.solids:
        return
    unit = view.scene.metres_per_unit
    lit = {path for emitter in report.emitters for path in emitter.objects} | set(report.glowing)
    lights = [thing.stands[12:15] for thing in view.scene.of(Kind.LIGHT) if len(thing.stands) == 16]
    taken = {light.instead_of for light in view.plan.choices.added}
    named = [solid for solid in view.scene.solids if is_flame(leaf(solid.path))]
    names = standins.Names(view, [(solid.path, leaf(solid.path)) for solid in named])
    lights += [_middle(solid, unit) for solid in named if solid.path in lit]
    for solid in sorted(named, key=lambda one: "flame" not in leaf(one.path).lower()):
        name = leaf(solid.path)
        if solid.path in lit or solid.path in taken or _within(solid, lights, unit):
            continue
        lights.append(_middle(solid, unit))  # the candle below a flame needs no other one
        light = standins.flame(solid, unit, names)
        remedy = Remedy("Give it a light", "Give all {count} a light", AddLight(light=light))
        yield Finding(
            "unlit-flame", Level.LOOK, "A flame that lights nothing", f"{name} has no light within {_NEAR:g} m and does not glow",
            "it will look painted on", "", solid.path, "Light",
            (("a light of its kind", f"{dict(light.values)['intensity'] * math.pi:.0f} lm"),), (remedy,),  # type: ignore[operator]
        )  # fmt: skip


def _middle(solid: Solid, unit: float) -> tuple[float, ...]:
    return tuple(unit * (low + high) / 2.0 for low, high in zip(solid.low, solid.high, strict=True))


def _within(solid: Solid, lights: list[tuple[float, ...]], unit: float) -> bool:
    """Whether a light stands in an object's box, or near it."""
    for place in lights:
        away = [
            max(low * unit - at, at - high * unit, 0.0)
            for at, low, high in zip(place, solid.low, solid.high, strict=True)
        ]
        if math.sqrt(sum(part * part for part in away)) <= _NEAR:
            return True
    return False
