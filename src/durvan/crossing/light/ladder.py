"""The exposure ladder: from the light on the subject to the code value of a grey card in its place, step by step in stops."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from durvan.dialects.look import Sampling, View
from durvan.optics.tone import developed

GREY, WHITE = 0.18, 0.9


@dataclass(frozen=True)
class Side:
    """What one renderer does with light: the scale of its camera (picture value a nit), the factors of its white balance, and
    the response that it burns in; `exposure` says in words how the scale comes about.
    """

    scale: float
    white: tuple[float, float, float] = (1.0, 1.0, 1.0)
    response: str = ""

    @classmethod
    def of(cls, view: View, sampling: Sampling) -> Side:
        """That of a camera and settings as they look."""
        return cls(view.scale, view.white, sampling.response)

    def value(self, lux: float, albedo: float) -> float:
        """The picture value of a matt card under some light, linear."""
        balance = float(np.dot(self.white, (0.2126, 0.7152, 0.0722)))
        return lux * albedo / math.pi * self.scale * balance

    def code(self, lux: float, albedo: float) -> float:
        """What a display is sent for it, 0 to 1."""
        return float(developed(np.array([self.value(lux, albedo)]), self.response)[0])


@dataclass(frozen=True)
class Rung:
    """A step: what it is, the value on each side with its unit, and how many stops the target has won or lost by it."""

    name: str
    source: float
    target: float
    unit: str
    apart: float | None


@dataclass(frozen=True)
class Ladder:
    """Both sides' ways from light to picture."""

    source: Side
    target: Side

    def rungs(self, source_lux: float, target_lux: float) -> tuple[Rung, ...]:
        """The steps for the light on the subject on both sides: scene, camera, response, display."""
        sides = ((self.source, source_lux), (self.target, target_lux))
        light = [lux * GREY / math.pi for _, lux in sides]
        exposed = [side.value(lux, GREY) for side, lux in sides]
        code = [side.code(lux, GREY) for side, lux in sides]
        ev = [ev100(side.scale) for side, _ in sides]
        response = [shown(c) for c in code]
        apart_light, apart_camera = _apart(*light), _apart(self.source.scale, self.target.scale)
        balance = [side.value(1.0, 1.0) / max(side.scale / math.pi, 1e-30) for side, _ in sides]
        bent = [r / max(v, 1e-30) for r, v in zip(response, exposed, strict=True)]
        return (
            Rung("grey card", light[0], light[1], "nit", apart_light),
            Rung("camera", ev[0], ev[1], "EV", apart_camera),
            Rung("white balance", balance[0], balance[1], "×", _apart(*balance)),
            Rung("picture value", exposed[0], exposed[1], "", _apart(*exposed)),
            Rung("response", bent[0], bent[1], "×", _apart(*bent)),
            Rung("code value", 255.0 * code[0], 255.0 * code[1], "of 255", _apart(*response)),
        )

    def card(self, source_lux: float, target_lux: float, albedo: float) -> float | None:
        """How many stops apart the display's light of a card is on both sides; None where one of them is black."""
        return _apart(shown(self.source.code(source_lux, albedo)), shown(self.target.code(target_lux, albedo)))


def shown(code: float) -> float:
    """The light of a display for a code value from 0 to 1, as a part of its white (IEC 61966-2-1)."""
    return code / 12.92 if code <= 0.04045 else ((code + 0.055) / 1.055) ** 2.4


def ev100(scale: float) -> float:
    """The exposure value of a camera whose picture value for a nit is `scale`: saturation-based, 1/(1.2·2^EV)."""
    return -math.log2(1.2 * scale) if scale > 0.0 else math.inf


def _apart(source: float, target: float) -> float | None:
    if not (source > 0.0 and target > 0.0):
        return None
    return math.log2(target / source)
