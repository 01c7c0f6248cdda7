"""MaterialX documents: read with all that they may hold, written so that the standard's own library finds nothing wrong."""

from __future__ import annotations

import tempfile
from pathlib import Path

import MaterialX as mx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import start
from durvan.errors import SceneFileError
from durvan.formats.materialx.reading import read_document
from durvan.formats.materialx.writing import library
from durvan.scene.fate import Fate
from durvan.scene.model import Kind

DOCUMENT = """<?xml version="1.0"?>
<materialx version="1.39" colorspace="lin_rec709" fileprefix="maps/">
  <xi:include href="more.mtlx" xmlns:xi="http://www.w3.org/2001/XInclude"/>
  <nodegraph name="NG" fileprefix="wood/">
    <input name="tint" type="color3" value="0.5, 0.4, 0.3"/>
    <texcoord name="uv" type="vector2"/>
    <place2d name="placed" type="vector2"><input name="texcoord" type="vector2" nodename="uv"/><input name="scale" type="vector2" value="0.5, 0.5"/></place2d>
    <image name="grain" type="color3"><input name="file" type="filename" value="grain.png" colorspace="srgb_texture"/>
      <input name="texcoord" type="vector2" nodename="placed"/></image>
    <multiply name="times" type="color3"><input name="in1" type="color3" nodename="grain"/><input name="in2" type="color3" interfacename="tint"/></multiply>
    <power name="dark" type="color3"><input name="in1" type="color3" nodename="times"/><input name="in2" type="float" value="1.5"/></power>
    <output name="colour" type="color3" nodename="dark"/>
  </nodegraph>
  <open_pbr_surface name="SR" type="surfaceshader">
    <input name="base_color" type="color3" nodegraph="NG" output="colour"/>
    <input name="specular_roughness" type="float" value="0.35"/>
  </open_pbr_surface>
  <surfacematerial name="Wood" type="material"><input name="surfaceshader" type="surfaceshader" nodename="SR"/></surfacematerial>
  <look name="worn"><materialassign name="a" material="Wood" geom="/hut/door"/></look>
</materialx>
"""
MORE = """<materialx version="1.38" colorspace="lin_rec709">
  <standard_surface name="SS" type="surfaceshader"><input name="base_color" type="color3" value="0.1, 0.2, 0.3"/><input name="metalness" type="float" value="1"/></standard_surface>
  <surfacematerial name="Tin" type="material"><input name="surfaceshader" type="surfaceshader" nodename="SS"/></surfacematerial>
</materialx>"""


@pytest.fixture
def document(tmp_path: Path) -> Path:
    file = tmp_path / "doc.mtlx"
    file.write_text(DOCUMENT, encoding="utf-8")
    (tmp_path / "more.mtlx").write_text(MORE, encoding="utf-8")
    return file


def validated(file: Path) -> mx.Document:
    """The document, as the standard's own library reads it; every node of it has a definition."""
    doc = mx.createDocument()
    mx.readFromXmlFile(doc, str(file))
    doc.importLibrary(library())
    good, said = doc.validate()
    assert good, said
    for child in doc.getNodes():
        assert child.getNodeDef() is not None, child.getName()
    return doc


def test_a_document_is_read_with_its_graphs_prefixes_includes_and_looks(document, packs) -> None:
    scene = open_scene(document, packs)
    wood, tin = sorted(scene.of(Kind.MATERIAL), key=lambda thing: thing.name)[::-1]
    assert (wood.name, wood.dialect, tin.name, tin.dialect) == ("Wood", "openpbr", "Tin", "standard")
    assert [one.path for one in wood.worn] == ["/hut/door"] and tin.root.values["metalness"] == 1.0
    kinds = {node.kind.partition(".")[2] for node in wood.graph.nodes.values()}
    assert {"open_pbr_surface", "image", "place2d"} <= kinds
    grain = next(node for node in wood.graph.nodes.values() if node.kind.endswith(".image"))
    assert grain.values["file"] == "wood/grain.png"  # the innermost prefix counts
    times = next(node for node in wood.graph.nodes.values() if node.id.endswith("times"))
    assert times.values["in2"] == (0.5, 0.4, 0.3)


@pytest.mark.parametrize("target", ["openpbr", "standard", "gltfpbr", "previewmtlx"])
def test_a_document_goes_to_every_surface_and_validates(document, packs, tmp_path, target) -> None:
    session = start(document, packs, target)
    out = tmp_path / "out" / "out.mtlx"
    out.parent.mkdir()
    session.carry(out)
    validated(out)
    again = open_scene(out, packs)
    assert {thing.name for thing in again.of(Kind.MATERIAL)} == {"Wood", "Tin"}
    rows = {(row.thing, row.node, row.parameter) for row in session.plan.ledger}
    for name, done in session.plan.translations.items():
        for node in session.scene.things[name].graph.nodes.values():
            assert all((name, node.id, port) in rows for port in {**node.values, **node.links}), (name, node.id, done)


def test_what_is_written_into_a_document_means_the_same_there(document, packs, tmp_path) -> None:
    """Its prefix and colour space are its own; new nodes in it say theirs."""
    text = DOCUMENT.replace('colorspace="lin_rec709" fileprefix="maps/"', 'colorspace="acescg" fileprefix="maps/"')
    document.write_text(text, encoding="utf-8")
    session = start(document, packs, "standard")
    session.carry(tmp_path / "out.mtlx")
    validated(tmp_path / "out.mtlx")
    wood = next(name for name in session.plan.translations if name.endswith("Wood"))
    meant = {node.kind: node.values for node in session.plan.translations[wood].graph.nodes.values()}
    again = next(thing for thing in open_scene(tmp_path / "out.mtlx", packs).of(Kind.MATERIAL) if thing.name == "Wood")
    found = {node.kind: node.values for node in again.graph.nodes.values()}
    assert set(found) == set(meant)
    for kind, values in meant.items():
        for port, value in values.items():
            if isinstance(value, tuple):
                assert found[kind][port] == pytest.approx(value, abs=1e-6), (kind, port)
            elif port == "file":
                assert found[kind][port].endswith("wood/grain.png") and "maps" not in found[kind][port]
    assert "no-light" not in {finding.code for finding in session.findings}


def test_a_demo_set_becomes_a_document_that_validates(lamproom, packs, tmp_path) -> None:
    session = start(lamproom, packs, "standard")
    session.carry(tmp_path / "set.mtlx")
    validated(tmp_path / "set.mtlx")
    carried = [t for t in session.plan.translations if session.scene.things[t].kind is Kind.MATERIAL]
    assert len(list(open_scene(tmp_path / "set.mtlx", packs).of(Kind.MATERIAL))) == len(carried)


def test_a_document_carried_to_itself_is_the_same_and_takes_other_values(document, packs, tmp_path) -> None:
    session = start(document, packs, "openpbr")
    session.carry(tmp_path / "copy.mtlx")
    assert {row.fate for row in session.plan.ledger if "Wood" in row.thing} == {Fate.KEPT}
    wood = next(thing for thing in session.scene.of(Kind.MATERIAL) if thing.name == "Wood")
    session.put(wood.id, wood.root.id, "specular_roughness", 0.6)
    session.carry(tmp_path / "copy.mtlx")
    again = next(thing for thing in open_scene(tmp_path / "copy.mtlx", packs).of(Kind.MATERIAL) if thing.name == "Wood")
    assert again.root.values["specular_roughness"] == 0.6
    assert {node.kind for node in again.graph.nodes.values()} == {node.kind for node in wood.graph.nodes.values()}


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"), ("<materialx", "line 1"), ("<scene/>", "no MaterialX document"), ('<materialx version="x"/>', "version"),
        ('<!DOCTYPE m [<!ENTITY a "aaaa">]><materialx version="1.39">&a;</materialx>', "document type"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_document_is_refused(tmp_path, packs, text, said) -> None:
    file = tmp_path / "bad.mtlx"
    file.write_text(text, encoding="utf-8")
    with pytest.raises(SceneFileError, match=said) as told:
        open_scene(file, packs)
    assert "bad.mtlx" in str(told.value)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (lambda t: t.replace("more.mtlx", "doc.mtlx"), "include"), (lambda t: t.replace("more.mtlx", "../out.mtlx"), "include"),
        (lambda t: t.replace("more.mtlx", "https://host/a.mtlx"), "include"), (lambda t: t.replace("more.mtlx", "/etc/passwd"), "include"),
        (lambda t: t.replace('nodename="placed"', 'nodename="nothing"'), "dangling"),
        (lambda t: t.replace('nodename="grain"', 'nodename="dark"'), "cycle"),
        (lambda t: t.replace("<power", "<of_nobody").replace("</power", "</of_nobody"), "unknown-node"),
        (lambda t: t.replace('colorspace="srgb_texture"', 'colorspace="made_up"'), "colour-space"),
    ],
)  # fmt: skip
def test_what_is_odd_in_a_document_is_told_and_the_rest_is_read(document, packs, change, code) -> None:
    document.write_text(change(DOCUMENT), encoding="utf-8")
    session = start(document, packs, "standard")
    assert code in {finding.code for finding in session.findings}
    assert "Wood" in {thing.name for thing in session.scene.of(Kind.MATERIAL)}
    session.carry(document.with_name("out.mtlx"))
    validated(document.with_name("out.mtlx"))


def test_what_is_odd_in_an_older_document_is_told_with_its_own_line(packs, tmp_path) -> None:
    """MaterialX writes it anew to bring it up to date; the lines are those of the file."""
    file = tmp_path / "old.mtlx"
    node = '<standard_surface name="S" type="surfaceshader">\n\n\n<input name="base" type="float" value="much"/></standard_surface>'
    file.write_text(f'<materialx version="1.37">\n\n\n\n{node}\n</materialx>', encoding="utf-8")
    scene = open_scene(file, packs)
    told = next(one for one in scene.oddities if one.code == "wrong-value")
    assert "line 8" in told.detail


def test_what_depends_on_places_is_told_where_no_shapes_come(packs, tmp_path) -> None:
    """A document has none, however its looks assign its materials; nobody is to wait for them."""
    file = tmp_path / "veins.mtlx"
    file.write_text(
        '<materialx version="1.39"><position name="p" type="vector3"/><sin name="s" type="vector3"><input name="in" type="vector3" nodename="p"/></sin>'
        '<convert name="c" type="color3"><input name="in" type="vector3" nodename="s"/></convert><standard_surface name="S" type="surfaceshader">'
        '<input name="base_color" type="color3" nodename="c"/></standard_surface><surfacematerial name="M" type="material">'
        '<input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial><look name="L"><materialassign name="a" material="M" geom="*"/></look></materialx>',
        encoding="utf-8",
    )
    rows = start(file, packs, "pellune").plan.translations["/Materials/M"].rows
    told = {row.reason for row in rows if row.fate is Fate.HELD}
    assert "It depends on places, and this file has no shapes to bake it on." in told
    assert not any("looked at yet" in one for one in told)


def test_names_of_any_script_and_many_materials(tmp_path, packs) -> None:
    one = (
        '<standard_surface name="S{0}" type="surfaceshader"><input name="base" type="float" value="0.5"/></standard_surface>'
        '<surfacematerial name="M{0}" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S{0}"/></surfacematerial>'
    )
    file = tmp_path / "many.mtlx"
    body = "".join(one.format(n) for n in range(800)) + one.format("_дуб_木_خشب")
    file.write_text(f'<materialx version="1.39">{body}</materialx>', encoding="utf-8")
    session = start(file, packs, "openpbr")
    assert len(session.plan.translations) == 801 and "M_дуб_木_خشب" in {
        thing.name for thing in session.scene.of(Kind.MATERIAL)
    }
    done = session.carry(tmp_path / "out.mtlx")
    assert "source is no valid document" in done.remarks[0]
    assert len(list(open_scene(tmp_path / "out.mtlx", packs).of(Kind.MATERIAL))) == 801


@given(st.data())
def test_whatever_stands_in_a_document_ends_in_a_scene_or_a_refusal(data) -> None:
    text = DOCUMENT
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(text)))
        end = min(len(text), at + data.draw(st.integers(0, 40)))
        piece = data.draw(st.sampled_from(["", '"', "<", "/>", "-1e999", "nan", "&#0;", "name", text[at:end] * 2]))
        text = text[:at] + piece + text[end:]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "odd.mtlx"
        file.write_text(text, encoding="utf-8")
        try:
            raw = read_document(file)
        except SceneFileError as problem:
            assert "odd.mtlx" in str(problem)
            return
    assert all(thing.path for thing in raw.things)


@pytest.mark.parametrize(
    ("surface", "port", "value", "unit", "meant"),
    [
        ("open_pbr_surface", "thin_film_thickness", "450", "nanometer", 0.45),
        ("open_pbr_surface", "thin_film_thickness", "0.45", "micron", 0.45),
        ("standard_surface", "thin_film_thickness", "0.45", "micron", 450.0),
        ("gltf_pbr", "iridescence_thickness", "0.45", "micrometer", 450.0),
        ("gltf_pbr", "anisotropy_rotation", "90", "degree", 1.5707963),
        ("standard_surface", "specular_rotation", "3.1415926535", "radian", 0.5),
        ("standard_surface", "specular_rotation", "90", "degree", 0.25),
        ("standard_surface", "transmission_depth", "0.25", "meter", 25.0),
        ("open_pbr_surface", "transmission_depth", "25", "millimeter", 2.5),
        ("open_pbr_surface", "thin_film_thickness", "0.45", "", 0.45),
    ],
)
def test_a_stated_unit_comes_to_that_of_its_port(tmp_path, packs, surface, port, value, unit, meant) -> None:
    said = f' unit="{unit}" unittype="distance"' if unit else ""
    text = DOCUMENT.split("<nodegraph")[0].replace(
        '<xi:include href="more.mtlx" xmlns:xi="http://www.w3.org/2001/XInclude"/>', ""
    )
    file = tmp_path / "u.mtlx"
    file.write_text(
        f'{text}<{surface} name="SR" type="surfaceshader"><input name="{port}" type="float" value="{value}"{said}/></{surface}>'
        '<surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="SR"/></surfacematerial></materialx>'
    )
    scene = open_scene(file, packs)
    (thing,) = scene.things.values()
    assert thing.root.values[port] == pytest.approx(meant, rel=1e-6) and not scene.oddities
    session = start(file, packs, scene.dialect)
    session.put(thing.id, thing.root.id, port, meant * 0.5)
    session.carry(tmp_path / "again.mtlx")  # what stands there then has no unit of another value's
    (again,) = open_scene(tmp_path / "again.mtlx", packs).things.values()
    assert again.root.values[port] == pytest.approx(meant * 0.5, rel=1e-6)


def test_a_turn_in_radians_turns_as_far(tmp_path, packs) -> None:
    text = DOCUMENT.replace(
        '<input name="scale" type="vector2" value="0.5, 0.5"/>',
        '<input name="rotate" type="float" value="0.5235987756" unit="radian" unittype="angle"/>',
    ).replace('<xi:include href="more.mtlx" xmlns:xi="http://www.w3.org/2001/XInclude"/>', "")
    (tmp_path / "t.mtlx").write_text(text)
    scene = open_scene(tmp_path / "t.mtlx", packs)
    placed = next(
        node for thing in scene.things.values() for node in thing.graph.nodes.values() if "place2d" in node.kind
    )
    assert placed.values["rotate"] == pytest.approx(30.0)
    (tmp_path / "l.mtlx").write_text(text.replace('unit="radian"', 'unit="meter"'))
    assert [one.code for one in open_scene(tmp_path / "l.mtlx", packs).oddities] == ["unknown-unit"]
