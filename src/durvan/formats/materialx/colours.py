"""MaterialX's names of colour spaces, and colours brought to linear Rec.709 from them (MaterialX 1.39, colour management library)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

RAW = ("", "none", "raw", "lin_rec709", "lin_rec709_scene")
# Rows of the matrices to linear Rec.709 with its white, D60 white adapted by Bradford (SMPTE RP 177, ACES TB-2014-004).
_AP1 = (
    (1.705050992658, -0.621792120657, -0.083258872001), (-0.130256417507, 1.140804736575, -0.010548319068),
    (-0.024003356805, -0.128968976065, 1.152972332870),
)  # fmt: skip
_ADOBE = ((1.398357, -0.398357, 0.0), (0.0, 1.0, 0.0), (0.0, -0.042929, 1.042929))
_P3 = ((1.224940, -0.224940, 0.0), (-0.042057, 1.042057, 0.0), (-0.019638, -0.078636, 1.098274))
_SPACES: dict[str, tuple[str | float, tuple[tuple[float, ...], ...] | None]] = {
    "srgb_texture": ("srgb", None), "srgb_rec709_scene": ("srgb", None), "g22_rec709": (2.2, None), "g18_rec709": (1.8, None),
    "rec709_display": (2.4, None), "acescg": (1.0, _AP1), "lin_ap1": (1.0, _AP1), "lin_ap1_scene": (1.0, _AP1), "g22_ap1": (2.2, _AP1),
    "adobergb": (2.19921875, _ADOBE), "lin_adobergb": (1.0, _ADOBE), "srgb_displayp3": ("srgb", _P3), "lin_displayp3": (1.0, _P3),
    "srgb_p3d65_scene": ("srgb", _P3), "lin_p3d65_scene": (1.0, _P3),
}  # fmt: skip


def is_known(space: str) -> bool:
    """Whether a colour space is one that colours can be brought over from."""
    return space in RAW or space in _SPACES


def to_rec709(colour: Sequence[float], space: str) -> tuple[float, ...]:
    """A colour of three channels (or four, of which the last stays) in linear Rec.709; of a space that is not known, as it is."""
    if space in RAW or space not in _SPACES:
        return tuple(colour)
    curve, matrix = _SPACES[space]
    three = np.asarray(colour[:3], dtype=np.float64)
    if curve == "srgb":
        three = np.where(three <= 0.04045, three / 12.92, ((np.maximum(three, 0.0) + 0.055) / 1.055) ** 2.4)
    elif isinstance(curve, float) and curve != 1.0:
        three = np.maximum(three, 0.0) ** curve
    if matrix is not None:
        three = np.array(matrix) @ three
    return (*(float(part) for part in three), *colour[3:])
