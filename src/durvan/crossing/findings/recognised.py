"""Findings about what a material is, held against what wears it: glass that is none, masks that hide all, depths out of scale."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import Fit, SetPolicy
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.scene.bodies import Body
from durvan.scene.lengths import length
from durvan.scene.model import FileState, Kind, Thing
from durvan.scene.traits import MaterialKind, Traits

CODES = (
    "bright-glass", "glass-on-sheet", "thin-on-solid", "vanishes", "mask-without-effect", "relief-scale", "reach-scale",
    "more-light-out", "facing-mix", "painted-reflection",
)  # fmt: skip

SEEN = 0.05  # part of the light that passes, from where somebody sees through
SOLID = 0.999  # from where a mask takes nothing away
GONE = 0.002  # up to where it leaves nothing
MORE = 1.05  # of the light that comes, from where more is given back than a rounding would explain
MOVED = 2.0  # half sides of an object that its surface may be moved by
DEEP, FLAT = 0.5, 1e-5  # parts of half an object's side: relief between them is in scale
FAR, NEAR = 2.0, 1e-4  # the same of how far light goes below the surface
STRONG, UNEVEN = 0.15, 0.1  # reflected when faced, at most and from place to place, from where on no index explains it
BRIGHTER = 0.01  # by how much more has to be scattered aside for a mix to be seen


def recognised(view: View, thing: Thing) -> Iterator[Finding]:
    """What does not go together in a material that has been looked at."""
    traits = view.plan.traits.get(thing.id)
    if thing.kind is not Kind.MATERIAL or traits is None:
        return
    body = view.plan.bodies.get(thing.id)
    yield from _glass(thing, traits, body)
    if not any(file.state is FileState.ABSENT for file in view.used_by.get(thing.id, ())):
        yield from _mask(thing, traits)  # what a mask that is not there would do, nobody knows
    yield from _scale(thing, traits, body)
    yield from _energy(thing, traits)
    yield from _facing(thing, traits)
    yield from _painted(thing, traits)


def _said(
    code: str, level: Level, title: str, thing: Thing, cause: str, consequence: str,
    evidence: tuple[tuple[str, str], ...], *remedies: Remedy,
) -> Finding:  # fmt: skip
    return Finding(code, level, title, cause, consequence, thing.id, "", "Facing", evidence, remedies)


def _share(value: float) -> str:
    return f"{100 * value:.0f} %"


def _glass(thing: Thing, traits: Traits, body: Body | None) -> Iterator[Finding]:
    if traits.clear < SEEN:
        return
    if traits.matt > traits.clear:
        yield _said(
            "bright-glass", Level.LOOK, "Glass that is too bright to see through", thing,
            f"it scatters {_share(traits.matt)} of the light and lets {_share(traits.clear)} pass",
            "it will look like milk on both sides; a clear glass has a black base",
            (("scattered", _share(traits.matt)), ("passes", _share(traits.clear))),
        )  # fmt: skip
    if body is None or body.area <= 0.0:
        return
    worn = (("closed", _share(body.closed)), ("passes", _share(traits.clear)))
    if traits.bends and body.is_sheet:
        yield _said(
            "glass-on-sheet", Level.LOOK, "Solid glass on an open sheet", thing,
            f"light is bent on its way in, and of what wears it only {_share(body.closed)} encloses a volume",
            "light is bent once and never back, and what stands behind shows in another place; a thin wall would not bend it",
            worn, Remedy("Make it a flat pane", "Make all {count} flat panes", SetPolicy(subject=thing.id, what="panes", how="simplified")),
        )  # fmt: skip
    elif traits.kind is MaterialKind.THIN_GLASS and not traits.bends and body.closed >= SOLID:
        yield _said(
            "thin-on-solid", Level.NOTE, "Thin glass on a closed body", thing,
            "light passes without being bent, though what wears it encloses a volume",
            "it looks hollow, like a bubble; if a solid is meant, its light has to be bent", worn,
        )  # fmt: skip


def _mask(thing: Thing, traits: Traits) -> Iterator[Finding]:
    least, mean, most = traits.opacity
    seen = (("least solid", f"{least:.2f}"), ("in the mean", f"{mean:.2f}"), ("most solid", f"{most:.2f}"))
    if most <= GONE:
        yield _said(
            "vanishes", Level.LOOK, "An opacity that lets all vanish", thing,
            "it is nowhere solid" + (": its mask is black all over" if traits.masked else ""),
            "nothing of it is seen, on either side; a mask that is read inside out does that", seen,
        )  # fmt: skip
    elif traits.masked and least >= SOLID:
        yield _said(
            "mask-without-effect", Level.NOTE, "A mask that cuts nothing out", thing,
            "it has a mask, and is solid all over",
            "it is filled; a picture without an opacity of its own, or the wrong channel, does that", seen,
        )  # fmt: skip


def _scale(thing: Thing, traits: Traits, body: Body | None) -> Iterator[Finding]:
    size = body.size if body is not None else 0.0
    if size <= 0.0:
        return
    for code, what, value, low, high, deep, shallow in (
        ("relief-scale", "relief", traits.relief, FLAT, DEEP, "it will break through what it is on", "nobody will see it"),
        ("relief-scale", "displacement", traits.moved, 0.0, MOVED, "it will burst out of what is about it", ""),
        ("reach-scale", "reach below the surface", traits.reach, NEAR, FAR,
         "light goes through all of it, as through a candle", "it will look as if nothing went below its surface"),
    ):  # fmt: skip
        if value <= 0.0 or low * size <= value <= high * size:
            continue
        yield _said(
            code, Level.LOOK if value > high * size else Level.NOTE, f"A {what} out of scale", thing,
            f"its {what} is {length(value)}, and half an object that wears it is {length(size)}",
            f"{deep if value > high * size else shallow}; a length in the wrong unit does that",
            ((what, length(value)), ("half an object", length(size))),
        )  # fmt: skip


def _energy(thing: Thing, traits: Traits) -> Iterator[Finding]:
    if traits.most > MORE:
        yield _said(
            "more-light-out", Level.LOOK, "More light out than in", thing,
            f"it gives back {_share(traits.most)} of the light that it gets",
            "it will look lit from within, and a room of it never gets dark; a target that keeps energy looks darker",
            (("given back", _share(traits.most)),),
        )  # fmt: skip


def _facing(thing: Thing, traits: Traits) -> Iterator[Finding]:
    if not traits.facing or (traits.facing == "base" and traits.aside < BRIGHTER):
        return
    what = "a Fresnel" if traits.facing == "reflection" else "a sheen"
    yield _said(
        "facing-mix", Level.NOTE, "A mix by facing that is something else", thing,
        f"its {traits.facing} is mixed by how it is faced, as {what} would do by itself",
        f"it can be fitted as {what}, which reacts to light as well; a mix by facing cannot be baked",
        (("mixed", traits.facing), ("brighter when seen aside", f"{traits.aside:+.3f}")),
        Remedy("Fit it", "Fit all {count}", Fit(thing=thing.id)),
    )  # fmt: skip


def _painted(thing: Thing, traits: Traits) -> Iterator[Finding]:
    least, most = traits.painted
    if most < STRONG or most - least < UNEVEN:
        return
    yield _said(
        "painted-reflection", Level.NOTE, "A reflection painted with a picture", thing,
        f"a picture says how much it reflects when faced: from {_share(least)} to {_share(most)}, over a base that does not give way to it",
        "an index would say it the same all over; where the target goes by metalness or an index, those places look like other stuff",
        (("least", _share(least)), ("most", _share(most))),
    )  # fmt: skip
