"""Ready many pictures for rendering, beside each other; what is finished stays when it is stopped."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field

import OpenImageIO as oiio

from durvan.errors import PictureError, Stopped
from durvan.files.copies import Task
from durvan.files.pyramid import make
from durvan.progress import Report, Step, silent


@dataclass(slots=True)
class Prepared:
    """What came of many tasks: copies by original, those that were there already, and why others failed."""

    made: dict[str, str] = field(default_factory=dict)
    current: dict[str, str] = field(default_factory=dict)
    failed: dict[str, str] = field(default_factory=dict)
    bytes: int = 0
    seconds: float = 0.0


def prepare(
    tasks: Sequence[Task], jobs: int = 0, report: Report = silent, clock: Callable[[], float] = time.monotonic
) -> Prepared:
    """Make what is missing or out of date, with so many at once (0: one for each core).

    A stop leaves what is finished, so that the next time goes on from there. A full disk ends it; a picture that cannot be
    read is noted and the others go on. Raises Stopped, and PictureError when the disk takes no more.
    """
    out = Prepared()
    began = clock()
    waiting: list[Task] = []
    for task in dict.fromkeys(tasks):
        if task.current:
            out.current[task.original] = task.copy
        else:
            waiting.append(task)
    stop = threading.Event()

    def watched(step: Step) -> None:
        if stop.is_set():
            raise Stopped

    with _one_thread(), ThreadPoolExecutor(jobs or os.cpu_count() or 1, "durvan-prepare") as pool:
        running: dict[Future[int], Task] = {pool.submit(make, task, watched): task for task in waiting}
        try:
            _gather(running, out, len(waiting), report)
        except BaseException:
            stop.set()
            for future in running:
                future.cancel()
            raise
    out.seconds = clock() - began
    return out


def _gather(running: dict[Future[int], Task], out: Prepared, total: int, report: Report) -> None:
    left = set(running)
    while left:
        report(Step("Preparing pictures", total - len(left), total))
        done, left = wait(left, timeout=0.1, return_when=FIRST_COMPLETED)
        for future in done:
            task = running[future]
            try:
                out.bytes += future.result()
                out.made[task.original] = task.copy
            except PictureError as problem:
                if isinstance(problem.__cause__, OSError):  # the disk's fault, not the picture's
                    raise
                out.failed[task.original] = problem.what
    report(Step("Preparing pictures", total, total))


class _one_thread:  # noqa: N801 - used like a function
    """While pictures are prepared beside each other, the picture library works in one thread for each."""

    def __enter__(self) -> None:
        self.was = oiio.get_int_attribute("threads", 0)
        oiio.attribute("threads", 1)

    def __exit__(self, *_: object) -> None:
        oiio.attribute("threads", self.was)
