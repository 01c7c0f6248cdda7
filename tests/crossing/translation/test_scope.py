"""What is carried: one, what is worn on something, a kind, all; again and again into one file; and back to how it was."""

from __future__ import annotations

from pathlib import Path

import pytest
from pxr import Sdf, Usd

from durvan.crossing.document.changes import Choose, Forget, PutNote, ReadAs, SayKind, SetPolicy
from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.choices import Choices, KindSaid, Note, Reading
from durvan.crossing.translation.plan import in_scope
from durvan.crossing.translation.policies import Kinds
from durvan.crossing.translation.rows import By
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError
from durvan.scene.traits import MaterialKind
from making import write

FINISH = """
    def Material "%s"
    {
        token outputs:orvik:surface.connect = </W/%s/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            float inputs:polish = %s
            token outputs:out
        }
    }
"""
SCENE = (
    """#usda 1.0
(
    metersPerUnit = 1
)
def Xform "W"
{
    def Xform "Left"
    {
        def Mesh "a" ( prepend apiSchemas = ["MaterialBindingAPI"] )
        {
            rel material:binding = </W/One>
        }
        def SphereLight "lamp"
        {
            uniform token orvik:kind = "point"
        }
    }
    def Mesh "b" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        rel material:binding = </W/Two>
    }
"""
    + "".join(FINISH % (name, name, polish) for name, polish in (("One", 0.3), ("Two", 0.5), ("Three", 0.7)))
    + "}\n"
)


@pytest.fixture
def session(packs: Registry, tmp_path: Path) -> Session:
    return start(write(tmp_path, SCENE), packs, "pellune", "orvik")


def names(session: Session, scope: str, kinds: Kinds | None = None) -> list[str]:
    return [thing.name for thing in in_scope(session.scene, scope, kinds)]


def test_a_path_on_the_stage_stands_for_what_is_there_and_what_is_worn(session: Session) -> None:
    assert names(session, "/W/Left") == ["lamp", "One"]
    assert names(session, "/W/b") == ["Two"] and names(session, "/W/b, Three") == ["Two", "Three"]
    assert sorted(names(session, "/W")) == ["One", "Three", "Two", "lamp"]
    with pytest.raises(MisuseError, match="nothing in the scene is called '/W/Lef'"):
        names(session, "/W/Lef")


def test_a_kind_stands_for_what_was_recognised_or_said(session: Session) -> None:
    choices = Choices(target="pellune", kinds=(KindSaid(thing="/W/Two", kind=MaterialKind.METAL),))
    assert names(session, "bare metal", Kinds(choices, {})) == ["Two"]
    assert names(session, "cloth", Kinds(choices, {})) == []  # none is known to be, which is no mistake
    session.do("Say", SayKind(thing="/W/Three", kind=MaterialKind.GLAZED), Choose(scope="glazed"))
    session.renew()
    assert list(session.plan.translations) == ["/W/Three"]


def carried(session: Session, scope: str, out: Path) -> Usd.Stage:
    session.do("Scope", Choose(scope=scope))
    session.renew()
    session.carry(out)
    layer = Sdf.Layer.FindOrOpen(str(out))
    layer.Reload(force=True)
    return Usd.Stage.Open(layer)


def test_a_scene_of_the_same_name_elsewhere_is_not_mixed_in(session: Session, packs: Registry, tmp_path: Path) -> None:
    out, other = tmp_path / "out.usda", tmp_path / "other" / Path(session.scene.file).name
    carried(session, "Two", out)
    assert carried(session, "One", out).GetPrimAtPath("/W/Two/pellune_network")
    other.parent.mkdir()
    other.write_bytes(Path(session.scene.file).read_bytes())
    assert not carried(start(other, packs, "pellune"), "One", out).GetPrimAtPath("/W/Two/pellune_network")


@pytest.mark.parametrize("ending", ["usda", "usdc"])
def test_parts_go_into_one_file_one_after_the_other_and_again_without_duplicates(
    session: Session, tmp_path: Path, ending: str
) -> None:
    out = tmp_path / f"out.{ending}"
    carried(session, "One", out)
    carried(session, "Two, lamp", out)
    session.do("Set", PutNote(note=Note(thing="/W/One", node="finish", parameter="rough", value=0.9)))
    stage = carried(session, "One", out)
    for name in ("One", "Two"):
        assert [child.GetName() for child in stage.GetPrimAtPath(f"/W/{name}").GetChildren()] == [
            "finish",
            "pellune_network",
        ]
        assert len(stage.GetPrimAtPath(f"/W/{name}/pellune_network").GetChildren()) == 1
    assert not stage.GetPrimAtPath("/W/Three/pellune_network")
    attributes = stage.GetPrimAtPath("/W/Left/lamp").GetAuthoredAttributes()
    assert any(one.GetName().startswith("pellune:") for one in attributes)
    assert stage.GetPrimAtPath("/W/One/pellune_network/finish").GetAttribute("inputs:rough").Get() == pytest.approx(0.9)
    stage = carried(session, "everything", out)  # all of it replaces what was there
    assert stage.GetPrimAtPath("/W/Three/pellune_network")


def test_a_file_of_another_target_is_replaced(session: Session, tmp_path: Path) -> None:
    out = tmp_path / "out.usda"
    carried(session, "One", out)
    session.do("To", Choose(target="openpbr"))
    stage = carried(session, "Two", out)
    assert not stage.GetPrimAtPath("/W/One/pellune_network") and stage.GetPrimAtPath("/W/Two/openpbr_network")


def test_all_that_was_chosen_about_one_is_taken_back_and_nothing_else(session: Session) -> None:
    before = session.document
    about = [
        PutNote(note=Note(thing="/W/One", node="finish", parameter="rough", value=0.9)),
        SetPolicy(subject="/W/One", what="bake", how="never"),
        ReadAs(entry=Reading(thing="/W/One", node="finish", case="plain")),
        SayKind(thing="/W/One", kind=MaterialKind.WAX),
    ]
    other = SetPolicy(subject="everything", what="layers", how="one")
    session.do("Choose", *about, other)
    session.do("Forget", Forget(thing="/W/One"))
    assert session.document == other.apply(before)
    session.undo()
    assert len(session.document.notes) == 1


def test_what_a_hand_set_goes_to_others_that_are_built_like_it(session: Session) -> None:
    session.do(
        "Set",
        PutNote(note=Note(thing="/W/One", node="finish", parameter="rough", value=0.9)),
        PutNote(note=Note(thing="/W/One", node="finish", parameter="color", value=(0.1, 0.2, 0.3), by=By.FIT)),
    )
    session.renew()
    change = session.copy_notes("/W/One", ["/W/One", "/W/Two", "/W/Three", "/W/Left/lamp"])
    assert change is not None
    assert [(note.thing, note.parameter, note.value) for note in change.notes] == [
        ("/W/Two", "rough", 0.9), ("/W/Three", "rough", 0.9),
    ]  # fmt: skip
    session.do("Copy", change)
    session.renew()
    graph = session.plan.translations["/W/Two"].graph
    assert graph.nodes[graph.outputs["surface"].node].values["rough"] == 0.9
    again = session.copy_notes("/W/One", ["/W/Two"])
    assert again is not None and len(again.apply(session.document).notes) == len(session.document.notes)
    assert session.copy_notes("/W/Three", []) is None
