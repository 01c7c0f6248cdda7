"""Expressions: folding, sharing, and the renderer's programs against the arrays."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from durvan.dialects.look import Lobe, Surface, record, resolve
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup, field
from durvan.graph.program import compile_lanes
from durvan.optics.lobes import layout as L

PIXELS = np.random.default_rng(5).random((7, 9, 4)).astype(np.float32)
OPERATIONS = ["add", "subtract", "multiply", "divide", "least", "most", "below", "angle"]


def pixels(lookup: Lookup) -> np.ndarray | None:
    return PIXELS if lookup.file == "here" else None


def points(count: int, seed: int = 2) -> dict[str, np.ndarray]:
    rng = np.random.default_rng(seed)
    out = {name: rng.normal(size=count) * 2.0 for name in ex.POINT}
    out["facing"] = rng.random(count)
    return out


def test_what_is_known_is_worked_out_at_once() -> None:
    assert (field(2.0) * (3.0, 4.0, 5.0) + 1.0).constant == (7.0, 9.0, 11.0)
    assert (field(1.0) - (0.25, 0.5, 1.0)).constant == (0.75, 0.5, 0.0)
    assert (ex.point("u") * 0.0).constant == (0.0,)
    assert (ex.point("u") * 1.0 + 0.0).lanes[0].op == "point"
    assert (field(1.0) / 0.0).constant == (0.0,)
    assert ex.clamp(field(7.0)).constant == (1.0,) and ex.luminance(field((1.0, 1.0, 1.0))).constant[
        0
    ] == pytest.approx(1)


def test_a_shared_lane_is_worked_out_once() -> None:
    asked = []

    def count(lookup: Lookup) -> np.ndarray:
        asked.append(lookup)
        return PIXELS

    four = ex.picture(Lookup("here"), ex.uv())
    ex.evaluate([four[0] + four[1], four[2] * four[0]], points(5), count)
    assert len(asked) == 1
    program = compile_lanes([*(four[0] + four[1]).lanes, *(four[2] * four[0]).lanes], lambda _: 0)
    assert len(program.code) == 3  # one look-up, a sum, a product


def test_a_chain_of_any_length() -> None:
    long = ex.point("u")
    for _ in range(5000):
        long = long + 1.0
    (found,) = ex.evaluate([long], {"u": np.zeros(2)}, pixels)
    assert found[:, 0] == pytest.approx(5000.0)


@pytest.mark.parametrize("wrap", ["periodic", "mirror", "clamp", "constant"])
def test_pictures_beyond_their_edges(wrap: str) -> None:
    lookup = Lookup("here", 1.0, wrap, wrap, (9.0, 9.0, 9.0, 9.0))
    middle = ex.look_up(PIXELS, np.array([0.5 / 9]), np.array([1.0 - 0.5 / 7]), lookup)
    assert middle[0] == pytest.approx(PIXELS[0, 0])
    far = ex.look_up(PIXELS, np.array([1.0 + 0.5 / 9]), np.array([1.0 - 0.5 / 7]), lookup)[0]
    expected = {"periodic": PIXELS[0, 0], "mirror": PIXELS[0, 8], "clamp": PIXELS[0, 8], "constant": np.full(4, 9.0)}
    assert far == pytest.approx(expected[wrap])
    assert ex.look_up(None, np.zeros(3), np.zeros(3), lookup).shape == (3, 4)


SPACE = ex.join(ex.point("x"), ex.point("y"), ex.point("z"))
leaves = st.one_of(
    st.sampled_from(ex.POINT).map(ex.point),
    st.floats(-3.0, 3.0).map(field),
    st.sampled_from(["periodic", "mirror", "clamp", "constant"]).map(
        lambda wrap: ex.picture(Lookup("here", 1.0, wrap, wrap, (0.3, 0.2, 0.1, 1.0)), ex.uv() * 1.7)[1]
    ),
    st.integers(1, 5).map(lambda n: ex.noise(ex.join(ex.point("x"), ex.point("y"), ex.point("z")), n, 2.1, 0.4)),
    st.just(ex.picture(Lookup("absent"), ex.uv())[3]),
    st.integers(0, 2).map(lambda n: ex.plane_noise(ex.uv() * 3.0, 3, 2.0, 0.5, colour=True)[n]),
    st.integers(0, 2).map(lambda n: ex.noise(SPACE * 2.0, 2, 2.0, 0.5, colour=True)[n]),
    st.just(ex.cells(ex.uv() * 9.0)),
    st.just(ex.cells(SPACE * 5.0)),
    st.tuples(st.sampled_from([ex.uv() * 4.0, SPACE * 3.0]), st.floats(0.0, 1.0), st.integers(0, 1)).map(
        lambda t: ex.scattered(*t)
    ),
)


def grown(children):
    two = st.tuples(st.sampled_from(OPERATIONS), children, children).map(lambda t: t[1]._with(t[0], t[2]))
    one = st.tuples(st.sampled_from(["floor", "root", "absolute", "exp", "sine", "cosine"]), children).map(
        lambda t: ex.each(t[0], ex.clamp(t[1], -5.0, 5.0))
    )
    power = st.tuples(children, st.floats(0.3, 3.0)).map(lambda t: ex.clamp(t[0], 0.0, 9.0) ** t[1])
    return st.one_of(two, one, power)


@pytest.mark.usefixtures("kernels")
@given(parts=st.lists(st.recursive(leaves, grown, max_leaves=8), min_size=1, max_size=4))
@example(parts=[ex.point("u") / field(2.5e-163)])
@example(parts=[field(1.0) / (ex.point("u") * 5e-324)])
@settings(max_examples=80, deadline=None)
def test_programs_say_what_the_arrays_say(parts: list[Field]) -> None:
    from durvan.engine.build import Ball, build
    from durvan.engine.kernels import programs

    tints = ex.join(*(parts * 3)[:3])
    look = record(Surface([Lobe(L.DIFFUSE, tints, parts[0])], opacity=parts[-1]))
    built = build([], [look], [], pixels, (Ball((0, 0, 0), 1.0, 0),))
    given_ = points(20)
    table = np.zeros((20, ex.POINT_SIZE))
    for place, name in enumerate(ex.POINT):
        table[:, place] = given_[name] if name in given_ else ex.OTHERWISE[name]
    got = np.zeros((20, L.RECORD))
    programs.resolve_many(built.world, 0, table, got, built.registers)
    wanted = resolve(look, given_, pixels)
    used = L.HEADER + L.LOBE
    assert got[:, :used] == pytest.approx(wanted[:, :used], rel=1e-4, abs=1e-5)  # pixels are of single precision


def test_noises_are_those_of_the_standard() -> None:
    """Values worked out by hand from the standard's own hash and gradients (MaterialX 1.39, noise library)."""
    from durvan.graph import noise

    corner = np.array([0.0])
    assert noise.gradient_noise(corner, corner, corner) == pytest.approx(0.0)  # a gradient times no way at all
    assert noise.plane_gradient_noise(np.array([3.0]), np.array([-2.0])) == pytest.approx(0.0)
    assert int(noise.hashed(np.array([0]), np.array([0]))[0]) == by_hand(0, 0)
    assert int(noise.hashed(np.array([-7]), np.array([12345]), np.array([3]))[0]) == by_hand(-7, 12345, 3)
    x, y = np.linspace(-3, 3, 41) + 0.013, np.linspace(2, -5, 41) + 0.017
    cell = noise.cell_noise(x, y)
    assert len(np.unique(cell)) == len({(np.floor(a), np.floor(b)) for a, b in zip(x, y, strict=True)})
    assert cell[0] == pytest.approx(by_hand(-3, 2) / 0xFFFFFFFF)
    even = noise.scattered_points([x, y], np.zeros(41), 0)  # without jitter the points stand in the middles
    middle = np.hypot(x - np.floor(x) - 0.5, y - np.floor(y) - 0.5)
    assert even == pytest.approx(middle, abs=1e-12)
    own = noise.scattered_points([x, y], np.zeros(41), 1)
    assert own == pytest.approx(cell)


def by_hand(*whole: int) -> int:
    """The standard's hash with Python's own whole numbers."""
    mask = 0xFFFFFFFF

    def turn(v: int, by: int) -> int:
        return ((v << by) | (v >> (32 - by))) & mask

    start = 0xDEADBEEF + (len(whole) << 2) + 13
    a, b, c = ((value + start) & mask for value in (*whole, 0)[:3])
    if len(whole) == 2:
        c = start & mask
    c = ((c ^ b) - turn(b, 14)) & mask
    a = ((a ^ c) - turn(c, 11)) & mask
    b = ((b ^ a) - turn(a, 25)) & mask
    c = ((c ^ b) - turn(b, 16)) & mask
    a = ((a ^ c) - turn(c, 4)) & mask
    b = ((b ^ a) - turn(a, 14)) & mask
    return ((c ^ b) - turn(b, 24)) & mask
