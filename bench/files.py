"""Files: how fast paths are found among very many, and how fast, and in how little memory, pictures are made ready.

files.py index        10,000 references against roots of 200,000 files, cold and warm
files.py prepare      50 pictures of 2K with one worker and two, against the picture library's own call
files.py large        a picture of 16K: memory while it is prepared and while it is judged
files.py first        bytes and time that a renderer needs for its first pixel, original against tiled copy
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from durvan.files.audit import judge
from durvan.files.copies import DEFAULTS, Task, Use, copy_path
from durvan.files.index import Shelf
from durvan.files.inventory import take
from durvan.files.prepare import prepare
from durvan.files.pyramid import make
from durvan.files.resolve import Resolver
from durvan.files.roots import Root
from durvan.formats.pictures import pixels
from durvan.scene.model import FileState, Reference

clock = time.perf_counter
FOLDERS, EACH, REFERENCES = 2000, 100, 10_000


def tree(base: Path) -> None:
    """200,000 files in 2,000 folders, three deep."""
    for number in range(FOLDERS):
        folder = base / f"show{number % 20}" / f"asset{number % 400}" / f"set{number}"
        folder.mkdir(parents=True)
        for count in range(EACH):
            (folder / f"map_{number}_{count}.exr").touch()


def index() -> None:
    """Resolve references cold (no index yet) and warm (a stored one, brought up to date)."""
    with tempfile.TemporaryDirectory() as name:
        base = Path(name)
        tree(base / "root")
        os.environ["DURVAN_KEPT"] = str(base / "indexes")
        root = Root(str(base / "root"))
        said = [Reference(f"/gone/maps/map_{(7 * n) % FOLDERS}_{n % EACH}.exr", str(base)) for n in range(REFERENCES)]
        out = {}
        for run in ("cold", "warm"):
            began = clock()
            shelf = Shelf()
            found = take(said, Resolver((str(base),), (root,), shelf))
            out[run] = clock() - began
            # the files are empty, so each is found and then told to be no picture
            assert sum(1 for file in found.values() if file.root) == len({one.written for one in said})
            assert not any(file.state is FileState.ABSENT for file in found.values())
        held = shelf.get(root)
        began = clock()
        for n in range(REFERENCES):
            held.find(f"map_{(7 * n) % FOLDERS}_{n % EACH}.exr")
        print(
            f"{REFERENCES} references against {held.count} files: cold {out['cold']:.2f} s (wanted: under 20), "
            f"warm {out['warm']:.2f} s (wanted: under 2); one name {1e6 * (clock() - began) / REFERENCES:.1f} µs"
        )


def picture(file: Path, size: int, seed: int, channels: int = 3) -> str:
    """A picture with structure at every scale, written in strips."""
    rng = np.random.default_rng(seed)
    small = rng.random((256, 256, channels), dtype=np.float32)
    spec = oiio.ImageSpec(size, size, channels, "uint8")
    out = oiio.ImageOutput.create(str(file))
    assert out.open(str(file), spec), out.geterror()
    for top in range(0, size, 64):
        rows = (np.arange(top, min(top + 64, size)) * 3) % 256
        lines = np.tile(small[rows], (1, -(-size // 256), 1))[:, :size] * 0.7
        lines += np.linspace(0, 0.3, size, dtype=np.float32)[None, :, None]
        out.write_scanlines(top, top + len(rows), 0, np.ascontiguousarray((lines * 255).astype(np.uint8)))
    out.close()
    return str(file)


def prepared(count: int = 50, size: int = 2048) -> None:
    """Ours with one worker and with two, and the picture library's own call in a bare loop, with as many threads."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        uses = [Use.COLOUR, Use.DATA, Use.NORMAL, Use.HEIGHT, Use.COLOUR]
        files = [picture(folder / f"p{n}.png", size, n) for n in range(count)]
        times = {}
        for jobs in (1, 2):
            out = str(folder / f"copies{jobs}")
            tasks = [Task(f, copy_path(f, out), uses[n % 5], DEFAULTS[uses[n % 5]]) for n, f in enumerate(files)]
            done = prepare(tasks, jobs)
            assert len(done.made) == count, done.failed
            times[jobs] = done.seconds
        for threads in (1, 0):
            oiio.attribute("threads", threads)
            began = clock()
            for number, file in enumerate(files):
                assert oiio.ImageBufAlgo.make_texture(
                    oiio.MakeTextureMode(0), file, str(folder / f"t{threads}_{number}.tif")
                )
            times[f"bare {threads}"] = clock() - began
        print(
            f"{count} pictures of {size}²: one worker {times[1]:.1f} s, two {times[2]:.1f} s: {times[1] / times[2]:.2f} × as fast "
            f"(wanted: at least 1.6)"
        )
        print(
            f"against the picture library's own call in a bare loop: one worker, one thread {times[1] / times['bare 1']:.2f} × "
            f"({times['bare 1']:.1f} s), two workers, all its threads {times[2] / times['bare 0']:.2f} × ({times['bare 0']:.1f} s) "
            f"(wanted: at most 1.15)"
        )


def inner(*arguments: str) -> dict[str, float]:
    """One measured step in a process of its own."""
    done = subprocess.run([sys.executable, __file__, "-", *arguments], capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def large(size: int = 16384) -> None:
    """Peak memory of preparing and of judging one very large picture."""
    with tempfile.TemporaryDirectory() as name:
        for ending in ("tif", "png"):
            file = picture(Path(name) / f"large.{ending}", size, 1)
            for what in ("make", "judge"):
                found = inner(what, file)
                print(
                    f"{size}² {ending}, {what}: {found['seconds']:.1f} s, peak {found['peak'] / 1e6:.0f} MB of which "
                    f"{found['idle'] / 1e6:.0f} MB were there before (wanted: a few hundred)"
                )


def first() -> None:
    """What a renderer reads for its first pixel: the preview renderer, which looks at 2048 pixels at most, and a look at
    one small tile through the picture library's cache; Mitsuba's bitmap reads everything, and knows no mips."""
    with tempfile.TemporaryDirectory() as name:
        for size in (4096, 8192):
            file = picture(Path(name) / f"first{size}.png", size, 2)
            copy = copy_path(file, "beside")
            make(Task(file, copy, Use.COLOUR, DEFAULTS[Use.COLOUR]))
            for what in ("preview", "cache"):
                a, b = inner(what, file), inner(what, copy)
                print(
                    f"{size}², {what}: original {a['read'] / 1e6:.1f} MB in {a['seconds'] * 1000:.0f} ms, tiled copy "
                    f"{b['read'] / 1e6:.2f} MB in {b['seconds'] * 1000:.0f} ms: {a['read'] / max(b['read'], 1):.0f} × fewer bytes, "
                    f"{a['seconds'] / b['seconds']:.1f} × as soon"
                )


def _told(file: str, name: str) -> int:
    """A number that the system keeps of this process."""
    return next(int(line.split()[1]) for line in Path(file).read_text().splitlines() if line.startswith(name))


def _read() -> int:
    return _told("/proc/self/io", "rchar")


def step(what: str, file: str) -> None:
    """Measured in a process of its own."""
    Path("/proc/self/clear_refs").write_text("5")  # or the peak would be that of who started this
    idle = _told("/proc/self/status", "VmHWM") * 1000
    before, began = _read(), clock()
    if what == "make":
        make(Task(file, file + ".tiled.tif", Use.COLOUR, DEFAULTS[Use.COLOUR]))
    elif what == "judge":
        assert not judge(file).problem
    elif what == "preview":
        assert pixels(file, "srgb") is not None
    else:
        cache = oiio.ImageCache(False)
        assert cache.get_pixels(file, 0, 0, 0, 8, 0, 8).shape[0] == 8
    seconds = clock() - began
    peak = _told("/proc/self/status", "VmHWM") * 1000
    print(json.dumps({"seconds": seconds, "peak": peak, "idle": idle, "read": _read() - before}))


STEPS = {"index": index, "prepare": prepared, "large": large, "first": first}


def main() -> None:
    """Measure what is named, or everything."""
    if sys.argv[1:2] == ["-"]:
        step(*sys.argv[2:])
        return
    for name in sys.argv[1:] or STEPS:
        STEPS[name]()


if __name__ == "__main__":
    main()
