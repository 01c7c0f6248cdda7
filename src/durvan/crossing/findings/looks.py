"""Findings about looks: what will be seen, as a number."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import Fit
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.rows import By
from durvan.scene.drift import grade
from durvan.scene.model import Thing

GUESSED = 2.0 / 3.0  # of the limit, from where a guess is told: a guess of 2 can be a drift of 3


def unknown(view: View, thing: Thing) -> Iterator[Finding]:
    """A material of whose look not all is known: its drift is a number of the rest, and has no grade."""
    found = view.drift(thing)
    if found is None or not found.caveats:
        return
    yield Finding(
        "look-unknown", Level.LOOK, "A look that nobody can tell",
        found.caveats[0], "whether it looks the same is not known; look at it in a render", thing.id, "",
        "Facing", tuple(("not measured", caveat[:200]) for caveat in found.caveats[:8]),
    )  # fmt: skip


def drifted(view: View, thing: Thing) -> Iterator[Finding]:
    """A material whose drift is over the limit that was chosen."""
    found, limit = view.drift(thing), view.limit
    if found is None or found.mean <= (GUESSED * limit if found.guessed else limit):
        return
    number = (
        f"about {found.mean:.0f}, by a first guess; the limit is {limit:g}"
        if found.guessed
        else (f"{found.mean:.1f}, over the limit of {limit:g}")
    )
    inputs = view.translation(thing).inputs
    fitted = inputs is not None and any(note.by is By.FIT for note in inputs.notes)
    remedies = () if fitted else (Remedy("Fit it", "Fit all {count}", Fit(thing=thing.id)),)
    yield Finding(
        "drift", Level.LOOK, "A look that drifts",
        f"{thing.name} looks different by {number}",
        f"it will be {grade(found.mean)}, most of all under {found.lighting} light", thing.id, "", "Facing",
        (
            ("drift", f"{found.mean:.1f} ± {found.noise:.1f}"), ("worst 5 %", f"{found.worst:.1f}"),
            ("limit", f"{limit:g}"), *(("not measured", caveat) for caveat in found.caveats),
        ),
        remedies,
    )  # fmt: skip
