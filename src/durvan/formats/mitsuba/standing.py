"""Lights, cameras and settings as Mitsuba's emitters, sensors and integrator."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.formats import xml
from durvan.formats.mitsuba.elements import put, refer, stand, thing
from durvan.formats.mitsuba.materials import number, three
from durvan.formats.mitsuba.words import HALF_TURN, PREFIX
from durvan.optics.sun import towards
from durvan.scene.graph import Value
from durvan.scene.written import WrittenThing

Floats = NDArray[np.float64]
FILM, SAMPLES = (1280, 720), 64
_SENSOR = ("perspective", "thinlens", "orthographic")


def values_of(one: WrittenThing) -> dict[str, Value]:
    """What a thing says, by parameters."""
    return {name.rpartition(":")[2]: p.value for name, p in one.properties.items() if p.value is not None}


def rigid(matrix: Floats) -> Floats:
    """Where something stands, without sizes, mirrors and shears."""
    out = np.eye(4)
    rows = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True), 1e-12)
    z = rows[2]
    y = rows[1] - (rows[1] @ z) * z
    y = y / max(float(np.linalg.norm(y)), 1e-12)
    out[:3, :3] = np.stack([np.cross(y, z), y, z])
    out[3, :3] = matrix[3, :3]
    return out


def light(root: Any, id_: str, one: WrittenThing, matrix: Floats, dark: str, is_there: Callable[[str], bool]) -> bool:
    """Write a light; whether it is one that Mitsuba has. `matrix` is where it stands, in metres with Y up, shining along −Z; `dark` is the
    id of what bodies of lights wear.
    """
    word, values = one.word.removeprefix(PREFIX), values_of(one)
    for port in ("filename", "picture", "texture"):
        if port in values and not is_there(str(values[port])):
            del values[port]
            if word == "envmap":
                word, values = "constant", {"radiance": values.get("scale", 1.0)}
    if word.startswith("area_"):
        _area(root, id_, word, values, rigid(matrix), dark)
        return True
    if word not in ("point", "spot", "directional", "constant", "envmap"):
        return False
    made = thing(root, "emitter", word, id_)
    if word == "point":
        xml.element("point", made, name="position", value=", ".join(repr(float(p)) for p in matrix[3, :3]))
    elif word == "spot":
        stand(made, HALF_TURN @ rigid(matrix))
    elif word == "directional":
        along = -_towards(one, matrix)
        xml.element("vector", made, name="direction", value=", ".join(repr(float(p) + 0.0) for p in along))
    elif one.yaw:
        held = xml.element("transform", made, name="to_world")
        xml.element("rotate", held, y="1", angle=repr(float(one.yaw)))
    for name, value in values.items():
        if name == "texture" and value:
            texture = thing(made, "texture", "bitmap", name="texture")
            put(texture, "filename", value, "string")
        elif name not in ("texture", "turn"):
            put(made, name, value, "color" if name in ("intensity", "radiance", "irradiance") else "")
    return True


def _towards(one: WrittenThing, matrix: Floats) -> Floats:
    """The direction from which a far light comes."""
    if one.towards is not None:
        return np.array(towards(*one.towards))
    return matrix[2, :3] / max(float(np.linalg.norm(matrix[2, :3])), 1e-12)


def _area(root: Any, id_: str, word: str, values: Mapping[str, Value], place: Floats, dark: str) -> None:
    made = thing(root, "shape", word.removeprefix("area_"), id_)
    radius = number(values.get("radius", 1.0), 1.0)
    if word == "area_rectangle":
        size = number(values.get("width", 2.0)) / 2.0, number(values.get("height", 2.0)) / 2.0
        stand(made, np.diag([*size, 1.0, 1.0]) @ HALF_TURN @ place)
    elif word == "area_disk":
        stand(made, np.diag([radius, radius, 1.0, 1.0]) @ HALF_TURN @ place)
    elif word == "area_sphere":
        xml.element("point", made, name="center", value=", ".join(repr(float(p) + 0.0) for p in place[3, :3]))
        put(made, "radius", radius)
    else:
        half = place[0, :3] * number(values.get("length", 1.0), 1.0) / 2.0
        for n, way in enumerate((-1.0, 1.0)):
            end = place[3, :3] + way * half
            xml.element("point", made, name=f"p{n}", value=", ".join(repr(float(p) + 0.0) for p in end))
        put(made, "radius", radius)
    refer(made, dark)
    emitter = thing(made, "emitter", "area")
    radiance = three(values.get("radiance", (1.0, 1.0, 1.0)))
    picture = values.get("picture")
    if word == "area_rectangle" and isinstance(picture, str) and picture:
        texture = thing(emitter, "texture", "bitmap", name="radiance")
        put(texture, "filename", picture, "string")
        held = xml.element("transform", texture, name="to_uv")
        xml.element("scale", held, x="1", y="-1")  # a rectangle's v runs upwards, a picture's rows downwards
    else:
        put(emitter, "radiance", radiance, "color")


def sensor(root: Any, id_: str, one: WrittenThing, matrix: Floats, settings: Mapping[str, Value]) -> None:
    """Write a camera with a film and a sampler of its own."""
    word, values = one.word.removeprefix(PREFIX), values_of(one)
    made = thing(root, "sensor", word if word in _SENSOR else "perspective", id_)
    if word in ("perspective", "thinlens"):
        put(made, "fov_axis", "x")
    stands = HALF_TURN @ rigid(matrix)
    if word == "orthographic":
        stands = np.diag([number(values.get("width", 2.0), 2.0) / 2.0] * 2 + [1.0, 1.0]) @ stands
    stand(made, stands)
    for name, value in values.items():
        if name in ("principal_point_offset_x", "principal_point_offset_y") and number(value) == 0.0:
            continue
        if name == "focus_distance" and number(value) <= 0.0:
            value = 1e4
        if name != "width":
            put(made, name, value)
    film = thing(made, "film", "hdrfilm")
    put(film, "width", int(number(settings.get("width", FILM[0]))))
    put(film, "height", int(number(settings.get("height", FILM[1]))))
    put(film, "pixel_format", "rgb")
    put(film, "component_format", "float32")
    sampler = thing(made, "sampler", "independent")
    put(sampler, "sample_count", max(int(number(settings.get("sample_count", SAMPLES))), 1))


def integrator(root: Any, settings: Mapping[str, Value], through_media: bool) -> None:
    """Write how light is followed."""
    made = thing(root, "integrator", "volpath" if through_media else "path")
    for name, usual in (("max_depth", -1), ("rr_depth", 5)):
        put(made, name, int(number(settings.get(name, usual))))
    if settings.get("hide_emitters") is True:
        put(made, "hide_emitters", True)


def is_light(one: WrittenThing) -> bool:
    """Whether a thing is a light of Mitsuba's."""
    word = one.word.removeprefix(PREFIX)
    return word.startswith("area_") or word in ("point", "spot", "directional", "constant", "envmap")
