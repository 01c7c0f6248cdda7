"""Drift as a number with its uncertainty, and the words for it."""

from __future__ import annotations

from dataclasses import dataclass

HIDDEN = 0.8  # a drift below it is hardly seen


@dataclass(frozen=True)
class Drift:
    """CIEDE2000 between two looks: `mean` is the drift, `worst` the mean of the worst 5 %, `noise` its uncertainty.

    `lighting` says in which of the three it is largest, `by_lighting` the mean in each. `caveats` say what of either look
    was not measured; then the number is that of the rest. With no `samples` it is a guess, made on a few pixels.
    """

    mean: float
    worst: float
    noise: float
    lighting: str
    by_lighting: tuple[float, float, float]
    samples: int
    caveats: tuple[str, ...] = ()

    @property
    def guessed(self) -> bool:
        """Whether nobody has measured it yet."""
        return self.samples == 0

    @property
    def hidden(self) -> bool:
        """Whether all of it is known, and hardly anybody would see it; a guess counts."""
        return not self.caveats and self.mean < HIDDEN

    def told(self, digits: int) -> str:
        """The number as people read it: ≈ before a guess, ? behind what was not all measured."""
        return f"{'≈ ' if self.guessed else ''}{self.mean:.{digits}f}{' ?' if self.caveats else ''}"

    @property
    def settled(self) -> bool:
        """Whether it is as sure as is promised: within 0.15, or a twentieth of a large one."""
        return self.noise <= max(0.15, 0.05 * self.mean)

    @property
    def grade(self) -> str:
        """The word for a drift of this size; none where not all of it was measured."""
        return grade(self.mean) if not self.caveats else ""


def grade(mean: float) -> str:
    """A drift as a word: what a trained eye would say of it."""
    if mean < 0.5:
        return "the same"
    if mean < 1.0:
        return "not seen"
    if mean < 2.0:
        return "seen side by side"
    if mean < 5.0:
        return "seen"
    return "another look"
