"""Durvan's stand-in for Mitsuba held against Mitsuba itself, on the demo scenes: the mean of the picture and of each material, and a table of
what Mitsuba has no words for, which is in neither picture.

    python bench/both_engines.py [samples] [scene …]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.job.expressing import express
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import registry
from durvan.engine import compiling, outside, staging
from durvan.engine.engines import Engine
from durvan.engine.gathering import Gathering
from durvan.formats.table import reader
from durvan.optics.colour import REC709_LUMINANCE
from durvan.progress import silent

ROOT = Path(__file__).parent.parent / "demo"
SIZE = (320, 180)
SCENES = ("lamproom", "boathouse")
WANTED = 0.02
_Y = np.array(REC709_LUMINANCE)
_MOST = 4.0  # times white, that a pixel counts for: caustics of few samples would be all of a mean
_LEAST = 0.002  # of the picture, that a material covers


def ours(session: Session, samples: int) -> tuple[NDArray[np.float64], NDArray[np.int32], list[str], float]:
    """What the stand-in sees: luminances, materials and their names, and the standard error of the mean."""
    file = Path(session.scene.file)
    shapes = reader(file).shapes(file, silent)
    staged = staging.stage(
        session.scene,
        shapes,
        session.plan.target_things,
        session.registry,
        session.camera,
        SIZE,
        session.plan.choices.unseen,
    )
    film = Gathering(staged)
    while film.samples < samples:
        film.add(min(16, samples - film.samples))
    variance = film.variance()
    assert variance is not None
    error = float(np.sqrt(variance.mean() / variance.size))
    return film.rgb().astype(np.float64) @ _Y, film.first_things().material, staged.materials, error


def theirs(session: Session, samples: int) -> tuple[NDArray[np.float64], dict[str, list[str]]]:
    """What Mitsuba sees, exposed by the same camera, and what is left out."""
    eye = staging.choose_camera(session.scene, session.camera)
    exposure = staging.exposure_of(session.scene, session.plan.target_things, session.registry, eye.id, SIZE)
    with tempfile.TemporaryDirectory() as folder:
        made = express(session, True, Path(folder))
        _with_square_pixels(made.file)
        found = outside.render(made.file, samples, SIZE, made.camera(eye))
    return exposure.exposed(found.picture) @ _Y, made.left_out


def _with_square_pixels(file: Path) -> None:
    """Have each sample count for its own pixel only, as here: spread over neighbours, single bright ones would not be held down alike."""
    text = file.read_text(encoding="utf-8")
    file.write_text(text.replace("</film>", '  <rfilter type="box"/>\n    </film>'), encoding="utf-8")


def scene(name: str, samples: int) -> float:
    """Both of one scene, as a table; by how much the means are apart."""
    file = ROOT / name / f"{name}.usda"
    session = start(file, registry(), Engine.MITSUBA.value)
    session.look_at_shapes(always=True)
    one, where, names, error = ours(session, samples)
    two, left_out = theirs(
        session, samples
    )  # as many: what single bright samples come to is held down on both sides alike
    grey = 0.18 / float(np.median(one))  # Mitsuba's camera has no exposure: the middle of the picture is mid grey
    one, two, error = np.minimum(grey * one, _MOST), np.minimum(grey * two, _MOST), grey * error
    apart = two.mean() / one.mean() - 1.0
    print(
        f"{name}: the stand-in {one.mean():.4f} ± {error:.4f}, Mitsuba {two.mean():.4f}, {100.0 * apart:+.2f} % (2 % are wanted)"
    )
    rows = []
    for number in np.unique(where[where >= 0]):
        here = where == number
        if here.mean() >= _LEAST:
            rows.append(
                (
                    abs(two[here].mean() / one[here].mean() - 1.0) * here.mean(),
                    names[number],
                    here.mean(),
                    one[here].mean(),
                    two[here].mean(),
                )
            )
    for _, material, share, a, b in sorted(rows, reverse=True):
        print(
            f"  {material.rpartition('/')[2] or 'no material':22} {100.0 * share:5.1f} % of the picture  {a:8.4f} {b:8.4f}  {100.0 * (b / a - 1.0):+6.1f} %"
        )
    print(f"  what Mitsuba has no words for ({len(left_out)} things):")
    for thing, reasons in sorted(left_out.items()):
        print(f"    {thing.rpartition('/')[2]}: {'; '.join(reasons)[:150]}")
    return abs(apart)


def main(words: list[str]) -> int:
    """Print the tables; 1 where a mean is apart by more than is wanted."""
    samples = int(words[0]) if words else 64
    compiling.ensure()
    worst = max([scene(name, samples) for name in (words[1:] or SCENES)])
    return int(worst > WANTED)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
