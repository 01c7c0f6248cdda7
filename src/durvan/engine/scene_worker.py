"""The process in which Mitsuba renders a scene file, in ever larger parts. Not imported by others.

It writes a line of JSON on standard output for all that happens: {"said": level, "text": …}, {"size": [w, h]}, {"done": samples},
and the mean so far [h, w, 3] into a file after each part, with the variance of its luminance [h, w] (by how far the parts are apart; once there
are two) and how many samples were no numbers.

With "by_lights" every light is rendered by itself, the others dark and not asked, and the picture is their sum, which costs no more; each goes into the
file as `light0` [h, w, 3] and so on, and {"lights": [[name, material], …]} says which they are: of what glows its material, once for all that wear it.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

_LARGEST = 16  # samples a pixel in one part
_Y = np.array([0.2126, 0.7152, 0.0722])
_PARTS = 2  # from which on their spread says something: little of a pixel, enough of many


def _tell(**said: Any) -> None:
    sys.stdout.write(json.dumps(said) + "\n")
    sys.stdout.flush()


def _listen(mi: Any) -> None:
    """Have all messages as lines."""

    class Lines(mi.Appender):  # type: ignore[misc]
        def append(self, level: Any, text: str) -> None:
            _tell(said=level.name, text=str(text))

        def log_progress(self, *_: Any) -> None:
            pass

    logger = mi.logger()
    logger.clear_appenders()
    logger.add_appender(Lines())
    logger.set_log_level(mi.LogLevel.Warn)
    mi.set_log_level(mi.LogLevel.Warn)


class _Parts:
    """The mean of parts of several samples a pixel, and how sure it is."""

    def __init__(self, height: int, width: int) -> None:
        self.total = np.zeros((height, width, 3))
        self.squares = np.zeros((height, width))
        self.counts, self.parts = np.zeros((height, width)), np.zeros((height, width))
        self.bad = 0

    def add(self, found: np.ndarray[Any, Any], samples: int) -> None:
        """Take a part [h, w, 3] in; pixels that are no numbers count for nothing."""
        good = np.isfinite(found).all(axis=-1)
        self.bad += int((~good).sum())
        numbers = np.where(good[..., None], found, 0.0)
        self.total += numbers * samples
        self.squares += (numbers @ _Y) ** 2 * samples
        self.counts += good * samples
        self.parts += good

    def save(self, place: Path, more: Mapping[str, np.ndarray[Any, Any]]) -> None:
        """Write what there is, and more, whole before it is there."""
        counts = np.maximum(self.counts, 1.0)
        mean = self.total / counts[..., None]
        spread = np.maximum(self.squares - counts * (mean @ _Y) ** 2, 0.0) / np.maximum(self.parts - 1.0, 1.0)
        arrays: dict[str, Any] = {"picture": mean.astype(np.float32), "bad": self.bad, **more}
        if self.parts.max() >= _PARTS:
            arrays["variance"] = (spread / counts).astype(np.float32)
        part = place.with_suffix(".part.npz")
        np.savez(part, **arrays)
        part.replace(place)


class _Lights:
    """What lights a scene, one at a time: names of lights, each with the beginnings of its parameters' names."""

    def __init__(self, mi: Any, scene: Any) -> None:
        self.params = mi.traverse(scene)
        worn = {
            shape.id(): shape.bsdf().id()
            for shape in scene.shapes()
            if shape.is_emitter() and shape.class_name().endswith("Mesh")
        }
        self.groups: dict[tuple[str, str], list[str]] = {}
        self.bright: dict[str, Any] = {}
        self.weights: dict[str, float] = {}
        for key in self.params.keys():  # noqa: SIM118 - it is no dictionary
            at, _, last = key.rpartition(".")
            if last == "sampling_weight":
                name = at.removesuffix(".emitter")
                self.weights[key] = float(self.params[key])
                self.groups.setdefault(("", worn[name]) if name in worn else (name, ""), []).append(f"{at}.")
            elif _is_strength(key):
                self.bright[key] = type(self.params[key])(self.params[key])
        lights = tuple(begin for begins in self.groups.values() for begin in begins)
        self.bright = {key: value for key, value in self.bright.items() if key.startswith(lights)}
        self.groups = {group: begins for group, begins in self.groups.items() if self._shines(begins)}

    def _shines(self, begins: list[str]) -> bool:
        return any(np.any(np.array(value) > 0.0) for key, value in self.bright.items() if key.startswith(tuple(begins)))

    def only(self, begins: list[str]) -> None:
        """Have all others dark, and none of them asked."""
        for key, weight in self.weights.items():
            self.params[key] = weight if key.startswith(tuple(begins)) else 0.0
        for key, value in self.bright.items():
            self.params[key] = value if key.startswith(tuple(begins)) else value * 0.0
        self.params.update()


def _is_strength(key: str) -> bool:
    """Whether a parameter says how bright a light is."""
    parts = key.split(".")
    if parts[-1] == "scale":
        return len(parts) == 2
    return parts[-1] in ("value", "data") and any(part in ("radiance", "irradiance", "intensity") for part in parts)


def main(asked: dict[str, Any]) -> None:
    """Render what is asked for."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    _listen(mi)
    scene = mi.load_file(asked["file"])
    sensor = scene.sensors()[asked["camera"]]
    if asked["size"]:
        params = mi.traverse(sensor)
        params["film.size"] = asked["size"]
        params.update()
    width, height = (int(v) for v in sensor.film().size())
    _tell(size=[width, height])
    parts = _Parts(height, width)
    lights = _Lights(mi, scene) if asked.get("by_lights") else None
    groups = list(lights.groups.items()) if lights is not None else []
    if groups:
        _tell(lights=[list(group) for group, _ in groups])
    each = [np.zeros((height, width, 3)) for _ in groups]
    many = max(len(groups), 1)
    done, part = 0, 1
    while done < asked["samples"]:
        part = min(part, -(-(asked["samples"] - done) // many), _LARGEST)
        found = np.zeros((height, width, 3))
        for number, (_, begins) in enumerate(groups):
            assert lights is not None
            lights.only(begins)
            mine = _rendered(mi, scene, sensor, part, many * done + number + 1)
            good = np.isfinite(mine).all(axis=-1, keepdims=True)
            parts.bad += int((~good).sum())
            mine = np.where(good, mine, 0.0)  # of one light alone: the others' of the same sample are there
            each[number] += mine * part
            found += mine
        if not groups:
            found = _rendered(mi, scene, sensor, part, done + 1)
        parts.add(found, part)
        done += part * many
        part *= 2
        rays = max(done // many, 1)
        parts.save(Path(asked["out"]), {f"light{n}": (one / rays).astype(np.float32) for n, one in enumerate(each)})
        _tell(done=done)


def _rendered(mi: Any, scene: Any, sensor: Any, samples: int, seed: int) -> np.ndarray[Any, Any]:
    return np.array(mi.render(scene, sensor=sensor, spp=samples, seed=seed), dtype=np.float64)[..., :3]


if __name__ == "__main__":
    main(json.loads(sys.argv[1]))
