"""The aspect of a stage's picture, and how films of another aspect fit it."""

from __future__ import annotations

import math
from typing import Any

from pxr import Usd, UsdRender

from durvan.formats.usd.opening import asked
from durvan.optics.frame import ASPECT, WAYS


def framing(stage: Any) -> tuple[float, float]:
    """Width over height of the picture of the first render settings, with its pixels' aspect, and which of `WAYS` films fit it by;
    what USD means where a stage says nothing.
    """
    for prim in Usd.PrimRange.Stage(stage):
        if not prim.IsA(UsdRender.Settings):
            continue
        settings = UsdRender.SettingsBase(prim)
        size = _said(settings.GetResolutionAttr())
        pixel = _said(settings.GetPixelAspectRatioAttr())
        way = _said(settings.GetAspectRatioConformPolicyAttr())
        aspect = ASPECT
        if size is not None and size[0] > 0 and size[1] > 0:
            aspect = size[0] / size[1]
        if pixel is not None and math.isfinite(pixel) and pixel > 0.0:
            aspect *= pixel
        return aspect, float(WAYS.index(way) if way in WAYS else 0)
    return ASPECT, 0.0


def _said(attribute: Any) -> Any:
    return asked(attribute.Get, None)
