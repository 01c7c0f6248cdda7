"""The ways of looking at two pictures: a table of what is measured, in which unit, and over which colours."""

from __future__ import annotations

from dataclasses import dataclass

from durvan.proof.looking.tones import BOTH_WAYS, LADDER, TURNED, UP, Scale

PICTURE, EXPOSURE, NOISE = "picture", "exposure", "noise"
COLOUR, STOPS, FLIP, CHROMA, HUE, CAUSE = "colour", "stops", "FLIP", "chroma", "hue", "cause"


@dataclass(frozen=True)
class Way:
    """One of them: its word, what it says, its scale (none for the picture itself), and whether it shows what is between both sides."""

    name: str
    meaning: str
    scale: Scale | None = None
    between: bool = False


WAYS: tuple[Way, ...] = (
    Way(PICTURE, "Both pictures, as a display shows them."),
    Way(EXPOSURE, "Luminance of each side in stops about mid grey (0.18), a colour a stop; mid grey itself is grey.",
        Scale(-6.5, 4.5, "stops", LADDER, steps=11)),
    Way(NOISE, "How noisy each side is: one standard deviation, in stops.", Scale(0.0, 0.5, "stops", UP)),
    Way(COLOUR, "How far apart the colours look on a display: CIEDE2000. Under 1 hardly anybody sees it.",
        Scale(0.0, 10.0, "ΔE00", UP), between=True),
    Way(STOPS, "By how many stops the target is brighter (light) or darker (dark).", Scale(-2.0, 2.0, "stops", BOTH_WAYS), between=True),
    Way(FLIP, "What an eye sees that is led from one picture to the other in place, 0 to 1: the published FLIP difference.",
        Scale(0.0, 0.6, "FLIP", UP), between=True),
    Way(CHROMA, "By how much the target is more colourful (light) or greyer (dark): CIELAB chroma.",
        Scale(-20.0, 20.0, "C*", BOTH_WAYS), between=True),
    Way(HUE, "By how much the target's hue is turned: towards yellow from red (purple here), or the other way (green here).",
        Scale(-30.0, 30.0, "°", TURNED), between=True),
    Way(CAUSE, "What the chosen cause makes of the target: brighter (light) or darker (dark), in stops.",
        Scale(-2.0, 2.0, "stops", BOTH_WAYS), between=True),
)  # fmt: skip
BY_NAME = {way.name: way for way in WAYS}
