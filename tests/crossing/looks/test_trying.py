"""Settle tries remedies and fits, alone and together, keeps what measurably helps, stops, resumes, and never repeats what it knows."""

from __future__ import annotations

from pathlib import Path

import pytest

from durvan.crossing.document.changes import Fit, PutFits, ReadAs, SetPolicy, TurnGreen, applied
from durvan.crossing.document.document import Document
from durvan.crossing.job.session import Session, start
from durvan.crossing.job.settling import effect_of, measurable, take, work_of
from durvan.crossing.looks import trying
from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.looks.pairs import pair
from durvan.crossing.looks.trials import (
    Candidate,
    Effect,
    Proposal,
    Stays,
    Subject,
    Tried,
    Work,
    action_key,
    changes_of,
)
from durvan.crossing.looks.trying import Trier
from durvan.crossing.translation.choices import Reading, Turn
from durvan.crossing.translation.plan import plan_one
from durvan.dialects.registry import Registry
from durvan.engine import swatches
from durvan.errors import Stopped
from durvan.scene.bodies import Body
from durvan.scene.model import Scene, Thing
from making import material, write

pytestmark = pytest.mark.usefixtures("kernels")
SHEET = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))
BRASS = {
    "base_tint": (0.03, 0.02, 0.01),
    "edge_rise": False,
    "mirror_tint": (0.78, 0.57, 0.26),
    "polish": 0.2,
    "polish_curve": "beckmann",
}


@pytest.fixture(autouse=True, scope="module")
def _kept(tmp_path_factory: pytest.TempPathFactory) -> None:
    pytest.MonkeyPatch().setenv("DURVAN_SWATCHES", str(tmp_path_factory.mktemp("kept")))


def document(target: str = "pellune") -> Document:
    return Document(source="a.usda", source_sha256="0" * 64, target=target)


def brass() -> Thing:
    return material("orvik", {"surface": ("orvik.finish", dict(BRASS), {})}, name="Brass")


def subject(
    packs: Registry, thing: Thing, *candidates: Candidate, doc: Document | None = None
) -> tuple[Trier, Subject]:
    scene = Scene("none.usda", "orvik", 0.01, things={thing.id: thing})
    seen = Appearance(scene, packs, swatches.cache_folder())
    done = plan_one(scene, packs, doc or document(), thing, {thing.id: SHEET})
    fit = Candidate("fit it", Fit(thing=thing.id))
    trier = Trier(seen, doc or document(), {thing.id: SHEET})
    return trier, Subject(pair(thing, done, {}), (*candidates, fit))


def test_a_fit_is_gone_on_with_by_what_is_seen_and_is_better_for_it(packs: Registry) -> None:
    trier, one = subject(packs, brass())
    tried = trier.tried(one)
    assert tried.proposal is not None and tried.stays is None
    effect = tried.proposal.effect
    assert effect.helps and effect.after < 0.8 * effect.before and effect.unit == "ΔE00"
    fit = tried.effects[one.pair.key, action_key(Fit(thing="/Set/Brass"))]
    assert fit.before == effect.before and effect.after <= fit.after < fit.before
    (put,) = tried.proposal.changes
    assert isinstance(put, PutFits) and {note.parameter for note in put.notes} <= {"color", "edge_color", "rough"}
    # what stands then drifts by what was said
    after = plan_one(trier.appearance.scene, packs, applied(document(), (put,)), brass(), {"/Set/Brass": SHEET})
    found = trier.appearance.drift(brass(), after)
    assert found is not None and found.mean == pytest.approx(effect.after, abs=0.02)


def test_what_is_the_same_already_is_left_alone(packs: Registry) -> None:
    plain = material("orvik", {"surface": ("orvik.finish", {"mirror_tint": (0.0, 0.0, 0.0)}, {})})
    trier, one = subject(packs, plain)
    assert trier.tried(one) == Tried(plain.id)


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Fits are not gone on with: that is tried elsewhere."""
    monkeypatch.setattr(trying, "WISHED", 1e9)


@pytest.mark.usefixtures("quick")
def test_a_reading_that_makes_it_worse_is_measured_and_not_taken(packs: Registry) -> None:
    gold = material(
        "orvik", {"surface": ("orvik.finish", {**BRASS, "edge_rise": True, "mirror_index": 9.0}, {})}, name="Brass"
    )
    done = plan_one(Scene("", "orvik", 0.01), packs, document(), gold)
    (node,) = done.readings
    other = next(
        name
        for name in ("plain", "metal", "dielectric")
        if name != done.readings[node] and packs.packs["orvik"].case("orvik.finish", name)
    )
    read = ReadAs(entry=Reading(thing=gold.id, node=node, case=other))
    trier, one = subject(packs, gold, Candidate("read otherwise", read))
    tried = trier.tried(one)
    worse = tried.effects[one.pair.key, action_key(read)]
    assert worse.after > worse.before and not worse.helps
    assert tried.proposal is None or "read otherwise" not in tried.proposal.labels


def test_what_is_meant_by_the_source_is_not_changed_to_lower_a_number(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"relief": ("n", "relief")}),
        "n": ("orvik.normal_map", {}, {"map": ("p", "colour")}),
        "p": ("orvik.picture", {"file": "none.png", "decode_gamma": 1.0}, {}),
    }
    turn = TurnGreen(entry=Turn(thing="/Set/Paint", node="p"))
    trier, one = subject(packs, material("orvik", nodes), Candidate("turn green round", turn))
    begun = trier._way((), one, one.pair.translation, ())
    assert trier._with(one, begun, one.candidates[0]) is None


def test_what_cannot_be_seen_stays_with_a_person(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("p", "colour")}),
        "p": ("orvik.picture", {"file": "none.png"}, {}),
    }
    trier, one = subject(packs, material("orvik", nodes))
    tried = trier.tried(one)
    assert tried.proposal is None and tried.stays is not None and "not all of it is known" in tried.stays.why


@pytest.mark.usefixtures("quick")
def test_procedurals_are_baked_where_that_brings_it_nearer(packs: Registry) -> None:
    """A chequer that the target has no word for, and that nobody wanted baked: a way that helps much is taken, and then a fit is tried on it."""
    nodes = {
        "surface": ("orvik.finish", {"mirror_tint": (0.0, 0.0, 0.0)}, {"base_tint": ("c", "colour")}),
        "c": ("orvik.chequer", {"first": (0.7, 0.3, 0.2), "second": (0.1, 0.2, 0.3), "repeats": (2.0, 2.0)}, {}),
    }
    thing = material("orvik", nodes)
    never = applied(document(), (SetPolicy(subject=thing.id, what="bake", how="never"),))
    bake = SetPolicy(subject=thing.id, what="bake", how="where needed")
    trier, one = subject(packs, thing, Candidate("bake it", bake), doc=never)
    tried = trier.tried(one)
    assert tried.proposal is not None and tried.proposal.changes[0] == bake
    assert tried.proposal.labels[0] == "bake it" and tried.proposal.effect.after < 2.0 < tried.proposal.effect.before


def test_it_stops_and_what_was_measured_is_not_measured_again(packs: Registry) -> None:
    trier, one = subject(packs, brass())
    trier.stop = lambda: True
    trier.appearance.makers.folder = None
    with pytest.raises(Stopped):
        trier.tried(one)
    trier, one = subject(packs, brass())
    first = trier.tried(one)
    again, one = subject(packs, brass())
    again.memory = trier.memory
    made: list[int] = []
    original = swatches.Maker.to
    patch = pytest.MonkeyPatch()
    patch.setattr(swatches.Maker, "to", lambda self, *args: made.append(1) or original(self, *args))
    assert again.tried(one) == first and made == []  # not one pixel was rendered
    patch.undo()


def test_changes_of_many_stand_together_and_effects_say_when_they_help() -> None:
    def one(n: int) -> Proposal:
        return Proposal(
            f"/m{n}",
            ("bake",),
            (SetPolicy(subject=f"/m{n}", what="bake", how="never"), PutFits(notes=())),
            Effect(2.0, 1.0),
        )

    kinds = [type(change).__name__ for change in changes_of([one(1), one(2)])]
    assert kinds == ["PutFits", "PutFits", "SetPolicy", "SetPolicy"]
    assert Effect(2.0, 1.0).helps and not Effect(2.0, 1.999).helps and not Effect(1.0, 2.0).helps


# a crossing


SCENE = """#usda 1.0
(
    metersPerUnit = 0.01
)
def Xform "W"
{
    def Mesh "a" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-100, 0, 100), (100, 0, 100), (100, 0, -100), (-100, 0, -100)]
        rel material:binding = </W/Brass>
    }
    def Camera "eye"
    {
        matrix4d xformOp:transform = ( (1, 0, 0, 0), (0, 0, -1, 0), (0, 1, 0, 0), (0, 300, 0, 1) )
        uniform token[] xformOpOrder = ["xformOp:transform"]
    }
    def SphereLight "lamp"
    {
        uniform token orvik:kind = "point"
        double3 xformOp:translate = (0, 200, 50)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Material "Brass"
    {
        token outputs:orvik:surface.connect = </W/Brass/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint = (0.03, 0.02, 0.01)
            color3f inputs:mirror_tint = (0.78, 0.57, 0.26)
            bool inputs:edge_rise = 0
            float inputs:polish = 0.2
            string inputs:polish_curve = "beckmann"
            token outputs:out
        }
    }
}
"""


@pytest.fixture
def session(packs: Registry, tmp_path: Path) -> Session:
    from durvan.crossing.job.session import start

    made = start(write(tmp_path, SCENE), packs, "pellune", "orvik")
    seen = Appearance(made.scene, packs, swatches.cache_folder())
    thing = made.scene.things["/W/Brass"]
    found = seen.drift(thing, made.plan.translations[thing.id])
    assert found is not None
    made.measured({made.key_of(thing): found})
    made.renew()
    return made


@pytest.mark.usefixtures("quick")
def test_what_helps_stands_as_one_step_and_goes_as_one(session: Session) -> None:
    work = work_of(session)
    (one,) = work.subjects
    assert any(isinstance(candidate.does, Fit) for candidate in one.candidates)
    seen = Appearance(session.scene, session.registry, swatches.cache_folder())
    tried = Trier(seen, work.document).tried(one)
    assert tried.proposal is not None
    session.tried(tried.effects)
    finding = next(one for one in session.open_findings() if one.code == "drift")
    (fit,) = finding.remedies
    effect = effect_of(session, finding, fit)
    assert measurable(fit) and effect is not None and effect.helps
    steps = len(session.done)
    take(session, [tried.proposal])
    session.renew()
    assert len(session.done) == steps + 1 and session.done[-1].name == "Settle"
    found = session.drift("/W/Brass")  # known already, without another measurement
    assert found is not None and found.mean == tried.proposal.effect.after
    assert effect_of(session, finding, fit) is None  # it was measured on what stood before
    assert session.undo() == "Settle"
    session.renew()
    assert session.drift("/W/Brass").mean == pytest.approx(tried.proposal.effect.before)


def test_only_what_is_asked_for_is_tried_and_what_is_settled_is_not(session: Session) -> None:
    assert work_of(session, {"/W/Nobody"}) == Work(session.document)
    assert [one.pair.thing.id for one in work_of(session, {"/W/Brass"}).subjects] == ["/W/Brass"]
    known = session.drift("/W/Brass")
    thing = session.scene.things["/W/Brass"]
    from dataclasses import replace

    session.measured({session.key_of(thing): replace(known, mean=0.1)})
    session.renew()
    assert work_of(session).subjects == ()


@pytest.mark.usefixtures("quick")
def test_the_command_tries_and_lets_stand(packs: Registry, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from rich.console import Console

    from durvan.cli import settle
    from durvan.progress import silent

    made = start(write(tmp_path, SCENE), packs, "pellune", "orvik")
    rows = settle.rows_of(settle.settle(made, True, silent))
    (brass_row,) = [row for row in rows if row["thing"] == "/W/Brass"]
    assert brass_row["does"] and brass_row["after"] < brass_row["before"] and brass_row["stays"] is None
    assert made.document.notes and made.drift("/W/Brass").mean == pytest.approx(brass_row["after"], abs=1e-3)
    settle.tell(rows, True, Console(width=120))
    said = capsys.readouterr().out
    assert "Brass" in said and "things measurably better, done" in said


def test_what_stays_is_told_with_why() -> None:
    from durvan.cli import settle

    tried = [Tried("/m", stays=Stays("/m", 4.2, "nobody knows")), Tried("/n")]
    assert settle.rows_of(tried) == [
        {"thing": "/m", "does": [], "before": 4.2, "after": None, "unit": "ΔE00", "stays": "nobody knows"}
    ]
