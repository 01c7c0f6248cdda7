"""The process in which Mitsuba renders a scene file, in ever larger parts. Not imported by others.

It writes a line of JSON on standard output for all that happens: {"said": level, "text": …}, {"size": [w, h]}, {"done": samples},
and the mean so far [h, w, 3] into a file after each part, with how many samples were no numbers.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

_LARGEST = 16  # samples a pixel in one part


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


def _save(place: Path, picture: np.ndarray[Any, Any], bad: int) -> None:
    part = place.with_suffix(".part.npz")
    np.savez(part, picture=picture.astype(np.float32), bad=bad)
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
    total = np.zeros((height, width, 3))
    counts = np.zeros((height, width, 1))
    done, part, bad = 0, 1, 0
    while done < asked["samples"]:
        part = min(part, asked["samples"] - done, _LARGEST)
        found = np.array(mi.render(scene, sensor=sensor, spp=part, seed=done + 1), dtype=np.float64)[..., :3]
        good = np.isfinite(found).all(axis=-1, keepdims=True)
        bad += int((~good).sum())
        total += np.where(good, found, 0.0) * part
        counts += good * part
        done += part
        part *= 2
        _save(Path(asked["out"]), total / np.maximum(counts, 1.0), bad)
        _tell(done=done)


if __name__ == "__main__":
    main(json.loads(sys.argv[1]))
