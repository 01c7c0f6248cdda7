"""Rows of a picture, worked on by a few threads: kernels release the interpreter."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1), thread_name_prefix="band")


def over_bands(rows: int, work: Callable[[int, int], None]) -> None:
    """Do `work(first, end)` for bands of rows that make up all of them."""
    count = max(1, min(rows, 4 * (os.cpu_count() or 1)))
    ends = [rows * n // count for n in range(count + 1)]
    for one in [_pool().submit(work, first, end) for first, end in pairwise(ends) if end > first]:
        one.result()
