"""Findings of what a person noted on places of the picture: the open ones."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.document.document import PinState
from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View

CODES = ("noted",)


def noted(view: View) -> Iterator[Finding]:
    """Every note that is open."""
    for pin in view.pins:
        if pin.state is not PinState.OPEN:
            continue
        place = f"{100.0 * pin.across:.0f} % across, {100.0 * pin.down:.0f} % down"
        evidence = [("note", pin.text[:200]), ("place", place), ("camera", pin.camera.rpartition("/")[2])]
        if pin.light:
            evidence.append(("most light by", pin.light.rpartition("/")[2]))
        thing = pin.material if pin.material in view.scene.things else ""
        yield Finding(
            "noted", Level.LOOK, "A note on the picture", pin.text[:400] or "There is a pin without words.",
            "somebody saw something there", thing, f"pin {pin.number}", "Proof", tuple(evidence),
        )  # fmt: skip
