"""Looks that are said as data, packs that extend others, and the guide's own examples: all loaded as a stranger's folder is."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import numpy as np
import pytest
import yaml
from hypothesis import example, given, settings
from hypothesis import strategies as st

from durvan.crossing.translation.translate import translate
from durvan.dialects.checking import check_folder
from durvan.dialects.conformance import check
from durvan.dialects.look import Facts, Lamp, trace
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry, parents, read, shared_part
from durvan.errors import PackError
from durvan.optics.lobes import layout as L
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Thing

ROOT = Path(__file__).parent.parent.parent
BRACK, GUIDE = ROOT / "examples" / "brack", ROOT / "docs" / "dialect-packs.md"


@pytest.fixture(scope="module")
def user(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A user's folder with the example in it."""
    folder = tmp_path_factory.mktemp("user")
    shutil.copytree(BRACK, folder / "brack")
    return folder


@pytest.fixture(scope="module")
def registry(user: Path) -> Registry:
    found = read(user)
    assert found.broken == []
    return found


def paint(kind: str, **values) -> Graph:
    return Graph({"surface": Node("surface", kind, values)}, {"surface": Link("surface")})


def look(pack: Pack, graph: Graph):
    assert pack.looks is not None
    return trace(graph, pack.vocabulary, pack.looks, Facts())


def faced(pack: Pack, graph: Graph) -> np.ndarray:
    out = np.zeros((1, 6))
    many.albedos(look(pack, graph).base, np.array([1.0]), tables(), out)
    return out[0, :3]


def test_the_example_conforms_and_keeps_its_energy(kernels: None) -> None:
    assert check_folder(BRACK, shared_part, parents()) == []


@given(st.tuples(*[st.floats(0.0, 1.0)] * 3), st.floats(0.0, 100.0), st.floats(0.0, 100.0))
@example((0.0, 0.0, 0.0), 5e-324, 0.0)  # a percent of the smallest number is nothing
@example((0.0, 0.0, 0.0), 1e-300, 0.0)  # and one of almost nothing is a lobe
@settings(max_examples=40, deadline=None)
def test_lobes_are_what_their_formulas_come_to(registry, kernels: None, colour, level, opacity) -> None:
    brack = registry.get("brack")
    made = look(
        brack,
        paint("brack.material", diffuse=colour, specular_level=level, gloss=50.0, opacity=opacity, self_light=2.0),
    )
    assert made.base[L.OPACITY] == pytest.approx(opacity / 100.0)
    assert made.base[L.GLOW] == pytest.approx(2.0) and not made.glow_lights
    lobes = made.base[L.HEADER :].reshape(-1, L.LOBE)[: int(made.base[L.COUNT])]
    shine = [lobe for lobe in lobes if lobe[L.KIND] == L.REFLECT]
    assert len(shine) == (1 if level / 100.0 > 0.0 else 0)
    for lobe in shine:
        assert lobe[L.WEIGHT] == pytest.approx(level / 100.0) and lobe[L.FACETS] == L.BLINN
        assert lobe[L.ALPHA_X] == pytest.approx((2.0 / (2.0**5 + 2.0)) ** 0.5)
    bare = faced(brack, paint("brack.material", diffuse=colour, specular_level=0.0))
    assert bare == pytest.approx(colour, abs=1e-9)


def test_maps_lights_cameras_and_settings_are_formulas_too(registry) -> None:
    brack = registry.get("brack")
    graph = paint("brack.material")
    graph.add(Node("p", "brack.bitmap", {"file": "a.png", "tiles": (2.0, 3.0)}))
    graph.add(Node("n", "brack.noise", {"dark": (0.0, 0.0, 0.0), "size": 5.0}))
    graph.nodes["surface"].links.update(diffuse=Link("p", "color"), specular_level=Link("n", "grey"))
    assert len(look(brack, graph).lanes) >= 4

    def single(kind: str, **values):
        from durvan.dialects import look as looks

        graph = Graph({"one": Node("one", kind, values)}, {"light": Link("one")})
        found = looks.single(graph, brack.vocabulary, brack.looks, Facts(metres_per_unit=0.01))
        assert found is not None
        return found

    lamp = brack.looks.light(
        *single("brack.spot", multiplier=2.0, hotspot=30.0, falloff=50.0, radius=10.0, decay="inverse")
    )
    assert isinstance(lamp, Lamp) and (lamp.inner, lamp.outer, lamp.decay) == (15.0, 25.0, 1)
    assert lamp.radiance[0] * np.pi * lamp.size[0] ** 2 == pytest.approx(200.0)
    assert brack.looks.light(*single("brack.omni", shines=False)) is None
    view = brack.looks.camera(*single("brack.camera", fov=90.0, near=50.0))
    assert view.focal == pytest.approx(18.0) and view.near == 0.5
    assert brack.looks.settings(*single("brack.settings", antialias=9)).samples == 9


def test_the_example_is_carried_there_and_back(registry) -> None:
    brack, open_ = registry.get("brack"), registry.get("openpbr")
    thing = Thing(
        "/M",
        "M",
        Kind.MATERIAL,
        paint("brack.material", diffuse=(0.2, 0.4, 0.6), opacity=60.0, self_light=5.0),
        "brack",
    )
    there = translate(thing, brack, open_, 0.01)
    back = translate(Thing("/M", "M", Kind.MATERIAL, there.graph, "openpbr"), open_, brack, 0.01)
    said = next(iter(back.graph.nodes.values())).values
    assert (
        said["diffuse"] == pytest.approx((0.2, 0.4, 0.6))
        and said["opacity"] == pytest.approx(60.0)
        and said["self_light"] == 5.0
    )


# what is wrong with looks


def spoilt(folder: Path, file: str, old: str, new: str) -> Path:
    shutil.copytree(BRACK, folder / "brack")
    text = (folder / "brack" / file).read_text(encoding="utf-8")
    assert old in text
    (folder / "brack" / file).write_text(text.replace(old, new, 1), encoding="utf-8")
    return folder / "brack"


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("opacity: opacity / 100", "opacity: opaqueness / 100", "reads 'opaqueness'"),
        ("opacity: opacity / 100", "opacity: opacity /", "is not a formula"),
        ("opacity: opacity / 100", "opacity: __import__('os').getcwd()", "only the listed functions"),
        ("opacity: opacity / 100", "opacity: open('x')", "calls 'open'"),
        ("opacity: opacity / 100", "opacity: 1 if gloss > 3 else 0", "may vary from point to point"),
        ("under: mirror", "under: mirrow", "'mirrow' is none of mirror"),
        ("relief: bump", "relief: bumps", "'bumps' is none of"),
        ("  brack.noise:", "  brack.noize:", "not in the vocabulary"),
        ("lobe: matt", "lobe: mat", "Input should be"),
        ("covers: scaled", "cover: scaled", "Extra inputs"),
        ("outputs: {grey:", "outputs: {gray:", "'gray' is none of grey"),
    ],
)
def test_what_is_wrong_is_told_with_its_line(tmp_path, old, new, said) -> None:
    folder = spoilt(tmp_path, "looks.yaml", old, new)
    told = check_folder(folder, shared_part, parents())
    assert len(told) >= 1 and said in told[0].what and Path(told[0].file).name == "looks.yaml"
    text = (folder / "looks.yaml").read_text(encoding="utf-8").split("\n")
    near = "\n".join(text[max(told[0].line - 2, 0) : told[0].line + 6])
    assert new.strip().split("\n")[0] in near, (told[0].line, near)
    with pytest.raises(PackError):
        from durvan.dialects.pack import load

        load(folder, shared_part)


def test_a_look_that_gives_back_more_than_it_gets_is_told(tmp_path, kernels: None) -> None:
    folder = spoilt(
        tmp_path, "looks.yaml", "{lobe: matt, weight: diffuse, under: highlight}", "{lobe: matt, weight: diffuse * 1.5}"
    )
    (told,) = check_folder(folder, shared_part, parents())
    assert "times the light that it gets" in told.what and told.line == 2


# packs that extend others


def extending(folder: Path, name: str = "house", pack: str = "", **files: str) -> Path:
    place = folder / name
    place.mkdir(parents=True)
    head = f"name: {name}\nextends: pellune\ntitle: House\nversion: '3'\nprefix: {name}.\nnamespace: {name}\ncontext: {name}\n"
    (place / "pack.yaml").write_text(pack or head, encoding="utf-8")
    for file, text in files.items():
        (place / f"{file}.yaml").write_text(text, encoding="utf-8")
    return place


WORDS = """types:
  house.surface:
    parameters:
      rough: {default: 0.6}
      stretch_turn: ~
      warmth: {type: float, default: 0, range: [0, 1], family: base, meaning: "How warm it is."}
"""
WAYS = """types:
  house.surface:
    entries:
      - {ours: rough, common: specular_roughness, to_common: rough ^ 2, to_ours: specular_roughness ^ 0.5}
      - {ours: warmth, lost: "Nobody else is warm.", effect: none}
"""


def test_a_pack_extends_another_by_what_differs(tmp_path, kernels: None) -> None:
    extending(tmp_path, vocabulary=WORDS, mapping=WAYS)
    found = read(tmp_path)
    assert found.broken == []
    house, pellune = found.get("house"), found.get("pellune")
    assert check(house) == [] and check_folder(tmp_path / "house", shared_part, parents(tmp_path)) == []
    assert house.identity.conventions == pellune.identity.conventions
    assert {kind.partition(".")[2] for kind in house.vocabulary.types} == {
        kind.partition(".")[2] for kind in pellune.vocabulary.types
    }
    assert (
        house.parameter("house.surface", "rough").default == 0.6
        and house.parameter("house.surface", "stretch_turn") is None
    )
    thing = Thing("/M", "M", Kind.MATERIAL, paint("house.surface", rough=0.5, color=(0.2, 0.3, 0.4)), "house")
    there = translate(thing, house, found.get("openpbr"), 0.01)
    assert next(iter(there.graph.nodes.values())).values["specular_roughness"] == 0.25


def test_looks_of_the_pack_below_count_but_for_what_is_said_anew(tmp_path, kernels: None) -> None:
    looks = "surfaces:\n  house.fibre: {lobes: [{lobe: matt, weight: melanin}]}\n"
    extending(tmp_path, looks=looks)
    found = read(tmp_path)
    house, pellune = found.get("house"), found.get("pellune")
    same = [
        look(pack, paint(f"{pack.name}.surface", color=(0.1, 0.5, 0.9), metal=0.3)).base for pack in (house, pellune)
    ]
    assert same[0] == pytest.approx(same[1])
    assert faced(house, paint("house.fibre", melanin=0.25)) == pytest.approx([0.25] * 3)


def test_packs_extend_each_other_in_a_row_and_never_in_a_circle(tmp_path) -> None:
    extending(tmp_path, "one")
    extending(tmp_path, "two", "name: two\nextends: one\ntitle: Two\nprefix: two.\nnamespace: two\ncontext: two\n")
    extending(tmp_path, "three", "name: three\nextends: four\ntitle: T\nprefix: t.\n")
    extending(tmp_path, "four", "name: four\nextends: three\ntitle: F\nprefix: f.\n")
    extending(tmp_path, "five", "name: five\nextends: nobody\ntitle: F\nprefix: f.\n")
    extending(tmp_path, "six", "name: six\nextends: openpbr\ntitle: S\nprefix: six.\n")
    found = read(tmp_path)
    assert "two.surface" in found.get("two").vocabulary.types and found.get("two").looks is not None
    said = "\n".join(found.broken)
    assert len(found.broken) == 4 and "circle" in said and "extends 'nobody'" in said and "keeps its prefix" in said


# the guide


def test_the_guides_own_examples_make_a_pack_that_conforms(tmp_path, kernels: None) -> None:
    blocks = re.findall(r"```yaml\n(.*?)```", GUIDE.read_text(encoding="utf-8"), re.DOTALL)
    pack, words, ways, chain, looks, house = blocks
    place = tmp_path / "mine"
    place.mkdir()
    vocabulary = yaml.safe_load(words)
    noise = {
        "dark": {"type": "color", "default": [0, 0, 0], "range": [0, 1], "meaning": "Dark."},
        "size": {"type": "float", "default": 1, "range": [0.001, 1000], "meaning": "Size."},
    }
    vocabulary["types"]["mine.noise"] = {
        "meaning": "Noise.",
        "family": "procedurals",
        "outputs": {"color": "color", "grey": "float"},
        "parameters": noise,
    }
    (place / "pack.yaml").write_text(pack, encoding="utf-8")
    (place / "vocabulary.yaml").write_text(yaml.safe_dump(vocabulary), encoding="utf-8")
    (place / "mapping.yaml").write_text(ways.replace("no_word_for:", chain + "no_word_for:"), encoding="utf-8")
    (place / "looks.yaml").write_text(looks, encoding="utf-8")
    assert [str(one) for one in check_folder(place, shared_part, parents(tmp_path))] == []
    (tmp_path / "mine_house").mkdir()
    (tmp_path / "mine_house" / "pack.yaml").write_text(house, encoding="utf-8")
    assert read(tmp_path).broken == [] and "mine_house" in read(tmp_path).packs
