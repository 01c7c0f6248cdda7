"""Lengths as people read them."""

from __future__ import annotations


def length(metres: float) -> str:
    """A length in a unit that suits it.

    >>> length(0.0123)
    '1.23 cm'
    """
    for unit, size in (("m", 1.0), ("cm", 1e-2), ("mm", 1e-3)):
        if metres >= size:
            return f"{metres / size:.3g} {unit}"
    return f"{metres * 1e6:.3g} µm"
