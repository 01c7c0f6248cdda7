"""Findings about looks: what will be seen, as a number."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.translation.plan import Plan
from durvan.scene.drift import Drift


def drifted(plan: Plan, drifts: Mapping[str, Drift], limit: float) -> Iterator[Finding]:
    """Materials whose drift is over the limit that was chosen."""
    for name in plan.translations:
        found = drifts.get(name)
        if found is None or found.mean <= limit:
            continue
        thing = plan.scene.things[name]
        fitted = any(note.thing == name and note.by == "fit" for note in plan.choices.notes)
        remedies = () if fitted else (Remedy("Fit it", "Fit them all", ("fit", name)),)
        yield Finding(
            "drift", Level.LOOK, "A look that drifts",
            f"{thing.name} looks different by {found.mean:.1f}, over the limit of {limit:g}",
            f"it will be {found.grade}, most of all under {found.lighting} light", name, "", "Facing",
            (
                ("drift", f"{found.mean:.1f} ± {found.noise:.1f}"), ("worst 5 %", f"{found.worst:.1f}"),
                ("limit", f"{limit:g}"),
            ),
            remedies,
        )  # fmt: skip
