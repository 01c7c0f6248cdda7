"""A side of a crossing, really rendered: written for Mitsuba, rendered by it, and exposed as the side's own camera does."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.job.expressing import Expressed, express
from durvan.crossing.job.session import Session
from durvan.engine import outside, staging
from durvan.engine.gathering import GLOW
from durvan.identity import leaf
from durvan.optics.colour import REC709_LUMINANCE
from durvan.progress import Report, silent
from durvan.proof.picture import Picture
from durvan.scene.said import Message

Floats = NDArray[np.float64]
Seen = Callable[
    [Floats, int, str], None
]  # a picture as the camera takes it, its samples a pixel, and the response that it is bent by


@dataclass(frozen=True)
class Judged:
    """A picture [height, width, 3] as the camera takes it, with how it came about. `left_out` are things by name with each one's reasons,
    `variance` is that of the luminance of each pixel [height, width], where it is known, `lights` are what each light gives, by path ("glow:" and the
    material's of what glows), where it was asked for.
    """

    picture: Floats
    response: str
    samples: int
    seconds: float
    messages: tuple[Message, ...]
    left_out: dict[str, list[str]]
    remarks: tuple[str, ...] = ()
    bad: int = 0
    stopped: str = ""
    variance: Floats | None = None
    lights: Mapping[str, Floats] = field(default_factory=dict)

    def as_picture(self) -> Picture:
        """What Proof compares."""
        lights = {name: partial(np.asarray, one, np.float32) for name, one in self.lights.items()}
        variance = self.variance.astype(np.float32) if self.variance is not None else None
        return Picture(self.picture.astype(np.float32), lights, variance=variance)

    def notes(self) -> list[str]:
        """What is to be said of it, in sentences."""
        said = [f"{self.samples} samples a pixel in {self.seconds:.1f} s."]
        if self.stopped:
            said.append(self.stopped)
        if self.bad:
            said.append(f"{self.bad} samples were no numbers and are left out.")
        said += [f"Mitsuba: {one.text} ({one.count} times)" for one in self.messages]
        said += list(self.remarks)
        return said + [f"{leaf(name)}: {why}" for name, reasons in self.left_out.items() for why in reasons]


def judge(
    session: Session, target: bool, wanted: str, samples: int, size: tuple[int, int], limit: float, report: Report = silent,
    seen: Seen | None = None, by_lights: bool = False,
) -> Judged:  # fmt: skip
    """Render a side by a camera of some name. `limit` is in seconds; `seen` is handed what there is on the way; with `by_lights` what each light
    gives is known, too.

    Raises RenderingError where there is no picture, and the errors of carrying.
    """
    eye = staging.choose_camera(session.scene, wanted)
    things = session.plan.target_things if target else session.scene.own
    exposure = staging.exposure_of(session.scene, things, session.registry, eye.id, size)
    response = exposure.sampling.response
    with tempfile.TemporaryDirectory() as folder:
        aspect = size[0] / size[1] * max(exposure.sampling.pixel_aspect, 1e-3)
        made = express(session, target, Path(folder), report, aspect)
        on_the_way = (
            (lambda picture, done: seen(exposure.exposed(picture), done, response)) if seen is not None else None
        )
        found = outside.render(made.file, samples, size, made.camera(eye), report, limit, on_the_way, by_lights)
    return Judged(
        exposure.exposed(found.picture), response, found.samples, found.seconds, found.messages, made.left_out, made.remarks, found.bad,
        found.stopped, _exposed(found.variance, exposure),
        {_about(made, *name): exposure.exposed(one) for name, one in found.lights.items()},
    )  # fmt: skip


def _about(made: Expressed, light: str, material: str) -> str:
    """What gives a part of the light: a light's path, or that of what glows by its material."""
    return f"{GLOW}:{made.thing(material)}" if material else made.thing(light)


def _exposed(variance: Floats | None, exposure: staging.Exposure) -> Floats | None:
    """The variance of luminances as that of what the camera makes of them."""
    if variance is None:
        return None
    deviation = exposure.exposed(np.repeat(np.sqrt(variance)[..., None], 3, axis=2)) @ np.array(REC709_LUMINANCE)
    return np.asarray(deviation * deviation)
