"""What lights of every kind give, by the budget and by rendering, against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

import made_lights
import small
from durvan.dialects.look import Fog, Lists, Lobe, Surface, View, record
from durvan.engine import budget
from durvan.engine.build import build
from durvan.engine.lamps import Placed
from durvan.optics.lobes import layout
from durvan.optics.profile import Globe
from durvan.scene.probe import Probe
from durvan.scene.shapes import Mesh
from made_lights import budgeted, rendered

pytestmark = pytest.mark.usefixtures("kernels")
DOWN = np.array(
    [[1.0, 0.0, 0.0, 0.0], [0.0, 0.0, -1.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 2.0, 0.0, 1.0]]
)  # two metres up
GREY = small.matt(made_lights.ALBEDO)


def lux(
    shape: str, radiance=1.0, size=(0.0, 0.0), at=DOWN, meshes=(), pixels=lambda _: None, looks=None, **more
) -> tuple[float, float]:
    """What a light gives on the small floor, by the budget and by rendering it."""
    lamp = small.lamp(shape, radiance, size, at, **more)
    lamp.path = "/light"
    built = build([made_lights.floor(), *meshes], looks or [GREY], [lamp], pixels)
    weights = np.array([0.2126, 0.7152, 0.0722])
    return float(budgeted(built) @ weights), float(rendered(built) @ weights)


def both(found: tuple[float, float], meant: float, rel: float = 0.01) -> None:
    assert found == (pytest.approx(meant, rel=rel, abs=1e-9), pytest.approx(meant, rel=rel, abs=1e-9))


@pytest.mark.parametrize("focus", [0.0, 1.0, 6.0])
def test_a_small_panel_is_its_intensity_over_the_square(focus) -> None:
    both(lux("rect", 1000.0, (0.05, 0.05), focus=focus), 1000.0 * 0.0025 / 4.0)


def test_a_disk_above_its_axis() -> None:
    """E = π L sin² of the half angle (Foote 1915)."""
    r = 0.8
    both(lux("disk", 100.0, (r, 0.0)), math.pi * 100.0 * r * r / (r * r + 4.0))


def test_a_tube_above_its_middle() -> None:
    """A thin tube of length l at height h across: E = (d L / h) ∫ cos² over its angles."""
    r, length, h = 0.005, 2.0, 2.0
    a = math.atan(length / 2.0 / h)
    meant = 2.0 * r * 100.0 / h * (a + math.sin(a) * math.cos(a))
    both(lux("cylinder", 100.0, (r, length)), meant, 0.015)


def test_decays_start_where_they_say() -> None:
    for distance, decay, start, meant in (
        (2.0, 1, 1.0, 50.0),
        (2.0, 0, 1.0, 100.0),
        (2.0, 1, 0.5, 100.0),
        (2.0, 0, 4.0, 6.25),
        (2.0, 1, 4.0, 6.25),
    ):
        del distance
        both(lux("point", 100.0, decay=decay, start=start), meant)


def test_a_reach_ends_at_once() -> None:
    both(lux("point", 100.0, reach=2.1), 25.0)
    both(lux("point", 100.0, reach=1.9), 0.0)


def test_a_profile_shapes_by_direction() -> None:
    gamma = np.linspace(0.0, 180.0, 181)
    cosine, sine = np.maximum(np.cos(np.radians(gamma)), 0.0), np.sin(np.radians(gamma)) ** 2
    table = np.array([cosine * (1.0 + k * sine) for k in (0.0, 1.0, 0.0, 1.0, 0.0)])
    globe = Globe(gamma, np.array([0.0, 90.0, 180.0, 270.0, 360.0]), table)
    both(lux("point", 100.0, profile_of=globe), 25.0 * float(globe.at(0.0, 0.0)))
    slanted = small.towards(1.0, 1.0, 0.0, 2.0)
    slanted[:3, :3] = DOWN[:3, :3]
    meant = 25.0 * math.cos(math.radians(45.0)) * float(globe(*np.linalg.solve(DOWN[:3, :3].T, -slanted[3, :3])))
    both(lux("point", 100.0, at=slanted, profile_of=globe), meant)
    both(lux("sphere", 100.0 / (math.pi * 0.01), (0.1, 0.0), profile_of=globe), 25.0 * float(globe.at(0.0, 0.0)), 0.02)


def test_a_lamp_that_is_tilted_gives_what_its_profile_says() -> None:
    """The factor for the angle from straight down, about whichever axis; none for a lamp that points down."""
    tilt = ((0.0, 1.0), (60.0, 0.7), (180.0, 0.4))
    even = Globe(np.array([0.0, 180.0]), np.array([0.0, 360.0]), np.ones((2, 2)), tilt)
    for degrees, factor in ((0.0, 1.0), (30.0, 0.85), (60.0, 0.7), (120.0, 0.55)):
        a = math.radians(degrees)
        for turn in (
            [[1, 0, 0], [0, math.cos(a), math.sin(a)], [0, -math.sin(a), math.cos(a)]],
            [[math.cos(a), math.sin(a), 0], [-math.sin(a), math.cos(a), 0], [0, 0, 1]],
        ):
            at = np.eye(4)
            at[:3, :3] = DOWN[:3, :3] @ np.array(turn)
            at[3, :3] = DOWN[3, :3]
            both(lux("point", 100.0, at=at, profile_of=even), 25.0 * factor)


def test_a_picture_on_a_panel_stands_upright() -> None:
    """Left is at +X and the top at +Y to who looks at it; the mean counts far away."""
    picture = np.zeros((2, 2, 4), dtype=np.float32)
    picture[0, 0] = (4.0, 0.0, 0.0, 1.0)  # the top left is red
    from durvan.graph.expression import Lookup

    lamp = small.lamp("rect", 100.0, (4.0, 4.0), DOWN, picture=Lookup("p", 1.0))
    for x, z, bright in ((1.0, -1.0, False), (1.0, 1.0, False), (-1.0, 1.0, False), (-1.0, -1.0, False)):
        del bright
        built = build([], [GREY], [lamp], lambda _: picture)
        found = budget.measure(built, [Probe("", (x, 1.9, z))], effort=8.0)[0, 0]
        # seen from below, +X is to the right of the light's own axes, +Y of the light is −Z of the world
        assert (found[0] > 100.0) == (x > 0.0 and z < 0.0), (x, z, found)
        assert found[1] == found[2] == 0.0
    far = DOWN.copy()
    far[3, 1] = 60.0
    both(
        lux("rect", 100.0, (1.0, 1.0), far, pixels=lambda _: picture, picture=Lookup("p", 1.0)),
        0.2126 * 100.0 * 1.0 / 3600.0,
        0.02,
    )


def test_lists_say_who_is_lit_and_who_throws_shadows() -> None:
    plate = Mesh(
        "/set/plate",
        np.array([[-1.0, 1.0, 1.0], [1.0, 1.0, 1.0], [1.0, 1.0, -1.0], [-1.0, 1.0, -1.0]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        None,
        None,
        np.zeros(2, np.int32),
    )
    for lists, meant in (
        (Lists(), 0.0),
        (Lists(not_bars=("/set",)), 25.0),
        (Lists(bars=("/other",)), 25.0),
        (Lists(bars=("/set/plate",)), 0.0),
        (Lists(lit=("/set",), not_bars=("/set",)), 0.0),
        (Lists(lit=("/floor",), not_bars=("/set",)), 25.0),
        (Lists(not_lit=("/floor",), not_bars=("/set",)), 0.0),
        (Lists(not_lit=("/flo",), not_bars=("/set",)), 25.0),
    ):
        both(lux("point", 100.0, meshes=[plate], lists=lists), meant)
    both(lux("rect", 1000.0, (0.05, 0.05), meshes=[plate], lists=Lists(not_bars=("/set",))), 1000.0 * 0.0025 / 4.0)
    both(lux("point", 100.0, meshes=[plate], shadows=False), 25.0)


def ball(radius: float, y: float, path: str = "/light") -> Mesh:
    v, u = np.meshgrid(np.linspace(0.0, math.pi, 25), np.linspace(0.0, 2.0 * math.pi, 49), indexing="ij")
    points = np.stack(
        [radius * np.sin(v) * np.cos(u), y + radius * np.cos(v), radius * np.sin(v) * np.sin(u)], -1
    ).reshape(-1, 3)
    points += np.array([0.004, 0.0, 0.003])  # so that no ray meets a pole, where a dozen corners come together
    n = np.arange(25 * 49).reshape(25, 49)
    a, b, c, d = n[:-1, :-1], n[:-1, 1:], n[1:, 1:], n[1:, :-1]
    t = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]).astype(
        np.int32
    )
    area = np.linalg.norm(np.cross(points[t[:, 1]] - points[t[:, 0]], points[t[:, 2]] - points[t[:, 0]]), axis=1)
    t = t[area > 1e-12]
    return Mesh(path, points, t, None, None, np.zeros(len(t), np.int32))


def test_a_mesh_that_is_a_light_shines_outwards() -> None:
    """A ball as a mesh is the ball: π r² L over the square of the distance; as a total of so many nit square metres, the same."""
    area = 4.0 * math.pi * 0.2**2
    meant = math.pi * 0.2**2 * 100.0 / 4.0
    both(lux("mesh", 100.0, meshes=[ball(0.2, 2.0)]), meant, 0.02)
    both(lux("mesh", 100.0 * area, meshes=[ball(0.2, 2.0)], total=True), meant, 0.02)
    inside_out = ball(0.2, 2.0)
    inside_out.triangles = np.ascontiguousarray(inside_out.triangles[:, ::-1])
    assert max(lux("mesh", 100.0, meshes=[inside_out])) < 1e-3
    built = build(
        [made_lights.floor()],
        [GREY],
        [Placed("lost", small.lamp("mesh", 1.0).lamp, np.eye(4), path="/nowhere")],
        lambda _: None,
    )
    assert "no mesh" in " ".join(built.notes)


@pytest.mark.parametrize(
    ("opacity", "ways", "share"),
    [
        (1.0, {}, 1.0), (0.25, {}, 0.25 + 0.75 * 0.25), (0.001, {"glow_whole": True}, 1.999), (0.0, {"glow_whole": True}, 2.0),
        (0.5, {"glow_whole": True}, 1.5), (0.0, {"glow_whole": True, "glow_front": True}, 1.0), (0.25, {"glow_front": True}, 0.25),
    ],
)  # fmt: skip
def test_a_glow_that_is_cut_out_lights_as_its_dialect_says(opacity, ways, share) -> None:
    glowing = small.matt(0.0, glow=100.0, opacity=opacity, **ways)
    mesh = ball(0.2, 2.0, "/flame")
    mesh.material[:] = 1
    built = build([made_lights.floor(), mesh], [GREY, glowing], [], lambda _: None)
    meant = share * math.pi * 0.2**2 * 100.0 / 4.0  # of the near side, and of the far one through it
    assert float(rendered(built, 4096).mean()) == pytest.approx(meant, rel=0.03)


@pytest.mark.parametrize(
    ("ways", "seen"),
    [
        ({}, 0.25 + 0.75 * 0.25), ({"glow_front": True}, 0.25), ({"glow_whole": True}, 0.25 + 0.75 * 0.25),
        ({"glow_whole": True, "glow_bare": True}, 1.0 + 0.75), ({"glow_whole": True, "glow_bare": True, "glow_front": True}, 1.0),
    ],
)  # fmt: skip
def test_the_camera_sees_of_a_glow_what_its_dialect_says(ways, seen) -> None:
    mesh = ball(0.5, 0.0, "/flame")
    built = build([mesh], [small.matt(0.0, glow=40.0, opacity=0.25, **ways)], [], lambda _: None)
    middle = small.render(built, 2048, (8, 8), View(8.0, 50.0), small.EYE).picture[3:5, 3:5]
    assert middle.mean() == pytest.approx(40.0 * seen, rel=0.02)


def test_what_the_camera_does_not_see_still_lights() -> None:
    for seen, meant in ((True, 50.0), (False, 0.0)):
        lamp = small.lamp("sphere", 50.0, (0.5, 0.0), np.eye(4), seen=seen)
        built = build([], [GREY], [lamp], lambda _: None)
        middle = small.render(built, 64, (8, 8), View(8.0, 50.0), small.EYE).picture[3:5, 3:5]
        assert middle == pytest.approx(meant)
        assert float(budget.measure(built, [Probe("", (0.0, -1.0, 0.0))])[0, 0, 1]) == pytest.approx(
            50.0 * math.pi * 0.25, rel=0.01
        )


def test_fog_that_takes_nothing_away_changes_nothing_in_even_light() -> None:
    """The furnace: whatever scatters, an even world stays as bright as it is."""
    dome = small.lamp("dome", 3.0, at=np.eye(4))
    built = build(
        [ball(0.5, 0.0, "/ball")], [small.matt(1.0)], [dome], lambda _: None, fog=Fog(1.5, (1.0, 1.0, 1.0), 0.4)
    )
    found = small.render(built, 512, (8, 8), bounces=60).picture
    assert found.mean() == pytest.approx(3.0, rel=0.02)


def test_fog_weakens_by_its_density() -> None:
    """A wall of light through fog that scatters nothing: e to the minus density times the way in it."""
    wall = Mesh(
        "/wall",
        np.array([[-4.0, -4.0, 0.0], [4.0, -4.0, 0.0], [4.0, 4.0, 0.0], [-4.0, 4.0, 0.0]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        None,
        None,
        np.zeros(2, np.int32),
    )
    glowing = small.matt(0.0, glow=10.0)
    radius = 0.5 * math.sqrt(64.0 + 64.0) * 1.05 + 0.1
    eye = np.eye(4)
    eye[3, 2] = 30.0
    built = build([wall], [glowing], [], lambda _: None, fog=Fog(0.2, (0.0, 0.0, 0.0)))
    middle = small.render(built, 4096, (2, 2), View(0.1, 50.0), eye).picture.mean()
    assert middle == pytest.approx(10.0 * math.exp(-0.2 * radius), rel=0.03)
    lamp = small.lamp("point", 100.0, at=DOWN)
    lit = build([wall], [small.matt(0.5)], [lamp], lambda _: None, fog=Fog(0.2, (0.0, 0.0, 0.0)))
    found = budget.measure(lit, [Probe("", (0.0, 0.0, 0.5))])[0, 0, 1]
    distance = math.sqrt(4.0 + 0.25)
    assert found == pytest.approx(100.0 * 2.0 / distance**3 * math.exp(-0.2 * distance), rel=0.01)


def test_forward_scattering_is_normalised() -> None:
    for g in (-0.6, 0.0, 0.8):
        dome = small.lamp("dome", 1.0, at=np.eye(4))
        built = build(
            [ball(0.5, 0.0, "/ball")], [small.matt(1.0)], [dome], lambda _: None, fog=Fog(0.7, (1.0, 1.0, 1.0), g)
        )
        assert small.render(built, 256, (6, 6), bounces=60).picture.mean() == pytest.approx(1.0, rel=0.03)


def test_clear_things_let_a_probe_see_the_light() -> None:
    """Past a thin wall of index 1.5, what two faces with all their bounces leave; past a solid body, what two faces leave."""
    pane = Mesh(
        "/pane",
        np.array([[-2.0, 1.0, 2.0], [2.0, 1.0, 2.0], [2.0, 1.0, -2.0], [-2.0, 1.0, -2.0]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        None,
        None,
        np.ones(2, np.int32),
    )
    glass = record(Surface([Lobe(layout.STRAIGHT, 1.0, 0.0, fresnel=layout.WALL, first=1.5)]))
    built = build([made_lights.floor(), pane], [GREY, glass], [small.lamp("point", 100.0, at=DOWN)], lambda _: None)
    r = 0.04
    assert budgeted(built)[1] == pytest.approx(25.0 * (1.0 - 2.0 * r / (1.0 + r)), rel=1e-3)
    straight, there = built, build([made_lights.floor()], [GREY], [small.lamp("point", 100.0, at=DOWN)], lambda _: None)
    assert rendered(straight)[1] == pytest.approx(rendered(there)[1] * (1.0 - 2.0 * r / (1.0 + r)), rel=0.003)
    body = ball(0.3, 1.0, "/body")
    body.material[:] = 1
    solid = record(Surface([Lobe(layout.REFRACT, 1.0, 0.0, fresnel=layout.DIELECTRIC, first=1.5)], murk=2.0))
    built = build([made_lights.floor(), body], [GREY, solid], [small.lamp("point", 100.0, at=DOWN)], lambda _: None)
    assert budgeted(built)[1] == pytest.approx(25.0 * (1.0 - r) ** 2 * math.exp(-2.0 * 0.6), rel=0.02)


@pytest.mark.parametrize("shape", ["disk", "sphere", "rect", "cylinder", "glow"])
def test_looks_at_lights_with_a_size_pass_a_pane_as_paths_do(shape) -> None:
    """What is tinted to a half lets half through, all of it within the first bounce, and hardly less evenly than without it."""
    pane = Mesh(
        "/pane", np.array([[-3.0, 1.0, 3.0], [3.0, 1.0, 3.0], [3.0, 1.0, -3.0], [-3.0, 1.0, -3.0]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32), None, None, np.ones(2, np.int32),
    )  # fmt: skip
    tinted = record(Surface([Lobe(layout.STRAIGHT, 0.5, 0.0, fresnel=layout.SCHLICK, first=0.0, second=0.0)]))
    flame = ball(0.3, 2.0, "/flame")
    flame.material[:] = 2
    meshes, looks = [flame] if shape == "glow" else [], [GREY, tinted, small.matt(0.0, glow=50.0)]
    lamps = [] if shape == "glow" else [small.lamp(shape, 50.0, (0.3, 0.4), DOWN)]
    found, errors = [], []
    for panes in ([], [pane]):
        built = build([made_lights.floor(), *meshes, *panes], looks, lamps, lambda _: None)
        found.append(rendered(built)[1])
        errors.append(abs(rendered(built, 128)[1] / found[-1] - 1.0))
    assert found[1] == pytest.approx(0.5 * found[0], rel=0.01)
    assert max(errors) < 0.05


def test_from_all_sides_and_from_inside() -> None:
    """A probe without a normal takes a quarter of the light through a ball; inside a solid it sees backs all around."""
    built = build([ball(0.5, 5.0, "/ball")], [GREY], [small.lamp("point", 100.0, at=DOWN)], lambda _: None)
    assert budget.measure(built, [Probe("", (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))])[0, 0, 1] == pytest.approx(
        100.0 / 4.0 / 4.0
    )
    ways = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]])
    assert (budget.distances(built, [(0.0, 5.0, 0.0)], ways) < 0.0).all()
    outside = budget.distances(built, [(0.0, 0.0, 0.0)], ways)[0]
    assert outside[2] == pytest.approx(4.5, abs=0.01) and (np.delete(outside, 2) == 0.0).all()


def test_nothing_is_asked_of_nothing() -> None:
    empty = build([made_lights.floor()], [GREY], [], lambda _: None)
    assert budget.measure(empty, [Probe("", (0.0, 0.0, 0.0))]).shape == (1, 0, 3)
    stopped = build([made_lights.floor()], [GREY], [small.lamp("point", 1.0, at=DOWN)], lambda _: None)
    assert budget.measure(stopped, [Probe("", (0.0, 0.0, 0.0))], stop=lambda: True).sum() == 0.0


def test_of_many_lights_those_that_lead_are_looked_at_as_closely_as_alone(monkeypatch) -> None:
    """Two hundred far off panels, and three near ones: what is near is as exact as ever, what is far is right on the whole."""
    panels = []
    for number in range(203):
        near = number < 3
        at = DOWN.copy()
        at[3, :3] = (
            [0.4 * number, 1.0, 0.0] if near else [30.0 * math.cos(number), 12.0 + number % 7, 30.0 * math.sin(number)]
        )
        one = small.lamp("rect", 100.0, (0.3, 0.2), at)
        one.path = f"/light{number}"
        panels.append(one)
    built = build([made_lights.floor()], [GREY], panels, lambda _: None)
    probes = [Probe(f"p{n}", (0.2 * n, 0.0, 0.1), (0.0, 1.0, 0.0)) for n in range(8)]
    quick = budget.measure(built, probes)
    monkeypatch.setattr(budget, "_ENOUGH", 10**9)
    whole = budget.measure(built, probes)
    leading = (whole.sum(axis=2) / whole.sum(axis=(1, 2))[:, None]).max(axis=0) > 0.06
    assert leading[:3].all() and np.array_equal(quick[:, leading], whole[:, leading])
    assert whole[:, 3:].sum() > 0.0 and not np.array_equal(quick, whole)
    assert quick.sum(axis=(1, 2)) == pytest.approx(whole.sum(axis=(1, 2)), rel=0.005)
