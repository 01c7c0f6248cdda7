"""Which axis of a film binds where the picture has another aspect: the five ways of UsdRender's aspectRatioConformPolicy."""

from __future__ import annotations

EXPAND, CROP, BY_HEIGHT, BY_WIDTH, BY_PIXELS = (
    "expandAperture", "cropAperture", "adjustApertureWidth", "adjustApertureHeight", "adjustPixelAspectRatio",
)  # fmt: skip
WAYS = (EXPAND, CROP, BY_HEIGHT, BY_WIDTH, BY_PIXELS)
ASPECT = 2048.0 / 1080.0  # of UsdRender's picture where no settings say another


def frame_width(width: float, height: float, aspect: float, way: float | str = EXPAND) -> float:
    """The width of the film that the picture shows, in the unit of `width` and `height`; `aspect` is the picture's width over its
    height, `way` one of `WAYS` or its number. A film without a height is bound by its width. OpenUSD, UsdRenderSettingsBase.
    """
    rule = way if isinstance(way, str) else WAYS[int(way) if 0 <= way < len(WAYS) else 0]
    if height <= 0.0 or aspect <= 0.0 or rule in (BY_WIDTH, BY_PIXELS):
        return width
    other = height * aspect
    if rule == BY_HEIGHT:
        return other
    return max(width, other) if rule == EXPAND else min(width, other)


def frame_aspect(width: float, height: float, aspect: float, way: str = EXPAND) -> float:
    """The width over the height of what is seen: the picture's, but for pixels that stretch to the film's."""
    return width / height if way == BY_PIXELS and width > 0.0 and height > 0.0 else aspect
