"""How fast Proof shows things: all difference pictures of a 3840 × 2160 pair beside the cause analysis (whose time `bench/proof.py` measures),
a window's pictures while one pans, zooms and changes the way of looking, and the first picture of an EXR of thirty layers.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from scipy.ndimage import zoom

from durvan.formats import views
from durvan.proof import warm
from durvan.proof.looking import lens, tones, ways
from durvan.proof.looking.pair import Look, Pair
from durvan.proof.picture import Picture
from durvan.proof.reading import glance

WIDTH, HEIGHT, LAYERS = 3840, 2160, 30
WINDOWS = {"1280 × 800": (978, 330), "2560 × 1440": (2258, 780)}


def took(work: Callable[[], object], times: int = 5) -> float:
    """Seconds, the best of some times."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def made(seed: int) -> NDArray[np.float32]:
    """A picture with detail and grain."""
    r = np.random.default_rng(seed)
    base = zoom(np.random.default_rng(1).random((135, 240, 3)), (16, 16, 1), order=1)
    return (base * (1.0 + 0.1 * r.standard_normal((HEIGHT, WIDTH, 1)))).clip(0.0).astype(np.float32)


def maps(pair: Pair) -> float:
    """Every difference picture, once."""
    total = 0.0
    for way in (ways.COLOUR, ways.STOPS, ways.FLIP, ways.CHROMA, ways.HUE):
        seconds = took(lambda way=way: Pair(pair.source, pair.target).measured(way, Look()), 2)  # type: ignore[misc]
        print(f"{way:10} {seconds:6.2f} s")
        total += seconds if way not in (ways.CHROMA, ways.HUE) else 0.0  # they come with colour
    print(f"all of them{total:6.2f} s")
    return total


def windows(pair: Pair) -> None:
    """What it takes to show another picture on the screen."""
    wanted = views.views_of()[0]
    toned = {
        "sRGB": lens.Toned(tones.display_table()),
        "a colour view": lens.Toned(
            tones.display_table(), 1.0, lens.Cube.of(views.cube(wanted), views.axis(tones.values()))
        ),
    }
    colours = ways.BY_NAME[ways.COLOUR].scale
    assert colours is not None
    levels, map_ = pair.pictures()[0], pair.between(ways.COLOUR, Look())
    for name, size in WINDOWS.items():
        whole = lens.Frame.fitting(pair.size, size)
        near = lens.Frame(500.0, 500.0, 1.0)
        for what, tone in toned.items():
            for where, frame in (("all of it", whole), ("dot for dot", near)):
                seconds = took(lambda frame=frame, tone=tone, size=size: lens.picture(levels, frame, size, tone, 0))  # type: ignore[misc]
                print(f"{name}  {what:14} {where:12} {1000.0 * seconds:6.1f} ms, {1.0 / seconds:4.0f} a second")
        edge = took(
            lambda size=size, near=near, tone=toned["a colour view"]: lens.picture(levels, near, (24, size[1]), tone, 0)
        )  # type: ignore[misc]
        print(f"{name}  panned by 24 pixels, a colour view  {1000.0 * edge:6.1f} ms")
        change = took(lambda size=size, whole=whole: lens.measured(map_, whole, size, colours.table(), (0.0, 10.0), 0))  # type: ignore[misc]
        print(f"{name}  another way of looking              {1000.0 * change:6.1f} ms; 50 are wanted")


def thirty_layers(folder: Path) -> None:
    """The first picture of a file of thirty layers: as parts, and among each other."""
    picture = made(3).astype(np.float16)
    names = [("R", "G", "B") if n == 0 else tuple(f"layer{n:02d}.{c}" for c in "RGB") for n in range(LAYERS)]
    parts = folder / "parts.exr"
    specs = []
    for n, channels in enumerate(names):
        spec = oiio.ImageSpec(WIDTH, HEIGHT, 3, "half")
        spec.channelnames = channels
        spec.attribute("oiio:subimagename", "picture" if n == 0 else f"layer{n:02d}")
        spec.attribute("compression", "zip")
        specs.append(spec)
    out = oiio.ImageOutput.create(str(parts))
    out.open(str(parts), tuple(specs))
    for n in range(LAYERS):
        if n:
            out.open(str(parts), specs[n], "AppendSubimage")
        out.write_image(picture)
    out.close()
    whole = folder / "whole.exr"
    spec = oiio.ImageSpec(WIDTH, HEIGHT, 3 * LAYERS, "half")
    spec.channelnames = tuple(channel for channels in names for channel in channels)
    spec.attribute("compression", "zip")
    out = oiio.ImageOutput.create(str(whole))
    out.open(str(whole), spec)
    out.write_image(np.tile(picture, (1, 1, LAYERS)))
    out.close()
    for file, what in ((parts, "as parts"), (whole, "among each other, a first impression")):
        seconds = took(lambda file=file: lens.Levels.of(glance(file).picture.rgb), 3)  # type: ignore[misc]
        print(f"an EXR of 30 layers, {what:38}{seconds:6.2f} s; 1 s is wanted")


def main() -> None:
    """Measure and print."""
    warm.ensure()
    pair = Pair(Picture(made(1)), Picture(made(2) * np.float32(1.2)))
    maps(pair)
    windows(pair)
    with tempfile.TemporaryDirectory() as folder:
        thirty_layers(Path(folder))


if __name__ == "__main__":
    main()
