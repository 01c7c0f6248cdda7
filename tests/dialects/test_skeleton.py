"""A first pack from a renderer's own definitions: it loads, it conforms, and what is proposed is right where names say so."""

from __future__ import annotations

from pathlib import Path

import MaterialX as mx
import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from durvan.cli.main import app
from durvan.dialects.checking import check_folder
from durvan.dialects.proposing import propose, words_of
from durvan.dialects.registry import shared_part
from durvan.dialects.skeleton import proposals, skeleton
from durvan.errors import SceneFileError
from durvan.formats.defined import Input, Word
from durvan.formats.wordlists import read_words

LIBRARY = Path(mx.getDefaultDataSearchPath().asString()) / "libraries"
USD = """#usda 1.0
def Shader "Enamel" (doc = "A paint.")
{
    uniform token info:id = "AcmeEnamel"
    color3f inputs:diffuseColor = (0.5, 0.4, 0.3) (doc = "What it looks like.")
    float inputs:gloss = 40 (sdrMetadata = { string uimin = "0"; string uimax = "100" })
    token inputs:finish = "flat" (allowedTokens = ["flat", "wavy"])
    asset inputs:label = @a.png@
    token outputs:surface
}
"""


def written(folder: Path, words: list[Word]) -> Path:
    for name, text in skeleton("mine", words, "a file: of words").items():
        (folder / name).write_text(text, encoding="utf-8")
    return folder


@pytest.mark.parametrize(
    "name", ["bxdf/standard_surface", "bxdf/gltf_pbr", "bxdf/open_pbr_surface", "bxdf/usd_preview_surface", "stdlib/stdlib_defs", "pbrlib/pbrlib_defs"]
)  # fmt: skip
def test_what_is_made_of_real_definitions_conforms(tmp_path, name) -> None:
    words = read_words(LIBRARY / f"{name}.mtlx")
    assert check_folder(written(tmp_path, words), shared_part) == []
    said = yaml.safe_load((tmp_path / "vocabulary.yaml").read_text())["types"]
    assert all(
        one["parameters"].keys() == {i.name for w in words if w.name == one["id"] for i in w.inputs}
        for one in said.values()
    )


def test_the_open_surfaces_own_words_find_their_ports() -> None:
    (surface, *_) = [word for word in read_words(LIBRARY / "bxdf" / "open_pbr_surface.mtlx") if word.is_surface]
    found = proposals(surface)
    right = [name for name, made in found.items() if made.port == name and not made.to_common]
    assert len(right) == len(found) and len(right) >= 0.9 * len(surface.inputs)


@pytest.mark.parametrize(
    ("name", "type_", "range_", "unit", "port", "formula"),
    [
        ("metalness", "float", (0.0, 1.0), "", "base_metalness", ""), ("diffuseColor", "color", None, "", "base_color", ""),
        ("glossiness", "float", (0.0, 1.0), "", "specular_roughness", "1 - glossiness"),
        ("gloss", "float", (0.0, 100.0), "%", "specular_roughness", "1 - gloss / 100"),
        ("opacity", "float", (0.0, 100.0), "", "geometry_opacity", "opacity / 100"),
        ("clearcoatRoughness", "float", None, "", "coat_roughness", ""), ("specular_IOR", "float", None, "", "specular_ior", ""),
        ("coat_anisotropy", "float", (0.0, 1.0), "", "coat_roughness_anisotropy", ""), ("normal", "vector3", None, "", "geometry_normal", ""),
        ("sheen", "float", (0.0, 1.0), "", "fuzz_weight", ""),
    ],
)  # fmt: skip
def test_what_a_name_says_is_proposed(name, type_, range_, unit, port, formula) -> None:
    made = propose(Input(name, type_, None, range_, unit))
    assert made is not None and (made.port, made.to_common) == (port, formula) and 45 <= made.sure <= 99


@given(st.text(max_size=20), st.sampled_from(["float", "color", "bool", "string", "file", "any"]))
def test_any_name_is_read(name, type_) -> None:
    words_of(name)
    made = propose(Input(name, type_))
    assert made is None or made.sure >= 45


def test_usd_definitions_become_a_pack_by_the_command(tmp_path) -> None:
    (tmp_path / "defs.usda").write_text(USD)
    run = CliRunner().invoke
    done = run(app, ["dialect", "new", "acme", "--from", str(tmp_path / "defs.usda"), "--out", str(tmp_path / "acme")])
    assert done.exit_code == 0 and "2 correspondences proposed, 2 waiting" in done.output, done.output
    assert check_folder(tmp_path / "acme", shared_part) == []
    said = yaml.safe_load((tmp_path / "acme" / "vocabulary.yaml").read_text())["types"]["acme.AcmeEnamel"]
    assert said["id"] == "AcmeEnamel" and said["role"] == "surface"
    assert said["parameters"]["finish"]["choices"] == ["flat", "wavy"] and said["parameters"]["gloss"]["range"] == [
        0,
        100,
    ]
    text = (tmp_path / "acme" / "mapping.yaml").read_text()
    assert 'to_common: "1 - gloss / 100"' in text and "% sure, by name" in text
    assert (
        run(
            app, ["dialect", "new", "acme", "--from", str(tmp_path / "defs.usda"), "--out", str(tmp_path / "acme")]
        ).exit_code
        != 0
    )
    assert (
        run(
            app, ["dialect", "new", "Acme!", "--from", str(tmp_path / "defs.usda"), "--out", str(tmp_path / "b")]
        ).exit_code
        != 0
    )


def test_what_defines_nothing_is_refused(tmp_path) -> None:
    (tmp_path / "a.mtlx").write_text('<materialx version="1.39"/>')
    (tmp_path / "a.txt").write_text("")
    for name, said in (("a.mtlx", "defines no node"), ("a.txt", "holds no definitions")):
        with pytest.raises(SceneFileError, match=said):
            read_words(tmp_path / name)
