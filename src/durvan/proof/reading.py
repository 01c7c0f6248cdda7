"""Pictures from outside, of any renderer: what of their layers is the picture, its lights, ids and noise."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

import numpy as np

from durvan.errors import PictureError
from durvan.formats import views
from durvan.formats.layers import Layered, open_layers
from durvan.optics.tone import linear
from durvan.proof import cryptomatte
from durvan.proof.picture import Ids, Pass, Picture, Pixels

LIGHTS = r"(?:lights?|light_?groups?|lg)(?:[ _.:-]+|/)(?P<name>.+)|(?P<other>.+?)[ _./:-]+lights?"
_BESIDE = {"emission", "emissive", "environment", "background", "sky", "dome"}  # of light that comes from no lamp
_PRIMARIES = (  # red, green, blue and white of what linear values may be of, by x and y
    ("ACEScg", (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)),
    ("ACES2065-1", (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)),
    ("Linear Rec.2020", (0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329)),
    ("Linear P3-D65", (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.329)),
)
_MAIN = ("", "rgba", "rgb", "beauty", "combined", "color", "colour", "main", "image")
MOST_COLOURS = 4096  # of a picture whose colours are ids
_DEPTHS = ("depth", "z", "zdepth", "distance")
_NOISE = ("variance", "var", "noise_variance")


@dataclass
class Opened:
    """A picture, and what is to be said of how it was read."""

    picture: Picture
    remarks: list[str] = field(default_factory=list)
    pixel_aspect: float = 1.0  # how much wider than high its pixels are


def open_picture(file: Path, lights: str = LIGHTS, space: str = "") -> Opened:
    """Read a file. `lights` is a regular expression for the names of light layers; its group "name" (or "other") is the light. `space` is the
    colour space of its values by the name that it has in colour configs; without one it is as the file says, else as its kind of file has it.

    Raises PictureError.
    """
    layered = open_layers(file)
    main = _main(layered)
    remarks: list[str] = []
    rgb = _rgb(layered.read(main))
    stated = space or _stated(layered)
    if stated:
        rgb = views.from_space(rgb, stated)
        remarks.append(f"holds values of {stated}" + ("" if space else ", as it says"))
    elif layered.whole:
        rgb = linear(rgb)
        remarks.append("is stored in whole numbers: taken as display values (sRGB)")
    _leave_out_unrendered(layered, rgb, remarks)
    wild = int((~np.isfinite(rgb).all(axis=2)).sum())
    if wild:
        remarks.append(f"{wild} pixels are no numbers, or not finite; they count nowhere")
    try:
        pattern = re.compile(lights, re.IGNORECASE)
    except re.error as problem:
        raise PictureError(f"the pattern for lights is none: {problem}.") from problem
    found = _lights(layered, pattern, main)
    picture = Picture(rgb, found, variance=_variance(layered), depth=_depth(layered))
    ids = cryptomatte.read(layered, remarks)
    whole = replace(picture, materials=ids.get("materials"), objects=ids.get("objects"))
    return Opened(whole, remarks, layered.pixel_aspect)


def open_ids(file: Path) -> Opened:
    """A picture of ids alone: those of its header, or, where it has none, each of its colours as an id of its own. Raises PictureError."""
    layered = open_layers(file)
    remarks: list[str] = []
    found = cryptomatte.read(layered, remarks)
    values = _rgb(layered.read(_main(layered)))
    if not found:
        found = {"materials": _of_colours(values, file)}
        remarks.append(f"has no ids by name: its {len(found['materials'].names)} colours are taken for them")
    return Opened(Picture(values, {}, found.get("materials"), found.get("objects")), remarks)


def _of_colours(values: Pixels, file: Path) -> Ids:
    """Ids of flat colours; black is none."""
    codes = np.round(np.clip(np.nan_to_num(values), 0.0, 1.0) * 255.0).astype(np.int64)
    packed = (codes[..., 0] << 16) | (codes[..., 1] << 8) | codes[..., 2]
    unique, places = np.unique(packed, return_inverse=True)
    if len(unique) > MOST_COLOURS:
        raise PictureError(f"has {len(unique)} colours, so they are no ids; {MOST_COLOURS} at most.", file=file)
    there = unique > 0
    place_of = np.where(there, there.cumsum() - 1, -1).astype(np.int32)
    return Ids(place_of[places.reshape(packed.shape)], tuple(f"#{int(one):06x}" for one in unique[there]))


def with_ids(opened: Opened, ids: Opened, file: Path) -> Opened:
    """A picture with ids of another file, which must be of one shape with it. Raises PictureError."""
    picture, other = opened.picture, ids.picture
    ratio = (other.size[0] / other.size[1]) / (picture.size[0] / picture.size[1])
    if abs(ratio - 1.0) > 0.01:
        sizes = " and ".join(f"{width} × {height}" for width, height in (picture.size, other.size))
        raise PictureError(f"its ids do not lie on the picture: they are of other shapes, {sizes} pixels.", file=file)
    return replace_ids(opened, _laid_on(other.materials, picture.size), _laid_on(other.objects, picture.size))


def replace_ids(opened: Opened, materials: Ids | None, objects: Ids | None) -> Opened:
    """A picture with other ids, where there are some."""
    picture = opened.picture
    return replace(
        opened, picture=replace(picture, materials=materials or picture.materials, objects=objects or picture.objects)
    )


def _laid_on(ids: Ids | None, size: tuple[int, int]) -> Ids | None:
    if ids is None:
        return None
    height, width = ids.numbers.shape
    rows = np.minimum(((np.arange(size[1]) + 0.5) * height / size[1]).astype(int), height - 1)
    columns = np.minimum(((np.arange(size[0]) + 0.5) * width / size[0]).astype(int), width - 1)
    return Ids(np.ascontiguousarray(ids.numbers[np.ix_(rows, columns)]), ids.names)


def glance(file: Path) -> Opened:
    """Its pixels alone, soon: nothing of lights, ids and noise; of a file whose layers lie among each other rows between some that are read.

    Raises PictureError.
    """
    layered = open_layers(file)
    main, remarks = _main(layered), list[str]()
    found = layered.soon(main)
    if found is not None:
        remarks.append("is still being read; this is a first impression")
    rgb = _rgb(found if found is not None else layered.read(main))
    stated = _stated(layered)
    if stated:
        rgb = views.from_space(rgb, stated)
    elif layered.whole:
        rgb = linear(rgb)
    _leave_out_unrendered(layered, rgb, remarks)
    return Opened(Picture(rgb), remarks, layered.pixel_aspect)


def _stated(layered: Layered) -> str:
    """The colour space that a file states, where it is another one than its kind of file has anyway."""
    if layered.whole:
        return ""
    primaries = layered.attributes.get("chromaticities")
    if isinstance(primaries, tuple) and len(primaries) == 8:
        return next((name for name, own in _PRIMARIES if np.allclose(primaries, own, atol=2e-3)), "")
    said = str(layered.attributes.get("oiio:ColorSpace", "") or "")
    return said if views.is_another(said) else ""


def _leave_out_unrendered(layered: Layered, rgb: Pixels, remarks: list[str]) -> None:
    """Have what no sample was spent on be no number: a part of a picture was rendered."""
    if "samples" not in layered.layers:
        return
    counts = layered.read("samples")[..., 0]
    nothing = counts <= 0.0
    if nothing.any():
        rgb[nothing] = np.nan
        remarks.append(f"was rendered in part: {100.0 * float((~nothing).mean()):.0f} % of it")


def _main(layered: Layered) -> str:
    by_lower = {name.lower(): name for name in layered.layers}
    for name in _MAIN:
        if name in by_lower and _is_colour(layered, by_lower[name]):
            return by_lower[name]
    first = next((name for name in layered.layers if _is_colour(layered, name)), None)
    if first is None:
        first = next(iter(layered.layers))
    return first


def _is_colour(layered: Layered, name: str) -> bool:
    channels = [channel.upper() for channel in layered.layers[name].channels]
    return {"R", "G", "B"} <= set(channels) or (len(channels) in (1, 2) and channels[0] in ("Y", "L", "I"))


def _rgb(values: Pixels) -> Pixels:
    """Three channels; a grey one is spread over them."""
    if values.shape[2] >= 3:
        return np.ascontiguousarray(values[..., :3])
    return np.repeat(values[..., :1], 3, axis=2)


def _lights(layered: Layered, pattern: re.Pattern[str], main: str) -> Mapping[str, Pass]:
    found: dict[str, Pass] = {}
    for name in layered.layers:
        if name == main or not _is_colour(layered, name):
            continue
        match = pattern.fullmatch(name)
        light = next((part for part in match.groupdict().values() if part), name) if match else ""
        if light and light not in found:
            found[light] = partial(_pass, layered, name)
    for name in layered.layers if found else ():
        if name.lower() in _BESIDE and _is_colour(layered, name):
            found.setdefault(name, partial(_pass, layered, name))
    return found


def _pass(layered: Layered, name: str) -> Pixels:
    return _rgb(layered.read(name))


def _depth(layered: Layered) -> Pass | None:
    """How far what is seen stands: a layer of that name, or the one channel that says so by the format's own habit, Z."""
    for name, layer in layered.layers.items():
        if name.lower() in _DEPTHS and (len(layer.channels) == 1 or layer.channels[0].upper() == "Z"):
            return lambda name=name: layered.read(name)[..., :1]  # type: ignore[misc]
        if name == "" and "Z" in layer.channels:
            place = layer.channels.index("Z")
            return lambda: layered.read("")[..., place : place + 1]
    return None


def _variance(layered: Layered) -> Pixels | None:
    name = next((name for name in layered.layers if name.lower() in _NOISE), None)
    if name is None:
        return None
    values = layered.read(name)
    grey = values[..., :3].mean(axis=2) if values.shape[2] >= 3 else values[..., 0]
    return np.maximum(np.nan_to_num(grey, posinf=0.0), 0.0)
