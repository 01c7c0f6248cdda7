"""Files outside, seen from a crossing: links, roots, green turned round, copies; what is written into the target."""

from __future__ import annotations

from pathlib import Path

import pytest
from pxr import Usd

from durvan.cli.files import audit
from durvan.crossing.document.changes import AllowFolder, Choose, PutLinks, SetRoots
from durvan.crossing.document.document import Relink
from durvan.crossing.document.store import load
from durvan.crossing.findings import Finding
from durvan.crossing.job.session import Session, start
from durvan.crossing.outside.readying import work
from durvan.files import repair
from durvan.files.copies import Use
from durvan.files.prepare import prepare
from durvan.files.roots import Root
from durvan.progress import silent
from durvan.scene.model import FileState, OutsideFile

SLATE = "/mnt/skerry/projects/lamp/textures/stone/slate_normal.png"


@pytest.fixture
def session(moved: Path, packs) -> Session:
    """The moved demo scene with its library as a root."""
    made = start(moved, packs, "pellune")
    made.do("Choose the roots", SetRoots(roots=(Root(str(moved.parent.parent / "library")),)))
    made.renew()
    return made


def file(session: Session, name: str) -> OutsideFile:
    return next(one for one in session.scene.files.values() if name in one.written)


def found(session: Session, code: str) -> list[Finding]:
    return [finding for finding in session.findings if finding.code == code]


def written(session: Session, out: Path, prim: str) -> str:
    session.carry(out)
    stage = Usd.Stage.Open(str(out))
    return str(stage.GetPrimAtPath(f"/LampRoom/Looks/{prim}").GetAttribute("inputs:file").Get().path)


def test_roots_and_links_are_undone_as_one(session) -> None:
    assert file(session, "slate_colour").state is FileState.BY_A_ROOT
    links = repair.by_roots(session.scene.files.values()).links()
    session.relink(links)
    session.renew()
    assert file(session, "slate_colour").state is FileState.IN_PLACE and not found(session, "by-a-root")
    assert session.undo() == "Relink 11 files"
    session.renew()
    assert file(session, "slate_colour").state is FileState.BY_A_ROOT
    session.undo()
    session.renew()
    assert file(session, "slate_colour").state is FileState.ABSENT


def test_the_target_names_files_where_they_are(session, tmp_path) -> None:
    slate = written(session, tmp_path / "a.usda", "WetSlate/pellune_network/colour")
    assert slate.startswith("/") and slate.endswith(
        "library/stone/slate_colour.png"
    )  # the scene's own path was a full one
    rail = written(session, tmp_path / "b.usda", "RailPaint/pellune_network/fresh")
    assert rail == "./moved/scene/textures/rail_colour.png"
    oak = written(session, tmp_path / "c.usda", "TableOak/pellune_network/slopes")
    assert oak == "./moved/library/wood/oak_normal.png"  # a drive letter leads nowhere on another machine


def test_links_are_written_within_one_dialect_too(session, packs, tmp_path) -> None:
    session.do("Stay", Choose(target="orvik"))
    session.renew()
    session.carry(tmp_path / "same.usda")
    stage = Usd.Stage.Open(str(tmp_path / "same.usda"))
    path = stage.GetPrimAtPath("/LampRoom/Looks/WetSlate/colour").GetAttribute("inputs:file").Get()
    assert path.resolvedPath.endswith("library/stone/slate_colour.png")


def test_a_saved_crossing_has_roots_links_and_memory(session, packs, tmp_path) -> None:
    session.relink({"./textures/Rail_Colour.PNG": "./textures/rail_colour.png"})
    session.renew()
    session.save(tmp_path / "a.durvan")
    document = load(tmp_path / "a.durvan")
    assert document.roots[0].folder.endswith("library") and len(document.remembered) == 4
    again = start(tmp_path / "a.durvan", packs)
    assert (
        file(again, "Rail_Colour").state is FileState.IN_PLACE
        and file(again, "slate_colour").state is FileState.BY_A_ROOT
    )


def test_what_is_remembered_tells_candidates_apart(session, packs, moved, tmp_path) -> None:
    session.relink(
        {file(session, "plaster_height").written: str(moved.parent.parent / "library" / "old" / "plaster_height.png")}
    )
    session.renew()
    session.save(tmp_path / "a.durvan")
    session.undo()
    session.renew()
    assert file(session, "plaster_height").candidates[0].why == "the same checksum"
    assert "old" in file(session, "plaster_height").resolved


def test_green_is_turned_round_for_the_target(session) -> None:
    audit(session, silent)
    (wrong,) = found(session, "wrong-green")
    assert wrong.thing == "/LampRoom/Looks/WetSlate" and "green up" in wrong.cause
    before = session.plan.translations[wrong.thing].graph
    session.apply([wrong.remedies[0]])
    session.renew()
    after = session.plan.translations[wrong.thing].graph
    # green up is what Pellune wants: the picture feeds the relief straight away, and the turn that was there is gone
    assert len(after.nodes) == len(before.nodes) - 1 and not found(session, "wrong-green")
    row = next(
        row for row in session.plan.translations[wrong.thing].rows if (row.node, row.parameter) == ("bumps", "map")
    )
    assert "turned round by hand" in row.reason
    session.undo()
    session.renew()
    assert found(session, "wrong-green")


def test_green_is_not_offered_to_be_turned_within_one_dialect(session) -> None:
    audit(session, silent)
    session.do("Stay", Choose(target="orvik"))
    session.renew()
    assert found(session, "wrong-green")[0].remedies == ()


def test_every_picture_is_judged_and_told_of(session) -> None:
    audit(session, silent)
    assert {f.file for f in found(session, "data-as-colour")} == {
        "./textures/brass_polish.png",
        SLATE.replace("normal", "polish"),
    }
    assert {f.thing for f in found(session, "colour-as-data")} == {
        "/LampRoom/Looks/ChartPaper",
        "/LampRoom/Looks/TableOak",
    }
    assert all(f.station == "Files" and f.file for f in found(session, "eight-bit-height"))
    session.apply([f.remedies[0] for f in found(session, "data-as-colour")])
    session.renew()
    assert not found(session, "data-as-colour")


def test_a_picture_that_changes_on_the_disk_is_seen(session) -> None:
    disk = session.evidence.disk
    session.renew(afresh=True)
    assert session.evidence.disk is disk  # nothing has changed
    absent = file(session, "tide_table")
    (Path(session.document.roots[0].folder) / "paper" / "tide_table.png").write_bytes(
        Path(file(session, "chart_colour").first).read_bytes()
    )
    session.shelf.renew()
    session.renew(afresh=True)
    assert (
        session.evidence.disk is not disk
        and file(session, "tide_table").state is FileState.BY_A_ROOT
        and absent.state is FileState.ABSENT
    )


def test_copies_are_read_by_the_target_when_that_is_chosen(session, tmp_path) -> None:
    tasks = work(session.scene, session.now.uses, str(tmp_path / "copies"), session.outlook()).tasks
    uses = {Path(task.original).name: task.use for task in tasks}
    assert (
        uses["slate_normal.png"] is Use.NORMAL
        and uses["rope_height.png"] is Use.HEIGHT
        and uses["dusk_sky.exr"] is Use.SURROUNDINGS
    )
    prepare(tasks[:4], 2)
    session.do("Read copies", Choose(copies=str(tmp_path / "copies")))
    session.renew()
    made = {Path(task.original).name for task in tasks[:4]}
    slate = written(session, tmp_path / "a.usda", "WetSlate/pellune_network/colour")
    assert slate.endswith("slate_colour.tiled.tif") is ("slate_colour.png" in made)
    session.do("Read originals", Choose(copies=""))
    session.renew()
    assert written(session, tmp_path / "b.usda", "WetSlate/pellune_network/colour").endswith("slate_colour.png")


def test_files_that_no_material_names_are_in_the_inventory(packs, tmp_path, monkeypatch) -> None:
    (tmp_path / "config.ocio").write_text("ocio_profile_version: 2\n")
    monkeypatch.setenv("OCIO", str(tmp_path / "config.ocio"))
    (tmp_path / "a.usda").write_text(
        '#usda 1.0\n(\n    subLayers = [@./gone.usda@]\n)\ndef Xform "W"\n{\n    asset cache = @./fog.vdb@\n'
        '    def SphereLight "Lamp"\n    {\n        asset inputs:shaping:ies:file = @./lamp.ies@\n    }\n}\n'
    )
    session = start(tmp_path / "a.usda", packs, "pellune")
    kinds = {one.written: (one.kind.value, one.state.value) for one in session.scene.files.values()}
    assert kinds["./gone.usda"] == ("layer", "absent") and kinds["./fog.vdb"] == ("geometry", "absent")
    assert kinds[str(tmp_path / "config.ocio")] == ("colour config", "in place") and kinds["./lamp.ies"] == (
        "light profile",
        "absent",
    )
    codes = {finding.code for finding in session.findings if finding.station == "Files"}
    assert codes == {"layer-absent", "geometry-absent", "light-profile-absent"}
    assert next(one for one in session.scene.files.values() if "vdb" in one.written).sites == ["/W.cache"]


def test_paths_out_of_the_scenes_folder_wait_for_leave(packs, lamproom, tmp_path) -> None:
    (tmp_path / "scene").mkdir()
    (tmp_path / "tex").mkdir()
    (tmp_path / "tex" / "a.png").write_bytes((lamproom.parent / "textures" / "oak_colour.png").read_bytes())
    text = (
        lamproom.read_text()
        .replace("./textures/oak_colour.png", "../tex/a.png")
        .replace("./textures/chart_colour.png", str(tmp_path / "tex/a.png"))
    )
    (tmp_path / "scene" / "a.usda").write_text(text)
    session = start(tmp_path / "scene" / "a.usda", packs, "pellune")
    (outside,) = found(session, "outside")
    assert file(session, "../tex").first == "" and outside.remedies[0].does == AllowFolder(folder=str(tmp_path / "tex"))
    (full,) = found(session, "full-path")
    assert full.remedies[0].does == PutLinks(links=(Relink(written=str(tmp_path / "tex/a.png"), to="../tex/a.png"),))
    session.apply([outside.remedies[0], full.remedies[0]])
    session.renew()
    assert not found(session, "outside") and not found(session, "full-path") and file(session, "../tex").first
