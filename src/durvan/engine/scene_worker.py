"""The process in which Mitsuba renders a scene file, in ever larger parts. Not imported by others.

It writes a line of JSON on standard output for all that happens: {"said": level, "text": …}, {"size": [w, h]}, {"done": samples},
and the mean so far [h, w, 3] into a file after each part, with the variance of its luminance [h, w] (by how far the parts are apart; once there
are three) and how many samples were no numbers.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

_LARGEST = 16  # samples a pixel in one part
_Y = np.array([0.2126, 0.7152, 0.0722])
_PARTS = 3  # from which on their spread says something


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

    def save(self, place: Path) -> None:
        """Write what there is, whole before it is there."""
        counts = np.maximum(self.counts, 1.0)
        mean = self.total / counts[..., None]
        spread = np.maximum(self.squares - counts * (mean @ _Y) ** 2, 0.0) / np.maximum(self.parts - 1.0, 1.0)
        known = {"variance": (spread / counts).astype(np.float32)} if self.parts.max() >= _PARTS else {}
        part = place.with_suffix(".part.npz")
        np.savez(part, picture=mean.astype(np.float32), bad=self.bad, **known)
        part.replace(place)


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
    done, part = 0, 1
    while done < asked["samples"]:
        part = min(part, asked["samples"] - done, _LARGEST)
        found = np.array(mi.render(scene, sensor=sensor, spp=part, seed=done + 1), dtype=np.float64)[..., :3]
        parts.add(found, part)
        done += part
        part *= 2
        parts.save(Path(asked["out"]))
        _tell(done=done)


if __name__ == "__main__":
    main(json.loads(sys.argv[1]))
