"""Drift as a number with its uncertainty, and the words for it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Drift:
    """CIEDE2000 between two looks: `mean` is the drift, `worst` the mean of the worst 5 %, `noise` its uncertainty.

    `lighting` says in which of the three it is largest, `by_lighting` the mean in each.
    """

    mean: float
    worst: float
    noise: float
    lighting: str
    by_lighting: tuple[float, float, float]
    samples: int

    @property
    def settled(self) -> bool:
        """Whether it is as sure as is promised."""
        return self.noise <= 0.15

    @property
    def grade(self) -> str:
        """The word for a drift of this size."""
        return grade(self.mean)


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
