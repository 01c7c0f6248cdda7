"""Colour views by OpenColorIO: the displays and views of a config, built in or a person's own, as cubes that are looked up fast."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import ArrayLike, NDArray

from durvan.errors import PictureError

BUILT_IN = "ocio://default"
OWN = "OCIO"  # the environment's word for a person's own config
SIDE = 65
LOW, HIGH = -8.0, 7.0  # stops about 1 that a cube reaches over
_WORKING = "Linear Rec.709 (sRGB)"
Floats = NDArray[np.float32]
_WRONG = (ocio.Exception, ocio.ExceptionMissingFile)  # the library's, of which none is the other's


@dataclass(frozen=True)
class ColourView:
    """A view of a display in a config: linear Rec.709 picture values become what that display is sent."""

    config: str
    display: str
    view: str

    @property
    def name(self) -> str:
        """What it is called among the others."""
        return f"{self.view} · {self.display}"


def own_config() -> str:
    """The person's own config by their environment; empty where there is none."""
    return os.environ.get(OWN, "").strip()


def _config(config: str) -> Any:
    try:
        if config.startswith("ocio://"):
            return ocio.Config.CreateFromBuiltinConfig(config)
        found = ocio.Config.CreateFromFile(str(Path(config).expanduser()))
        found.validate()
    except _WRONG as problem:
        raise PictureError(f"cannot be used as a colour config: {str(problem)[:300]}", file=config[:300]) from problem
    return found


def views_of(config: str = "") -> list[ColourView]:
    """All views of a config, by display; of the one built in without a name. Raises PictureError."""
    name = config or BUILT_IN
    found = _config(name)
    return [
        ColourView(name, str(display), str(view))
        for display in found.getDisplays()
        for view in found.getViews(display)
        if str(view) != "Raw"
    ]


def _processor(wanted: ColourView) -> Any:
    config = _config(wanted.config)
    working = _working(config, wanted.config)
    change = ocio.DisplayViewTransform(src=working, display=wanted.display, view=wanted.view)
    try:
        return config.getProcessor(change).getDefaultCPUProcessor()
    except _WRONG as problem:
        raise PictureError(
            f"the view {wanted.name} cannot be made: {str(problem)[:300]}", file=wanted.config[:300]
        ) from problem


def applied(wanted: ColourView, linear: Floats) -> Floats:
    """Linear Rec.709 values [..., 3] through a view, exactly. Raises PictureError."""
    out = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3).copy()
    _processor(wanted).applyRGB(out)
    return out.reshape(np.shape(linear))


def is_another(space: str) -> bool:
    """Whether a name is that of a colour space that is built in, and not of linear Rec.709."""
    known = _config(BUILT_IN).getColorSpace(space) if space else None
    return known is not None and known.getName() != _WORKING and not known.isData()


def from_space(rgb: Floats, space: str, config: str = "") -> Floats:
    """Values [..., 3] of a colour space of a config (the one built in without a name), as linear Rec.709. Raises PictureError."""
    name = config or BUILT_IN
    found = _config(name)
    known = found.getColorSpace(space)
    if known is None:
        listed = ", ".join(str(one) for one in list(found.getColorSpaceNames())[:8])
        raise PictureError(
            f"no colour space is called '{space[:80]}'.", file=name[:300], advice=f"There are {listed} and more."
        )
    try:
        change = ocio.ColorSpaceTransform(src=known.getName(), dst=_working(found, name))
        processor = found.getProcessor(change).getDefaultCPUProcessor()
    except _WRONG as problem:
        raise PictureError(f"'{space[:80]}' cannot be read: {str(problem)[:300]}", file=name[:300]) from problem
    out = np.ascontiguousarray(rgb, dtype=np.float32).reshape(-1, 3).copy()
    processor.applyRGB(out)
    return out.reshape(np.shape(rgb))


def _working(config: Any, name: str) -> str:
    """What linear Rec.709 is called in a config."""
    try:
        return str(ocio.Config.IdentifyBuiltinColorSpace(config, _config(BUILT_IN), _WORKING))
    except _WRONG as problem:
        names = {
            str(one).lower() for one in config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
        }
        found = next((one for one in ("lin_rec709", "linear rec.709 (srgb)", "lin_srgb") if one in names), "")
        if not found:
            raise PictureError(
                "says nothing of linear Rec.709, in which Durvan's pictures are.", file=name[:300]
            ) from problem
        return found


def positions() -> Floats:
    """The linear values at which a cube stands along each channel [SIDE]: 0, and then evenly in stops."""
    return np.concatenate([[0.0], np.exp2(np.linspace(LOW, HIGH, SIDE - 1))]).astype(np.float32)


def cube(wanted: ColourView) -> Floats:
    """A view as a cube [SIDE, SIDE, SIDE, 3] of display values by red, green and blue at `positions`. Raises PictureError."""
    at = positions()
    values = np.stack(np.meshgrid(at, at, at, indexing="ij"), axis=-1)
    return applied(wanted, values)


def axis(values: ArrayLike) -> Floats:
    """Where along a cube linear values stand: 0 to SIDE − 1."""
    at, x = positions(), np.asarray(values, dtype=np.float64)
    stops = np.log2(np.maximum(x, 1e-30))
    found = np.where(x < at[1], x / at[1], 1.0 + (stops - LOW) / (HIGH - LOW) * (SIDE - 2))
    return np.clip(found, 0.0, SIDE - 1).astype(np.float32)
