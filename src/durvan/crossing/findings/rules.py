"""Every rule that raises findings, in one table, and how they are run: again only where what they need has changed.

A new finding is a function that yields it, and an entry here. A rule looks at one thing, or at the scene as a whole.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

from durvan.crossing.findings import (
    clipping,
    decided,
    decoding,
    engines,
    exposure,
    files,
    lights,
    looks,
    materials,
    networks,
    packs,
    pins,
    recognised,
)
from durvan.crossing.findings.model import Finding, Findings, Level, PartKey
from durvan.crossing.findings.view import Need, View
from durvan.scene.model import Thing

OfThing = Callable[[View, Thing], Iterable[Finding]]
OfScene = Callable[[View], Iterable[Finding]]


@dataclass(frozen=True)
class Rule:
    """What a rule may raise, the station that it is about (empty: several), what it needs, and the function.

    One of `of_thing` and `of_scene` is there. What it finds `of_look` only matters where the look is other for it. A
    pack's own codes are declared in the pack.
    """

    codes: tuple[str, ...]
    station: str
    needs: Need
    of_thing: OfThing | None = None
    of_scene: OfScene | None = None
    of_look: bool = False

    def found(self, view: View, thing: Thing | None) -> tuple[Finding, ...]:
        """What it raises now."""
        if thing is None:
            return tuple(self.of_scene(view)) if self.of_scene is not None else ()
        found = tuple(self.of_thing(view, thing)) if self.of_thing is not None else ()
        return _weighed(view, thing, found) if self.of_look and found else found


def _weighed(view: View, thing: Thing, found: tuple[Finding, ...]) -> tuple[Finding, ...]:
    """What was found about a look: a note where the look, as far as it is known, is hardly another one."""
    drift = view.drift(thing)
    if drift is None or not drift.hidden:
        return found
    return tuple(replace(one, level=Level.NOTE) if one.level is Level.LOOK else one for one in found)


RULES: tuple[Rule, ...] = (
    Rule(networks.ODD_CODES, "", Need.SCOPE, of_scene=networks.of_file),
    Rule(networks.ODD_CODES, "", Need.TRANSLATIONS, networks.of_thing),
    Rule(files.CODES, "Files", Need.SCOPE | Need.FILES, of_scene=files.of),
    Rule(decoding.CODES, "Files", Need.TRANSLATIONS | Need.FILES | Need.VERDICTS, decoding.of),
    Rule((), "Facing", Need.TRANSLATIONS | Need.DRIFTS, packs.readings, of_look=True),
    Rule((), "Survey", Need.TRANSLATIONS | Need.DRIFTS, packs.declared, of_look=True),
    Rule(("pack-fault",), "Facing", Need.TRANSLATIONS, packs.faults),
    Rule(("unbound",), "Survey", Need.TRANSLATIONS, materials.binding),
    Rule(("not-as-chosen",), "Facing", Need.TRANSLATIONS, materials.not_as_chosen),
    Rule(("setup-light",), "Light", Need.TRANSLATIONS, lights.setup),
    Rule(("kelvin",), "Light", Need.TRANSLATIONS, lights.temperature),
    Rule(exposure.CODES, "Light", Need.TRANSLATIONS, exposure.exposure),
    Rule(("light-list", "shadowless", "decay"), "Light", Need.TRANSLATIONS, lights.cannot),
    Rule(("portal",), "Light", Need.SCOPE | Need.TRANSLATIONS | Need.LIGHT, of_scene=lights.portals),
    Rule(("budget",), "Light", Need.LIGHT, of_scene=lights.unbalanced),
    Rule(("near-clip", "camera-outside"), "Light", Need.SCOPE | Need.TRANSLATIONS | Need.LIGHT, of_scene=clipping.clipping),
    Rule(("environment-twice",), "Light", Need.SCOPE | Need.TRANSLATIONS, of_scene=lights.environment_twice),
    Rule(("no-shadows",), "Light", Need.SCOPE | Need.TRANSLATIONS | Need.LIGHT, of_scene=lights.shadowless_scene),
    Rule(("hidden-emitter", "silent-glow"), "Light", Need.LIGHT, of_scene=lights.hidden_emitters),
    Rule(("unlit-flame",), "Light", Need.LIGHT, of_scene=lights.flames),
    Rule(("alike",), "Survey", Need.SCOPE | Need.FILES, of_scene=materials.alike),
    Rule(("no-light",), "Light", Need.SCOPE | Need.LIGHT, of_scene=lights.none),
    Rule(networks.ROW_CODES, "Facing", Need.TRANSLATIONS | Need.DRIFTS, networks.rows, of_look=True),
    Rule(("drift",), "Facing", Need.TRANSLATIONS | Need.DRIFTS, looks.drifted),
    Rule(recognised.CODES, "Facing", Need.TRANSLATIONS | Need.SHAPES, recognised.recognised),
    Rule(engines.CODES, "Light", Need.ENGINES, of_scene=engines.said),
    Rule(pins.CODES, "Proof", Need.PINS, of_scene=pins.noted),
    Rule(decided.CODES, "", Need.SCOPE | Need.TRANSLATIONS | Need.CHOICES, of_scene=decided.of_decisions),
    Rule(("look-unknown",), "Facing", Need.TRANSLATIONS | Need.DRIFTS, looks.unknown),
)  # fmt: skip


@dataclass(frozen=True)
class _Changed:
    """What differs between two views: the things by need, and whether the scene as a whole has to be looked at."""

    things: Mapping[Need, frozenset[str]]
    whole: Need
    gone: frozenset[str]

    def of(self, needs: Need) -> set[str]:
        """The things for which something that is needed has changed."""
        out: set[str] = set()
        for need, names in self.things.items():
            if need & needs:
                out |= names
        return out


def _changed(view: View, before: View) -> _Changed:
    now, then = view.plan.translations, before.plan.translations
    translated = frozenset(name for name, one in now.items() if then.get(name) is not one)
    gone = frozenset(name for name in then if name not in now)
    things: dict[Need, frozenset[str]] = {Need.TRANSLATIONS: translated}
    whole = Need(0)
    if gone or now.keys() != then.keys() or view.scene.oddities is not before.scene.oddities:
        whole |= Need.SCOPE
    if translated:
        whole |= Need.TRANSLATIONS
    if view.scene.files != before.scene.files:
        whole |= Need.FILES
        things[Need.FILES] = frozenset(
            name for name in now if view.used_by.get(name, ()) != before.used_by.get(name, ())
        )
    if (
        view.light is not before.light
        or view.light_limit != before.light_limit
        or view.plan.choices.sun_from != before.plan.choices.sun_from
        or (translated and view.light is not None)
    ):
        whole |= Need.LIGHT
    if view.messages != before.messages:
        whole |= Need.ENGINES
    if view.plan.choices is not before.plan.choices:
        whole |= Need.CHOICES
    if view.pins != before.pins:
        whole |= Need.PINS
    if view.verdicts is not before.verdicts:
        things[Need.VERDICTS] = frozenset(_judged(view, before))
    if view.plan.traits is not before.plan.traits or view.plan.bodies is not before.plan.bodies:
        things[Need.SHAPES] = frozenset(_worn(view, before))
    if view.drifts is not before.drifts or view.limit != before.limit or Need.FILES in things:
        things[Need.DRIFTS] = frozenset(_drifted(view, before))
    return _Changed(things, whole, gone)


def _judged(view: View, before: View) -> Iterable[str]:
    for name, files_ in view.used_by.items():
        if any(view.verdict(file) is not before.verdict(file) for file in files_):
            yield name


def _worn(view: View, before: View) -> Iterable[str]:
    now, then = view.plan, before.plan
    for name in now.translations:
        if now.traits.get(name) != then.traits.get(name) or now.bodies.get(name) != then.bodies.get(name):
            yield name


def _drifted(view: View, before: View) -> Iterable[str]:
    other_limit = view.limit != before.limit
    for thing in view.carried:
        now = view.drift(thing)
        then = before.drift(thing) if thing.id in before.plan.translations else None
        if now != then or (other_limit and now is not None):
            yield thing.id


def look_over(view: View, before: tuple[View, Findings] | None = None) -> Findings:
    """All findings of a view. What was found `before` stays where nothing that it needs has changed; the result is the
    same without it."""
    fresh: dict[PartKey, tuple[Finding, ...]] = {}
    things = view.scene.things
    if before is None or before[0].target is not view.target:
        for place, rule in enumerate(RULES):
            if rule.of_scene is not None:
                fresh[place, ""] = rule.found(view, None)
            else:
                for thing in view.carried:
                    if found := rule.found(view, thing):
                        fresh[place, thing.id] = found
        return Findings().updated(fresh)
    view.learn(before[0])
    changed = _changed(view, before[0])
    for place, rule in enumerate(RULES):
        if rule.of_scene is not None:
            if rule.needs & changed.whole:
                fresh[place, ""] = rule.found(view, None)
            continue
        for name in changed.of(rule.needs):
            if name in view.plan.translations:
                fresh[place, name] = rule.found(view, things[name])
        for name in changed.gone:
            fresh[place, name] = ()
    return before[1].updated(fresh)
