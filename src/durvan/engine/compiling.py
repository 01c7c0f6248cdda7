"""Have the kernels compiled once, in a process of its own, before anything needs them.

Compiling takes about a minute and holds the interpreter; loading what was compiled takes part of a second.
"""

from __future__ import annotations

import fcntl
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path

from durvan.apart import command, surroundings
from durvan.errors import RenderingError
from durvan.optics.jit import kernel_folder, mark_of, sources
from durvan.progress import Report, Step, silent

_STEPS = ("albedo tables", "trees", "programs", "lobes", "paths", "first things", "probes")


def ready() -> bool:
    """Whether everything is compiled for this processor and these sources, where they lie."""
    return _mark().is_file()


def _mark() -> Path:
    return mark_of(sources())


def compile_all(report: Report = silent) -> None:
    """Compile every kernel in this process by running each once on next to nothing, and mark them ready."""
    folder = kernel_folder()
    with (folder / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)  # whoever comes second finds it done
        if ready():
            return
        _run_each(report)
        _mark().write_text("every kernel is here\n", encoding="utf-8")


def _run_each(report: Report) -> None:
    import numpy as np

    from durvan.dialects.look import Lamp, Lobe, Surface, View, record
    from durvan.engine import budget, renderer
    from durvan.engine.build import Ball, build, camera
    from durvan.engine.kernels import blocks, programs
    from durvan.engine.lamps import Placed
    from durvan.optics.lobes import layout, many, tables
    from durvan.scene.probe import Probe

    def step(number: int) -> None:
        report(Step(f"Compiling {_STEPS[number]}", number, len(_STEPS)))

    step(0)
    table = tables.tables()
    step(1)
    look = record(Surface([Lobe(layout.DIFFUSE, 0.5)]))
    built = build([], [look], [], lambda _: None, (Ball((0.0, 0.0, 0.0), 1.0, 0),))
    step(2)
    programs.resolve_many(built.world, 0, np.zeros((1, 6)), np.zeros((1, layout.RECORD)), built.registers)
    nowhere, picture = np.zeros((0, 0, 3)), np.zeros((1, 1, 3), np.float32)
    blocks.paint(built.world, 0, 1, 0, 1, 0.0, 0.0, nowhere, picture, np.zeros(blocks.room(built.registers)))
    step(3)
    up = np.array([[0.0, 0.0, 1.0]])
    value, pdf, chosen = np.zeros((1, 3)), np.zeros(1), np.zeros(1)
    many.evaluate_many(look.base, up, up, table, value, pdf)
    many.sample_many(look.base, up, up * 0.5, table, np.zeros((1, 3)), value, pdf, chosen)
    many.albedos(look.base, np.ones(1), table, np.zeros((1, 6)))
    step(4)
    eye = np.eye(4)
    eye[3, 2] = 5.0
    view = camera(View(36.0, 50.0), eye, 1.0)
    renderer.expose(built, view, renderer.Film.empty(4, 4), 1, 2)
    step(5)
    renderer.first_things(built, view, 4, 4)
    step(6)
    lit = build(
        [], [look], [Placed("", Lamp("point", (1.0, 1.0, 1.0)), eye)], lambda _: None, (Ball((0.0, 0.0, 0.0), 1.0, 0),)
    )
    budget.measure(lit, [Probe("", (0.0, 0.0, 0.0))])
    budget.distances(lit, [(0.0, 0.0, 0.0)], np.eye(3))
    budget.surroundings(lit, (0.0, 0.0, 0.0), np.eye(3))


def ensure(report: Report = silent) -> None:
    """Have everything compiled, in a child process when it is not. `report` may raise Stopped.

    Raises RenderingError with what the compiler said when it fails.
    """
    if ready():
        return
    child = subprocess.Popen(
        command("durvan.engine.compiling"),
        env=surroundings(),
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    said: list[str] = []
    latest = [Step("Preparing the renderer (once)", 0, len(_STEPS))]

    def listen() -> None:
        assert child.stdout is not None
        for line in child.stdout:
            number, _, what = line.strip().partition(" ")
            if number.isdigit():
                latest[0] = Step(f"Preparing the renderer (once): {what.lower()}", int(number), len(_STEPS))

    def complaints() -> None:
        assert child.stderr is not None
        said.extend(child.stderr)

    threads = [threading.Thread(target=one, daemon=True) for one in (listen, complaints)]
    for thread in threads:
        thread.start()
    try:
        while child.poll() is None:
            report(latest[0])
            time.sleep(0.1)
    except BaseException:
        child.kill()
        raise
    for thread in threads:
        thread.join(1.0)
    if child.returncode != 0 or not ready():
        raise RenderingError(f"the renderer could not be prepared: {''.join(said)[-400:].strip()}")


def forget_old(keep: int = 3) -> None:
    """Throw away what was compiled for older sources, except the latest few."""
    folders = sorted((f for f in kernel_folder().parent.iterdir() if f.is_dir()), key=lambda f: f.stat().st_mtime)
    for folder in folders[:-keep]:
        if folder != kernel_folder():
            _remove(folder)


def _remove(folder: Path) -> None:
    for file in sorted(folder.rglob("*"), reverse=True):
        with suppress(OSError):
            file.rmdir() if file.is_dir() else file.unlink()
    with suppress(OSError):
        folder.rmdir()


if __name__ == "__main__":

    def _say(step: Step) -> None:
        sys.stdout.write(f"{step.done} {step.doing}\n")
        sys.stdout.flush()

    compile_all(_say)
    forget_old()
