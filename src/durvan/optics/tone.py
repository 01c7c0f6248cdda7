"""From linear picture values to what a display is sent."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
KNEE = 0.6  # from where a soft shoulder bends


def srgb(linear: ArrayLike) -> Array:
    """Linear values as sRGB display values, both 0 to 1 (IEC 61966-2-1); what lies outside is clipped."""
    x = np.clip(np.nan_to_num(np.asarray(linear, dtype=np.float64), posinf=1.0), 0.0, 1.0)
    return np.asarray(np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1.0 / 2.4) - 0.055))


def linear(display: NDArray[np.float32]) -> NDArray[np.float32]:
    """sRGB display values as linear ones (IEC 61966-2-1); what is over 1 goes on by the same curve."""
    x = np.maximum(display, 0.0)
    return np.asarray(np.where(display <= 0.04045, display / 12.92, ((x + 0.055) / 1.055) ** 2.4), np.float32)


def developed(linear: ArrayLike, response: str = "") -> Array:
    """Picture values through a tone response, as display values.

    "shoulder" bends what lies above 0.6 towards 1 without ever reaching it; "gamma" is a plain power of 1/2.2;
    anything else is the display's own curve alone.
    """
    x = np.maximum(np.nan_to_num(np.asarray(linear, dtype=np.float64), posinf=1e6), 0.0)
    if response == "gamma":
        return np.clip(x, 0.0, 1.0) ** (1.0 / 2.2)
    if response == "shoulder":
        room = 1.0 - KNEE
        x = np.where(x > KNEE, KNEE + room * np.tanh((x - KNEE) / room), x)
    return srgb(x)


def bytes_of(display: ArrayLike) -> NDArray[np.uint8]:
    """Display values as bytes."""
    return np.asarray(np.clip(np.asarray(display), 0.0, 1.0) * 255.0 + 0.5, dtype=np.uint8)
