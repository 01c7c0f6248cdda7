"""Planning, carrying, findings and the .durvan file, on the demo scene and on small ones."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from pathlib import Path

import pytest
from pxr import Usd, UsdShade

from durvan.crossing.document import store as files
from durvan.crossing.document.changes import Choose
from durvan.crossing.exchange.carry import carry
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.findings import Level, grouped
from durvan.crossing.job.session import start
from durvan.crossing.translation.choices import Choices, Placement
from durvan.crossing.translation.plan import plan
from durvan.errors import CrossingFileError, MisuseError, SceneFileError, Stopped
from durvan.files.roots import Root
from durvan.progress import Step
from durvan.scene.fate import Fate
from durvan.scene.model import Kind
from making import findings_in, small, with_files, write


def digest(folder: Path) -> dict[str, str]:
    return {str(f): hashlib.sha256(f.read_bytes()).hexdigest() for f in sorted(folder.rglob("*")) if f.is_file()}


@pytest.fixture(scope="module")
def lamp_plan(lamp_scene, packs):
    return plan(lamp_scene, packs, Choices(target="pellune"))


def test_the_demo_is_read_whole(lamp_scene) -> None:
    kinds = {kind: sum(1 for _ in lamp_scene.of(kind)) for kind in Kind}
    assert kinds == {Kind.MATERIAL: 31, Kind.LIGHT: 9, Kind.CAMERA: 2, Kind.SETTINGS: 1}
    assert lamp_scene.dialect == "orvik" and lamp_scene.name == "Lamp room at dusk"
    assert len(lamp_scene.pictures) >= 15


def test_the_demos_traps_are_found(lamp_plan, packs) -> None:
    found = {finding.code for finding in findings_in(lamp_plan, packs)}
    assert {
        "picture-absent", "unknown-node", "faked-metal", "fresnel-off", "data-as-colour", "colour-as-data", "odd-gamma",
        "portal", "setup-light", "near-clip", "lost", "unused-node", "alike",
    } <= found  # fmt: skip
    clip = next(f for f in findings_in(lamp_plan, packs) if f.code == "near-clip")
    assert "Door" in dict(clip.evidence)["stands between"]
    faced = [row for row in lamp_plan.translations["/LampRoom/Looks/Oilskin"].rows if "most sides" in row.reason]
    assert faced and all(row.fate is Fate.FITTED and row.targets for row in faced)  # held no more: it has a word for it


def test_groups_are_worst_first(lamp_plan, packs) -> None:
    levels = [group.level for group in grouped(findings_in(lamp_plan, packs))]
    assert levels == sorted(levels) and levels[0] is Level.STOP


@pytest.mark.parametrize("ending", ["usda", "usdc", "usd"])
def test_carrying_beside_leaves_the_source_and_binds_both(lamproom, lamp_plan, packs, tmp_path, ending) -> None:
    before = digest(lamproom.parent)
    out = tmp_path / f"out.{ending}"
    done = carry(lamp_plan, packs, out)
    assert digest(lamproom.parent) == before
    assert done.checked > 350 and hashlib.sha256(out.read_bytes()).hexdigest() == done.sha256
    stage = Usd.Stage.Open(str(out))
    material = UsdShade.Material(stage.GetPrimAtPath("/LampRoom/Looks/WetSlate"))
    assert material.GetSurfaceOutput("orvik").HasConnectedSource()
    assert material.GetSurfaceOutput("pellune").HasConnectedSource()
    shader = material.GetSurfaceOutput("pellune").GetConnectedSources()[0][0].source.GetPrim()
    assert shader.GetAttribute("info:id").Get() == "pellune.surface"
    file = stage.GetPrimAtPath("/LampRoom/Looks/WetSlate/pellune_network/colour").GetAttribute("inputs:file").Get()
    assert Path(file.resolvedPath).is_file()
    assert not list(tmp_path.glob(".*"))
    _every_link_has_its_output(stage)


def _every_link_has_its_output(stage: Usd.Stage) -> None:
    """Only outputs that something reads are written, and all of those."""
    links, outputs = set(), set()
    for prim in stage.Traverse():
        if "/pellune_network" in str(prim.GetPath()):
            outputs |= {str(one.GetAttr().GetPath()) for one in UsdShade.ConnectableAPI(prim).GetOutputs()}
        for attribute in prim.GetAttributes():
            links |= {str(path) for path in attribute.GetConnections() if "/pellune_network" in str(path)}
    assert links and links == outputs


def test_the_same_input_gives_the_same_bytes(lamproom, packs, tmp_path) -> None:
    texts = []
    for _ in range(2):
        session = start(lamproom, packs, "pellune")
        texts.append(session.carry(tmp_path / "out.usda").sha256)
    assert texts[0] == texts[1]


def test_alone_leaves_no_duplicates(lamproom, packs, tmp_path) -> None:
    out = tmp_path / "alone.usda"
    start(lamproom, packs, "pellune", placement="alone").carry(out)
    text = out.read_text()
    assert "orvik" not in text.replace("subLayers", "")
    stage = Usd.Stage.Open(str(out))
    assert not stage.GetRootLayer().subLayerPaths
    assert stage.GetPrimAtPath("/LampRoom/Set/Pedestal").IsA("Mesh")
    again = with_files(open_scene(out, packs))
    assert again.dialect == "pellune"
    there = [
        file
        for file in again.pictures.values()
        if not {"tide_table", "alone_maps"} & set(file.written.replace(".", "/").split("/"))
    ]
    assert {file.state for file in there} == {"outside, not read"}  # they lie where the scene may not reach by itself
    allowed = start(out, packs, "orvik", roots=[Root(str(lamproom.parent))]).scene
    assert {p.state for p in allowed.pictures.values() if "tide_table" not in p.written} == {"in place"}


@pytest.mark.parametrize("target", ["pellune", "openpbr", "preview", "orvik"])
def test_what_was_written_opens_again_in_its_dialect(lamproom, packs, tmp_path, target) -> None:
    out = tmp_path / "out.usda"
    start(lamproom, packs, target).carry(out)
    scene = open_scene(out, packs, target)
    assert sum(thing.dialect == target for thing in scene.of(Kind.MATERIAL)) == 31
    unknown = {odd.detail for odd in scene.oddities if odd.code == "unknown-node"}
    assert all("orvik.kelp_weave" in detail for detail in unknown)


def test_usd_accepts_what_is_written_for_it(lamproom, packs, tmp_path) -> None:
    from pxr import Sdr

    known = set(Sdr.Registry().GetShaderNodeIdentifiers())
    out = tmp_path / "out.usda"
    start(lamproom, packs, "preview").carry(out)
    stage = Usd.Stage.Open(str(out))
    for prim in stage.Traverse():
        if prim.GetTypeName() == "Shader" and "preview_network" in str(prim.GetPath()):
            assert prim.GetAttribute("info:id").Get() in known


def test_materialx_knows_every_node_that_is_written(lamproom, packs, tmp_path) -> None:
    import MaterialX as mx

    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    out = tmp_path / "out.usda"
    start(lamproom, packs, "openpbr").carry(out)
    seen = 0
    stage = Usd.Stage.Open(str(out))
    for prim in stage.Traverse():
        if prim.GetTypeName() == "Shader" and "openpbr_network" in str(prim.GetPath()):
            definition = library.getNodeDef(prim.GetAttribute("info:id").Get())
            assert definition is not None, prim.GetAttribute("info:id").Get()
            ports = {port.getName() for port in definition.getActiveInputs()}
            written = {a.GetName()[7:] for a in prim.GetAuthoredAttributes() if a.GetName().startswith("inputs:")}
            assert written - {"colorspace"} <= ports, (definition.getName(), written - ports)
            seen += 1
    assert seen > 80


@pytest.mark.parametrize(
    ("scope", "number"),
    [("everything", 43), ("lights", 9), ("lights,cameras", 11), ("Oilskin", 1), ("/LampRoom/Looks/Oilskin", 1)],
)
def test_scopes(lamp_scene, packs, scope, number) -> None:
    assert len(plan(lamp_scene, packs, Choices(target="pellune", scope=scope)).translations) == number


def test_a_scope_of_nothing_is_misuse(lamp_scene, packs) -> None:
    with pytest.raises(MisuseError, match="kitchen"):
        plan(lamp_scene, packs, Choices(target="pellune", scope="kitchen"))


def test_writing_over_the_source_or_its_parts_is_refused(lamproom, packs, tmp_path) -> None:
    folder = tmp_path / "room"
    shutil.copytree(lamproom.parent, folder)
    session = start(folder / "lamproom.usda", packs, "pellune")
    before = digest(folder)
    for name in ("lamproom.usda", "lamproom_shapes.usdc"):
        with pytest.raises(MisuseError, match="never written"):
            session.carry(folder / name)
    link = tmp_path / "link.usda"
    link.symlink_to(folder / "lamproom.usda")
    with pytest.raises(MisuseError):
        session.carry(link)
    assert digest(folder) == before


@pytest.mark.parametrize("name", ["out.txt", "nowhere/out.usda", "out"])
def test_places_that_cannot_be_written_are_refused(lamp_plan, packs, tmp_path, name) -> None:
    with pytest.raises(MisuseError):
        carry(lamp_plan, packs, tmp_path / name)


def test_a_stop_leaves_nothing_and_keeps_what_was_there(lamp_plan, packs, tmp_path) -> None:
    out = tmp_path / "out.usda"
    out.write_text("before")

    def stop(step: Step) -> None:
        if step.doing.startswith("Checking"):
            raise Stopped

    with pytest.raises(Stopped):
        carry(lamp_plan, packs, out, stop)
    assert [f.name for f in tmp_path.iterdir()] == ["out.usda"] and out.read_text() == "before"


def test_a_value_that_does_not_read_back_is_an_error(lamp_plan, packs, tmp_path, monkeypatch) -> None:
    from durvan.formats.usd import text as usda_text

    true = usda_text.Layer.pieces
    wrong = ("float inputs:rough = 0.2236", "float inputs:rough = 0.1236")
    monkeypatch.setattr(usda_text.Layer, "pieces", lambda self: (piece.replace(*wrong) for piece in true(self)))
    with pytest.raises(SceneFileError, match="meant to be"):
        carry(lamp_plan, packs, tmp_path / "out.usda")
    assert not list(tmp_path.iterdir())


def test_materials_inside_instances_are_reached(packs, tmp_path) -> None:
    write(
        tmp_path,
        small().replace('def Xform "W"', 'def Xform "Lamp"').replace("/W/", "/Lamp/").replace('"W"', '"Lamp"'),
        "lamp.usda",
    )
    main = """#usda 1.0
def Xform "Room"
{
    def "A" (instanceable = true
        references = @./lamp.usda@)
    {
    }
    def "B" (instanceable = true
        references = @./lamp.usda@)
    {
    }
}
"""
    session = start(write(tmp_path, main), packs, "pellune")
    assert len(session.scene.things) == 1
    session.carry(tmp_path / "out.usda")
    stage = Usd.Stage.Open(str(tmp_path / "out.usda"))
    for name in "AB":
        material = UsdShade.Material(stage.GetPrimAtPath(f"/Room/{name}/Paint"))
        assert material.GetSurfaceOutput("pellune").HasConnectedSource()


# choices, findings and the file


def test_remedies_settle_and_undo_brings_back(lamproom, packs) -> None:
    session = start(lamproom, packs, "pellune")
    before = len(session.findings)
    wrong = [f for f in session.findings if f.code == "data-as-colour"]
    session.apply([f.remedies[0] for f in wrong])
    session.renew()
    assert not [f for f in session.findings if f.code == "data-as-colour"] and len(session.findings) < before
    image = session.plan.translations[wrong[0].thing].graph.nodes["polish_map"]
    assert image.values["role"] == "data"
    assert session.undo() == "Read as data"
    session.renew()
    assert len(session.findings) == before
    assert session.redo() == "Read as data" and session.redo() == ""


def test_leaving_out_a_setup_light(lamproom, packs) -> None:
    session = start(lamproom, packs, "pellune")
    session.apply([r for f in session.findings if f.code == "setup-light" for r in f.remedies])
    session.renew()
    assert "/LampRoom/Lights/setup_fill" not in session.plan.translations


def test_a_user_can_get_to_nothing_open(lamproom, packs) -> None:
    session = start(lamproom, packs, "pellune")
    assert len(session.stops()) == 2
    session.accept(session.findings, "seen and agreed")
    assert session.open_findings() == [] and session.stops() == []
    session.reopen(session.findings[:1])
    assert len(session.open_findings()) == 1


def test_accepting_needs_a_reason_and_ends_with_the_evidence(lamproom, packs) -> None:
    session = start(lamproom, packs, "pellune")
    first = session.findings[0]
    with pytest.raises(MisuseError):
        session.accept([first], "  ")
    session.accept([first], "fine")
    changed = session.document.accepted[0].model_copy(update={"fingerprint": "of other evidence"})
    session.document = session.document.model_copy(update={"accepted": [changed]})
    assert session.accepted(first) == ""


def test_a_crossing_is_saved_and_opened_with_all_choices(lamproom, packs, tmp_path) -> None:
    session = start(lamproom, packs, "pellune", scope="materials")
    session.accept(session.findings[:2], "fine")
    session.apply([f.remedies[0] for f in session.findings if f.code == "data-as-colour"])
    session.do("Choose where", Choose(placement="alone"))
    assert session.changed
    session.save(tmp_path / "room.durvan")
    assert not session.changed
    again = start(tmp_path / "room.durvan", packs)
    assert again.document == session.document and not again.changed
    assert again.plan.choices.placement is Placement.ALONE and again.plan.choices.scope == "materials"
    assert len(again.findings) - len(again.open_findings()) == 2


def test_a_crash_while_saving_leaves_the_old_file(lamproom, packs, tmp_path, monkeypatch) -> None:
    session = start(lamproom, packs, "pellune")
    file = tmp_path / "room.durvan"
    session.save(file)
    before = file.read_bytes()

    def crash(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", crash)
    session.do("Choose where", Choose(placement="alone"))
    with pytest.raises(CrossingFileError, match="No space left"):
        session.save(file)
    assert file.read_bytes() == before and [f.name for f in tmp_path.iterdir()] == ["room.durvan"]


GOOD = {"format": "durvan crossing", "version": 1, "source": "x.usda", "target": "pellune"}


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (json.dumps({**GOOD, "version": 99}), "newer Durvan"),
        (json.dumps({**GOOD, "version": "1"}), "version"),
        (json.dumps({**GOOD, "placement": "under"}), "placement"),
        (json.dumps({**GOOD, "values": [{"thing": 3}]}), "values.0"),
        (json.dumps({**GOOD, "extra": 1}), "extra"),
        (json.dumps([1, 2]), "not a crossing"),
        ('{"format": "durvan crossing", ', "line 1"),
        ("[" * 100_000, "nested too deeply"),
        ("", "not whole JSON"),
        ("\x00\x01", "not whole JSON"),
    ],
)  # fmt: skip
def test_broken_crossings_say_where(tmp_path, content, said) -> None:
    file = write(tmp_path, content, "broken.durvan")
    with pytest.raises(CrossingFileError) as told:
        files.load(file)
    assert said in str(told.value) and "broken.durvan" in str(told.value)


def test_values_out_of_range_wrong_or_not_finite_are_findings(packs, tmp_path) -> None:
    extra = 'float inputs:mirror_index = nan\n float inputs:cutout = 4\n string inputs:glow_gain = "much"\n float inputs:nobody = 3'
    session = start(write(tmp_path, small(extra)), packs, "pellune")
    codes = {finding.code for finding in session.findings}
    assert {"wrong-value", "out-of-range", "unknown-value"} <= codes
    rows = {row.parameter: row.fate for row in session.plan.ledger if row.node}
    assert rows["mirror_index"] is Fate.HELD and rows["glow_gain"] is Fate.HELD and rows["nobody"] is Fate.LOST


def test_animated_values_are_held(packs, tmp_path) -> None:
    session = start(write(tmp_path, small("float inputs:cutout.timeSamples = { 1: 0.2, 10: 0.9 }")), packs, "pellune")
    row = next(row for row in session.plan.ledger if row.parameter == "cutout")
    assert row.fate is Fate.HELD and "nimated" in row.reason
    assert session.plan.translations["/W/Paint"].graph.nodes["finish"].values["coverage"] == pytest.approx(0.2)


def test_within_a_dialect_only_what_was_changed_is_written(lamproom, packs, tmp_path) -> None:
    session = start(lamproom, packs, "orvik")
    wrong = [f for f in start(lamproom, packs, "pellune").findings if f.code == "data-as-colour"]
    session.apply([f.remedies[0] for f in wrong])
    session.renew()
    session.carry(tmp_path / "mended.usda")
    text = (tmp_path / "mended.usda").read_text()
    assert "float inputs:decode_gamma = 1" in text and text.count("inputs:") == 1
    mended = open_scene(tmp_path / "mended.usda", packs)
    assert mended.things[wrong[0].thing].graph.nodes["polish_map"].values["decode_gamma"] == 1.0


def test_a_saved_crossing_takes_other_choices_and_minds_its_source(lamproom, packs, tmp_path) -> None:
    shutil.copytree(lamproom.parent, tmp_path / "room")
    source, saved = tmp_path / "room" / "lamproom.usda", tmp_path / "room.durvan"
    session = start(source, packs, "pellune", scope="lights", placement="alone")
    session.save(saved)
    again = start(saved, packs, "openpbr")
    assert (again.document.target, again.document.scope, again.document.placement) == ("openpbr", "lights", "alone")
    assert again.changed and again.undo() and again.document.target == "pellune"
    assert "source-changed" not in {f.code for f in start(saved, packs).findings}
    source.write_text(source.read_text().replace("0.97", "0.96"))
    assert "source-changed" in {f.code for f in start(saved, packs).findings}
    source.unlink()
    with pytest.raises(CrossingFileError, match="lamproom") as told:
        start(saved, packs)
    assert told.value.inside == "source" and "room.durvan" in str(told.value)


def test_displacement_is_not_mistaken_for_a_surface(packs, tmp_path) -> None:
    text = small(more='def Shader "push"\n{\nuniform token info:id = "orvik.picture"\nfloat outputs:grey\n}').replace(
        "</W/Paint/finish.outputs:out>",
        "</W/Paint/finish.outputs:out>\n        token outputs:orvik:displacement.connect = </W/Paint/push.outputs:grey>",
    )
    session = start(write(tmp_path, text), packs, "pellune")
    translation = session.plan.translations["/W/Paint"]
    assert translation.graph.root.kind == "pellune.surface"
    session.carry(tmp_path / "out.usda")
    assert "outputs:pellune:surface" in (tmp_path / "out.usda").read_text()
