"""Findings about looks: what will be seen, as a number."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.changes import Fit
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.rows import By
from durvan.scene.model import Thing


def drifted(view: View, thing: Thing) -> Iterator[Finding]:
    """A material whose drift is over the limit that was chosen."""
    found, limit = view.drift(thing), view.limit
    if found is None or found.mean <= limit:
        return
    inputs = view.translation(thing).inputs
    fitted = inputs is not None and any(note.by is By.FIT for note in inputs.notes)
    remedies = () if fitted else (Remedy("Fit it", "Fit all {count}", Fit(thing=thing.id)),)
    yield Finding(
        "drift", Level.LOOK, "A look that drifts",
        f"{thing.name} looks different by {found.mean:.1f}, over the limit of {limit:g}",
        f"it will be {found.grade}, most of all under {found.lighting} light", thing.id, "", "Facing",
        (
            ("drift", f"{found.mean:.1f} ± {found.noise:.1f}"), ("worst 5 %", f"{found.worst:.1f}"),
            ("limit", f"{limit:g}"),
        ),
        remedies,
    )  # fmt: skip
