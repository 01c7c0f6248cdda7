"""What a target cannot say is baked: what is painted, how large, what it costs, and what is said where it cannot be."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.bakery import Bakery
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.parts import Flow, Part
from durvan.crossing.translation.result import in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.engine import brushes, canvas, costs, painting, staging
from durvan.errors import RenderingError
from durvan.formats import pictures
from durvan.graph import expression as ex
from durvan.optics.tone import srgb
from durvan.scene.baking import Bake
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Scene, Thing
from durvan.scene.shapes import Mesh, charts
from making import NOISY, material, write

pytestmark = pytest.mark.usefixtures("kernels")
FLAT = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))


@pytest.fixture(autouse=True)
def _kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DURVAN_SWATCHES", str(tmp_path / "kept"))


def chequered(**finish):
    nodes = {
        "surface": ("orvik.finish", finish, {"base_tint": ("c", "colour")}),
        "c": ("orvik.chequer", {"first": (0.7, 0.3, 0.2), "second": (0.1, 0.2, 0.3), "repeats": (6.0, 4.0)}, {}),
    }
    return material("orvik", nodes)


def carried(packs: Registry, thing: Thing, target: str, baking: Making):
    return translate(thing, packs.packs[thing.dialect], packs.packs[target], 0.01, making=baking)


def seen(packs: Registry, thing: Thing) -> Appearance:
    return Appearance(Scene("none.usda", thing.dialect, 0.01, things={thing.id: thing}), packs)


@pytest.mark.parametrize("target", ["pellune", "preview"])
def test_a_chequer_becomes_a_picture_and_looks_the_same(packs: Registry, target: str) -> None:
    thing = chequered()
    done = carried(packs, thing, target, Making(body=FLAT))
    (bake,) = done.bakes
    assert (bake.name, bake.size, bake.space, bake.by_place) == (
        "Paint_base_color_srgb.png",
        256,
        "srgb_texture",
        False,
    )
    image = next(node for node in done.graph.nodes.values() if node.values.get("file") == bake.path)
    assert image.kind in ("pellune.image", "preview.texture")
    rows = {row.parameter: row for row in done.rows if row.node == "c"}
    assert all(row.fate is Fate.BAKED and "256 × 256 pixels" in row.reason for row in rows.values())
    assert all((image.id, "file") in row.targets for row in rows.values())
    found = seen(packs, thing).drift(thing, done)
    assert found is not None and not found.caveats and found.mean < 1.6
    assert (
        costs.cost_of(bake, costs.sources_of(Scene("", "orvik"))).mean < 1.5
    )  # small enough to be the very picture that a swatch shows


def test_what_is_not_to_be_baked_is_not(packs: Registry) -> None:
    done = carried(packs, chequered(), "pellune", Making("never", body=FLAT))
    assert not done.bakes and max(row.fate for row in done.rows if row.node == "c") >= Fate.LOST


def test_without_uvs_it_is_said_and_not_baked(packs: Registry) -> None:
    done = carried(packs, chequered(), "pellune", Making(body=Body(1, 1.0, 0.5, 0.1)))
    row = next(row for row in done.rows if row.parameter == "base_tint")
    assert not done.bakes and row.fate is Fate.HELD and "no UVs" in row.reason


def noisy():
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("mix", "colour")}),
        "mix": (
            "orvik.blend",
            {"ground": (0.2, 0.1, 0.1), "share_1": 1.0, "mode_1": "add"},
            {"map_1": ("n", "colour")},
        ),
        "n": ("orvik.noise", {"low": (0.1, 0.2, 0.3), "high": (0.5, 0.4, 0.3), "size": 5.0}, {}),
    }
    return material("orvik", nodes)


def test_what_depends_on_places_waits_for_the_shapes_and_wants_them_unwrapped(packs: Registry) -> None:
    waits = carried(packs, noisy(), "pellune", Making())
    assert not waits.bakes and any(row.why.topic == "bake:shapes" for row in waits.rows)
    folded = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 2.0, 0.5, (1001,))
    over = carried(packs, noisy(), "pellune", Making(body=folded))
    assert not over.bakes and any("50 % of the UVs" in row.reason for row in over.rows)
    done = carried(packs, noisy(), "pellune", Making(body=FLAT))
    assert [bake.by_place for bake in done.bakes] == [True]
    found = seen(packs, noisy()).drift(noisy(), done)
    assert found is not None and found.mean < 0.6  # a swatch shows what was baked, not the scene's places


def test_what_depends_on_the_view_is_separated_and_said(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("mix", "colour")}),
        "mix": ("orvik.blend", {"share_1": 0.5}, {"ground": ("c", "colour"), "map_1": ("f", "colour")}),
        "c": ("orvik.chequer", {}, {}), "f": ("orvik.facing", {"front": (0.5, 0.1, 0.1), "edge": (0.9, 0.9, 0.9)}, {}),
    }  # fmt: skip
    done = carried(packs, material("orvik", nodes), "pellune", Making(body=FLAT))
    assert len(done.bakes) == 1
    assert not any(node.kind == "facingratio" for node in done.bakes[0].graph.nodes.values())
    row = next(row for row in done.rows if (row.node, row.parameter) == ("f", "edge"))
    assert row.fate is Fate.FITTED and "depends on the view" in row.reason


def test_only_the_view_is_not_baked(packs: Registry) -> None:
    nodes = {"surface": ("orvik.finish", {}, {"base_tint": ("f", "colour")}), "f": ("orvik.facing", {}, {})}
    done = carried(packs, material("orvik", nodes), "pellune", Making(body=FLAT))
    assert not done.bakes
    assert any("only depends on the view or on what stands about" in row.reason for row in done.rows)


def test_placement_stays_outside_and_tiling_with_it(packs: Registry, tmp_path: Path) -> None:
    pictures.save(tmp_path / "a.png", np.random.default_rng(1).random((32, 32, 3)).astype(np.float32))
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("k", "colour")}),
        "k": ("orvik.correct", {"saturation": 0.4}, {"input": ("p", "colour")}),
        "p": ("orvik.picture", {"file": str(tmp_path / "a.png"), "repeats": (3.0, 2.0)}, {}),
    }
    thing = material("orvik", nodes)
    done = carried(packs, thing, "pellune", Making(body=FLAT, pictures=((str(tmp_path / "a.png"), 32, 32, "uint8"),)))
    (bake,) = done.bakes
    assert bake.size == 64  # as many as it reads, but never fewer than are worth a file
    image = next(node for node in done.graph.nodes.values() if node.kind == "pellune.image")
    assert image.values["row_u"] == pytest.approx((3.0, 0.0, 0.0))
    found = seen(packs, thing).drift(thing, done)
    assert found is not None and found.mean < 1.0


def test_equal_parts_are_painted_once(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("a", "colour"), "glow_tint": ("b", "colour")}),
        "a": ("orvik.chequer", {}, {}), "b": ("orvik.chequer", {}, {}),
    }  # fmt: skip
    done = carried(packs, material("orvik", nodes), "pellune", Making(body=FLAT))
    assert len(done.bakes) == 1


def test_data_and_heights_keep_their_space(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {"polish_curve": "trowbridge"}, {"polish": ("c", "grey"), "relief": ("r", "relief")}),
        "c": ("orvik.chequer", {}, {}), "r": ("orvik.bump", {"depth": 0.2}, {"map": ("h", "grey")}),
        "h": ("orvik.chequer", {"repeats": (3.0, 3.0)}, {}),
    }  # fmt: skip
    done = carried(packs, material("orvik", nodes), "pellune", Making(body=FLAT))
    names = sorted(bake.name for bake in done.bakes)
    assert names == ["Paint_height_raw.exr", "Paint_specular_roughness_raw.exr"]
    roles = {node.values.get("role") for node in done.graph.nodes.values() if node.kind == "pellune.image"}
    assert roles == {"data"}


def ground_of(packs: Registry):
    ground = packs.ground
    assert ground is not None
    return ground


def bake_of(nodes: list[Node], link: Link, **more) -> Bake:
    said = {"key": "k" * 32, "name": "x_raw.exr", "size": 64, **more}
    return Bake(graph=Graph({node.id: node for node in nodes}, {"": link}), link=link, **said)


NOISE = [
    Node("n", "fractal3d", {"octaves": 2}, {"position": Link("s")}), Node("s", "multiply", {"in2": 20.0}, {"in1": Link("w")}),
    Node("w", "position"),
]  # fmt: skip


def sheet(half: float = 0.5) -> Mesh:
    uv = np.array([[0.25, 0.25], [0.75, 0.25], [0.75, 0.75], [0.25, 0.75]])
    t = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    p = np.array([[-half, 0.0, half], [half, 0.0, half], [half, 0.0, -half], [-half, 0.0, -half]])
    return Mesh("/sheet", p, t, None, uv[t], np.zeros(2, np.int32))


def test_charts_know_where_each_pixel_is() -> None:
    place, mask = charts([(sheet(), np.ones(2, bool))], 64)
    assert mask[32, 32] and not mask[2, 2] and 1024 <= mask.sum() <= 1200
    row, column = np.nonzero(mask)
    inner = (abs(row - 31.5) < 15) & (abs(column - 31.5) < 15)
    meant = ((column[inner] + 0.5) / 64 - 0.5) * 2.0
    assert place[row[inner], column[inner], 0] == pytest.approx(meant, abs=1e-9)


def test_what_is_painted_is_what_the_network_says_there(packs: Registry) -> None:
    bake = bake_of(NOISE, Link("n"), by_place=True)
    what = brushes.field_of(bake, ground_of(packs), staging.facts_of(Scene("", "orvik")))
    place, mask = charts([(sheet(), np.ones(2, bool))], 64)
    got = canvas.paint(what, 64, lambda _: None, places=place)
    flat = place[mask]
    points = {name: np.zeros(len(flat)) for name in ex.POINT} | {"x": flat[:, 0], "y": flat[:, 1], "z": flat[:, 2]}
    assert got[mask] == pytest.approx(ex.evaluate([what], points, lambda _: None)[0], abs=1e-5)


def test_charts_go_on_past_their_edges() -> None:
    mask = np.zeros((64, 64), bool)
    mask[20:40, 20:40] = True
    picture = np.where(mask[..., None], np.float32(0.8), np.float32(0.0)).repeat(3, axis=2)
    out = canvas.padded(picture, mask)
    assert out[30, 19] == pytest.approx([0.8] * 3) and out[30, 20 - canvas.PADDING] == pytest.approx([0.8] * 3)
    assert out[0, 0] == pytest.approx([0.8] * 3, abs=1e-6)  # the rest has the mean


def test_colour_spaces_stand_in_the_header(tmp_path: Path) -> None:
    grey = np.full((8, 8, 3), 0.18, np.float32)
    bake = bake_of([], Link("n"), space="srgb_texture")
    painting.save(tmp_path / "a.png", grey, bake)
    painting.save(tmp_path / "a.exr", grey, bake)
    painting.save(tmp_path / "d.png", grey, bake_of([], Link("n")))
    for name, space, value in (
        ("a.png", "sRGB", float(srgb(np.array([0.18]))[0])),
        ("a.exr", "lin_rec709", 0.18),
        ("d.png", "raw", 0.18),
    ):
        buffer = oiio.ImageBuf(str(tmp_path / name))
        header = buffer.spec().get_string_attribute("oiio:ColorSpace") + buffer.spec().get_string_attribute(
            "ColorSpace"
        )
        assert space.lower() in header.lower()
        assert buffer.get_pixels(oiio.FLOAT)[4, 4, 0] == pytest.approx(value, abs=0.003)


def test_a_carried_file_has_its_pictures_beside_it_and_looks_as_planned(packs: Registry, tmp_path: Path) -> None:
    from durvan.crossing.job.session import start

    session = start(write(tmp_path, NOISY), packs, "pellune")
    session.carry(tmp_path / "out.usda")
    (made,) = (tmp_path / "out_maps").iterdir()
    assert made.name == "Paint_base_color_srgb.exr" or made.name == "Paint_base_color_srgb.png"
    again = start(tmp_path / "out.usda", packs, "orvik", "pellune")
    thing = again.scene.things["/W/Paint"]
    look = staging.look_of(thing, packs.packs["pellune"], staging.facts_of(again.scene, packs))
    assert any(Path(lookup.file).name == made.name for lookup in staging.lookups(look))
    # the picture holds what the network says at the places of the mesh
    facts = staging.facts_of(session.scene, packs)
    (bake,) = session.plan.translations["/W/Paint"].bakes
    what = brushes.field_of(bake, ground_of(packs), facts)
    x = 0.2
    u, v = 0.1 + 0.8 * (x + 0.5), 0.5
    point = {name: np.zeros(1) for name in ex.POINT} | {"x": np.array([x])}
    meant = ex.evaluate([what], point, staging.pixels)[0][0]
    values = pictures.pixels(str(made), "srgb" if made.suffix == ".png" else 1.0)
    found = ex.look_up(values, np.array([u]), np.array([v]), ex.Lookup(""))[0, :3]
    assert found == pytest.approx(meant, abs=0.02)
    row = next(row for row in session.plan.ledger if row.node == "noise" and row.parameter == "high")
    assert row.fate is Fate.BAKED and row.target_values[0][0] == bake.path


def test_what_was_painted_is_kept_and_painted_anew_where_a_picture_changed(packs: Registry, tmp_path: Path) -> None:
    file = tmp_path / "a.png"
    pictures.save(file, np.full((8, 8, 3), 0.5, np.float32))
    nodes = [Node("i", "image", {"file": str(file), "colorspace": "raw"})]
    bake = bake_of(nodes, Link("i"), size=16)
    facts, worn = staging.facts_of(Scene("", "orvik")), canvas.Worn(Scene("", "orvik"), None)

    def value() -> float:
        path = painting.painted(bake, ground_of(packs), facts, staging.pixels, worn)
        return float(pictures.pixels(path, 1.0)[8, 8, 0])

    assert value() == pytest.approx(0.5, abs=0.005)
    sources = costs.Sources(facts.find, facts.metres_per_unit)

    def note() -> Path:
        return costs.folder(bake, costs.declared(bake, sources)) / "made.json"

    first = note()
    before = first.stat().st_mtime_ns
    assert value() == pytest.approx(0.5, abs=0.005) and note() == first and first.stat().st_mtime_ns == before
    pictures.save(file, np.full((9, 9, 3), 0.25, np.float32))
    assert costs.cost_of(bake, sources) is None
    assert value() == pytest.approx(0.25, abs=0.005)
    assert note() != first and json.loads(note().read_text())["cost"][0] < 0.01
    assert float(pictures.pixels(str(first.parent / bake.name), 1.0)[8, 8, 0]) == pytest.approx(0.5, abs=0.005)


def test_the_same_words_in_two_folders_are_two_pictures(packs: Registry, tmp_path: Path) -> None:
    """Two scenes name "./a.png" in the same network; neither takes the other's picture, whichever comes first."""
    bake = bake_of([Node("i", "image", {"file": "./a.png", "colorspace": "raw"})], Link("i"), size=16)
    found = {}
    for number, value in enumerate((0.2, 0.8)):
        folder = tmp_path / str(number)
        folder.mkdir()
        pictures.save(folder / "a.png", np.full((8, 8, 3), value, np.float32))
        facts = replace(staging.facts_of(Scene("", "orvik")), find=lambda path, at=folder: str(at / path))
        path = painting.painted(bake, ground_of(packs), facts, staging.pixels, canvas.Worn(Scene("", "orvik"), None))
        found[path] = value
    assert len(found) == 2
    for path, value in found.items():
        assert float(pictures.pixels(path, 1.0)[8, 8, 0]) == pytest.approx(value, abs=0.005)


def test_shapes_that_moved_have_another_picture(packs: Registry, tmp_path: Path) -> None:
    """Baked noise of two scenes that say the same of the material and not of its shapes, and of one that changed under way."""
    from durvan.crossing.job.session import start

    made = {}
    for name, text in (
        ("one", NOISY),
        ("two", NOISY.replace("(0.5, 0, 0.5), (0.5, 0, -0.5)", "(0.7, 0, 0.5), (0.7, 0, -0.5)")),
    ):
        (tmp_path / name).mkdir()
        session = start(write(tmp_path / name, text), packs, "pellune")
        session.carry(tmp_path / name / "out.usda")
        (file,) = (tmp_path / name / "out_maps").iterdir()
        made[name] = file.read_bytes()
    assert made["one"] != made["two"]
    (bake,) = session.plan.translations["/W/Paint"].bakes
    write(tmp_path / "two", NOISY.replace("(0.5, 0, 0.5), (0.5, 0, -0.5)", "(0.9, 0, 0.5), (0.9, 0, -0.5)"))
    fresh = replace(bake, key="f" * 32)
    with pytest.raises(RenderingError, match="other shapes"):
        staging.facts_of(session.scene, packs).paint(fresh)


def test_what_is_not_declared_cannot_be_read(packs: Registry, tmp_path: Path) -> None:
    """A brush that reads a picture, or shapes, that the bake is not known by is refused: nothing is kept under a name that says less."""
    pictures.save(tmp_path / "a.png", np.full((8, 8, 3), 0.5, np.float32))
    image = Node("i", "image", {"file": str(tmp_path / "a.png"), "colorspace": "raw"})
    facts = staging.facts_of(Scene("", "orvik"))
    seen = canvas.Worn(Scene("", "orvik"), lambda: None)
    for bake, what in (
        (bake_of([image], Link("i"), size=16), "a.png"),
        (bake_of(NOISE, Link("n"), size=16, thing="/W/Paint", by_place=True), "shapes"),
    ):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(costs, "declared", lambda *_: costs.Declared((), ()))
            patched.setattr(painting, "declared", lambda *_: costs.Declared((), ("none",)))
            asked = replace(bake, by_place=False)
            brush = painting.brush_for
            patched.setattr(painting, "brush_for", lambda _, *rest, own=bake, made=brush: made(own, *rest))
            with pytest.raises(RenderingError, match=rf"{what}.* by which it is not known"):
                painting.painted(asked, ground_of(packs), facts, staging.pixels, seen)


def test_resolution_follows_the_finest_detail() -> None:
    def size(octaves: int, metres: float) -> int:
        nodes = [Node("n", "fractal3d", {"octaves": octaves}, {"position": Link("s")}), *NOISE[1:]]
        graph = Graph({node.id: node for node in nodes})
        body = Body(1, metres**2, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))
        return Bakery("/t", "t", Inward(graph), Making(body=body))._size(Part(Flow(graph), "n"), None)

    assert size(1, 1.0) == 64 and size(3, 1.0) == 256 and size(3, 4.0) == 1024 and size(16, 100.0) == 2048
    assert math.log2(size(2, 1.7)) % 1 == 0


def test_targets_hold_the_bakes_that_they_read(packs: Registry) -> None:
    thing = chequered()
    done = carried(packs, thing, "pellune", Making(body=FLAT))
    assert in_target(thing, done).bakes == done.bakes


def test_what_reads_a_picture_that_is_not_there_is_not_baked(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("b", "colour")}),
        "b": ("orvik.blend", {"share_1": 0.5}, {"ground": ("p", "colour"), "map_1": ("c", "colour")}),
        "p": ("orvik.picture", {"file": "gone.png"}, {}),
        "c": ("orvik.chequer", {}, {}),
    }
    thing = material("orvik", nodes)
    there = carried(packs, thing, "preview", Making(body=FLAT, pictures=(("gone.png", 64, 64, "8 bits"),)))
    gone = carried(packs, thing, "preview", Making(body=FLAT, pictures=(("gone.png", 0, 0, ""),)))

    def read(done) -> set[str]:
        return {str(n.values["file"]) for one in done.bakes for n in one.graph.nodes.values() if n.kind == "image"}

    assert read(there) == {"gone.png"} and read(gone) == set()
    assert any("gone.png, which is not there" in row.reason for row in gone.rows)
