"""Expressions as short programs for the renderer: instructions over a file of registers.

The first registers hold the point (`POINT`, then what meshes carry besides), then come the known numbers, then what is worked
out. An instruction is operation, result, three operands and one number more.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.graph.expression import MOST_MORE, POINT, POINT_SIZE, Lane, Lookup, More, order

OPERATIONS = (
    "add", "subtract", "multiply", "divide", "power", "least", "most", "below", "floor", "root", "exp", "log",
    "absolute", "picture", "noise", "sine", "cosine", "angle", "plane_noise", "cells", "scattered",
)  # fmt: skip
CODES = {name: number for number, name in enumerate(OPERATIONS)}
WIDTH = 6
FRACTALS = ("noise", "plane_noise")
# The number more of a noise: octaves, or how many numbers its place has; a channel (0 for one alone) or a style; a register.
CHANNEL_BIT, STYLE_BIT, START_BIT = 5, 5, 8


@dataclass
class Program:
    """`code` [n, 6]; `start` the registers before it runs; `results` (register) of each output lane, in order."""

    code: NDArray[np.int32]
    start: NDArray[np.float64]
    registers: int
    results: list[int]


def _apart(what: More) -> int:
    return MOST_MORE


def compile_lanes(
    lanes: Sequence[Lane], picture_number: Callable[[Lookup], int], more_number: Callable[[More], int] = _apart
) -> Program:
    """A program that works some lanes out. `picture_number` gives the number that the renderer knows a picture by, `more_number`
    that of something that meshes carry; from `MOST_MORE` on it is not carried, and its default stands in.
    """
    place: dict[int, int] = {}
    start = [0.0] * POINT_SIZE
    wanted = order(lanes)
    for lane in wanted:
        if lane.op == "point":
            place[id(lane)] = POINT.index(str(lane.data))
        elif lane.op == "more":
            assert isinstance(lane.data, More)
            place[id(lane)] = _place_of(lane.data, more_number(lane.data), start)
        elif lane.value is not None:
            place[id(lane)] = len(start)
            start.append(lane.value)
    extra: dict[int, int] = {}
    for lane in wanted:
        if lane.op in FRACTALS:
            assert isinstance(lane.data, tuple)
            extra[id(lane)] = len(start)
            start.extend(lane.data[1:3])
    free = len(start)
    code: list[tuple[int, ...]] = []
    for lane in wanted:
        if lane.op in ("point", "more") or lane.value is not None:
            continue
        if lane.op == "channel":
            assert isinstance(lane.data, int)
            place[id(lane)] = place[id(lane.args[0])] + lane.data
            continue
        args = [place[id(arg)] for arg in lane.args]
        more = 0
        if lane.op == "picture":
            assert isinstance(lane.data, Lookup)
            more = picture_number(lane.data)
        elif lane.op in FRACTALS:
            assert isinstance(lane.data, tuple)
            more = lane.data[0] | lane.data[3] << CHANNEL_BIT | extra[id(lane)] << START_BIT
        elif lane.op == "cells":
            assert isinstance(lane.data, int)
            more = lane.data
        elif lane.op == "scattered":
            assert isinstance(lane.data, tuple)
            size, style = lane.data
            more = size | style << STYLE_BIT | args.pop() << START_BIT  # by how much they are scattered comes last
        args += [0] * (3 - len(args))
        code.append((CODES[lane.op], free, *args, more))
        place[id(lane)] = free
        free += 4 if lane.op == "picture" else 1
    table = np.array(code, dtype=np.int32).reshape(-1, WIDTH)
    return Program(table, np.array(start), free, [place[id(lane)] for lane in lanes])


def _place_of(what: More, number: int, start: list[float]) -> int:
    """The register of what meshes carry; one of its own with the default where there is no room for it."""
    if number < MOST_MORE:
        return len(POINT) + number
    if what.uv:
        return POINT.index("uv"[what.part])
    start.append(what.default)
    return len(start) - 1
