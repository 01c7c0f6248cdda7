"""Have Proof's kernels compiled once, in a process of its own, so that nobody waits for it in the window.

python -m durvan.proof.warm
"""

from __future__ import annotations

import subprocess
from functools import cache, partial
from pathlib import Path

import numpy as np

from durvan.apart import command, surroundings
from durvan.errors import RenderingError
from durvan.optics.jit import kernel_folder, mark_of


def sources() -> list[Path]:
    """Every file that Proof's kernels are made from."""
    here = Path(__file__).parent
    return [here / "kernels.py", *sorted((here / "looking").glob("*.py"))]


def ready() -> bool:
    """Whether all are compiled."""
    return _mark().is_file()


def _mark() -> Path:
    return mark_of(sources(), "proof")


@cache
def ensure() -> None:
    """See that all are compiled, and load them. Raises RenderingError."""
    if not ready():
        done = subprocess.run(command("durvan.proof.warm"), env=surroundings(), capture_output=True, check=False)
        if done.returncode != 0 or not ready():
            said = done.stderr.decode("utf-8", "replace").strip().splitlines()[-1:] or ["it ended without a word"]
            raise RenderingError(f"What compares pictures cannot be compiled: {said[0][:300]}")
    run_each()


def run_each() -> None:
    """Run each kernel once on next to nothing, which compiles it or loads it."""
    from durvan.formats import views
    from durvan.proof.causes.analysis import analyse
    from durvan.proof.looking import lens, tones, ways
    from durvan.proof.looking.pair import Look, Pair
    from durvan.proof.picture import Ids, Picture

    r = np.random.default_rng(1)
    rgb = r.random((16, 24, 3)).astype(np.float32)
    ids = Ids((np.arange(384).reshape(16, 24) % 2).astype(np.int32), ("a", "b"))
    noise = np.full((16, 24), 1e-4, np.float32)
    brighter = rgb * np.float32(1.5)
    sides = [Picture(values, {"a": partial(np.asarray, values)}, ids, ids, noise) for values in (rgb, brighter)]
    pair = Pair(sides[0], sides[1])
    for way in ways.WAYS:
        if way.between and way.name != ways.CAUSE:
            pair.between(way.name, Look(beyond_noise=True))
    table = tones.display_table()
    frame = lens.Frame.fitting(pair.size, (8, 8))
    cube = lens.Cube.of(np.zeros((views.SIDE, views.SIDE, views.SIDE, 3), np.float32), views.axis(tones.values()))
    for toned in (lens.Toned(table), lens.Toned(table, 1.0, cube)):
        lens.picture(pair.pictures()[0], frame, (8, 8), toned, 0)
    lens.measured(pair.luminances()[0], frame, (8, 8), ways.BY_NAME[ways.COLOUR].scale.table(), (0.0, 1.0), 0)  # type: ignore[union-attr]
    analyse(*sides)


def main() -> None:
    """Compile all, and mark them ready."""
    kernel_folder()
    run_each()
    _mark().write_text("every kernel is here\n", encoding="utf-8")


if __name__ == "__main__":
    main()
