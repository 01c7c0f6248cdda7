"""Fits against looks whose answer is known, and what becomes of them in a crossing."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from durvan.crossing.document.changes import Choose, Fit, PutFits, SetValue, TakeFit
from durvan.crossing.document.document import VERSION
from durvan.crossing.document.store import load, save
from durvan.crossing.job.session import start
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.crossing.looks.fit import fit, with_moved
from durvan.crossing.translation.choices import Note, Override
from durvan.dialects.look import Facts, Lobe, Surface, record, trace
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.scene.drift import Drift
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind

pytestmark = pytest.mark.usefixtures("kernels")
FACTS = Facts(1.0)


def surface(values: dict, links=None, **nodes) -> Graph:
    graph = Graph(outputs={"surface": Link("s")})
    graph.add(Node("s", "pellune.surface", values, {p: Link(*link) for p, link in (links or {}).items()}))
    for name, (kind, node_values, node_links) in nodes.items():
        graph.add(Node(name, kind, node_values, {p: Link(*link) for p, link in node_links.items()}))
    return graph


def look(packs: Registry, graph: Graph):
    pack = packs.get("pellune")
    return trace(graph, pack.vocabulary, pack.looks, FACTS)


@pytest.mark.parametrize(
    ("true", "begin"),
    [
        ({"color": (0.6, 0.3, 0.1), "rough": 0.4, "facing_reflect": 0.06}, {"color": (0.4, 0.4, 0.4), "rough": 0.6}),
        (
            {"metal": 1.0, "color": (0.9, 0.7, 0.3), "rough": 0.3},
            {"metal": 1.0, "color": (0.6, 0.6, 0.6), "rough": 0.5},
        ),
    ],
)
def test_a_fit_finds_the_values_that_a_look_was_made_of(packs: Registry, true: dict, begin: dict) -> None:
    found = fit(look(packs, surface(true)), surface(begin), packs.get("pellune"), FACTS, staging.pixels)
    assert found is not None and found.after < 0.1 * found.before
    values = {one.parameter: one.value for one in found.moved}
    assert values["rough"] == pytest.approx(true["rough"], abs=0.02)
    assert values["color"] == pytest.approx(true["color"], abs=0.03)


def test_a_map_is_fitted_by_its_correction(packs: Registry) -> None:
    """What feeds a parameter is corrected once, for all of the map."""
    target = surface(
        {}, {"rough": ("a", "grey")}, a=("pellune.adjust", {}, {"input": ("r", "grey")}), r=("pellune.ramp", {}, {})
    )
    wanted = 0.2 + 0.5 * ex.clamp(ex.point("u"))
    alpha = wanted * wanted
    top = Lobe(L.REFLECT, 1.0, alpha, fresnel=L.SCHLICK, first=0.04, cover=L.SCALED, full=True)
    source = record(Surface([top, Lobe(L.DIFFUSE, 0.8, under=top)]))
    found = fit(source, target, packs.get("pellune"), FACTS, staging.pixels)
    assert found is not None
    values = {(one.node, one.parameter): one.value for one in found.moved}
    assert values["a", "gain"][0] == pytest.approx(0.5, abs=0.06)
    assert values["a", "shift"][0] == pytest.approx(0.2, abs=0.04)


def test_nothing_is_moved_where_nothing_is_gained(packs: Registry) -> None:
    same = surface({"color": (0.5, 0.2, 0.1)})
    assert fit(look(packs, same), same, packs.get("pellune"), FACTS, staging.pixels) is None
    assert fit(look(packs, same), Graph(), packs.get("pellune"), FACTS, staging.pixels) is None
    assert with_moved(same, []).nodes == same.nodes


@pytest.mark.slow
def test_a_fit_is_kept_only_when_it_is_measured_to_be_better(packs: Registry, lamproom: Path, tmp_path: Path) -> None:
    session = start(lamproom, packs, "pellune")
    seen = Appearance(session.scene, packs, tmp_path)
    cloth = session.scene.things["/LampRoom/Looks/Oilskin"]
    better = seen.improve(cloth, session.plan.translations[cloth.id])
    assert better is not None and better.after.mean < 0.85 * better.before.mean
    glass = session.scene.things["/LampRoom/Looks/DialGlass"]
    clear = seen.improve(glass, session.plan.translations[glass.id])
    assert clear is not None and clear.after.mean < 0.6 * clear.before.mean
    paint = session.scene.things["/LampRoom/Looks/CeilingPaint"]
    assert seen.improve(paint, session.plan.translations[paint.id]) is None  # nothing to better
    session.do("Fit", PutFits(notes=better.notes))
    session.renew()
    assert seen.drift(cloth, session.plan.translations[cloth.id]).mean == pytest.approx(better.after.mean, abs=0.02)
    rows = [row for row in session.plan.translations[cloth.id].rows if row.by == "fit"]
    assert rows and all(row.drift == (better.before.mean, better.after.mean) for row in rows)
    assert any(row.fate is Fate.ADDED for row in rows) and all(row.reason for row in rows)
    session.do("Take it back", TakeFit(thing=cloth.id))
    session.renew()
    assert not any(row.by for row in session.plan.ledger)


def test_notes_travel_with_the_crossing(packs: Registry, lamproom: Path, tmp_path: Path) -> None:
    session = start(lamproom, packs, "pellune")
    name = "/LampRoom/Looks/PedestalBrass"
    session.put(name, "finish", "rough", 0.5)
    session.renew()
    translation = session.plan.translations[name]
    assert translation.graph.nodes["finish"].values["rough"] == 0.5
    (row,) = [row for row in translation.rows if row.by == "hand"]
    assert row.fate is Fate.FITTED and row.reason == "Set by hand."
    session.save(tmp_path / "a.durvan")
    again = start(tmp_path / "a.durvan", packs)
    assert again.plan.translations[name].graph.nodes["finish"].values["rough"] == 0.5
    carried = again.carry(tmp_path / "out.usda")
    assert carried.checked > 0 and "float inputs:rough = 0.5" in (tmp_path / "out.usda").read_text()
    again.put(name, "finish", "rough", None)
    again.renew()
    assert again.plan.translations[name].graph.nodes["finish"].values["rough"] == pytest.approx(0.86 * 0.26)
    assert again.undo() == "Take rough back"


def test_a_fit_over_other_values_does_not_count_any_more(packs: Registry, lamproom: Path) -> None:
    session = start(lamproom, packs, "pellune")
    name = "/LampRoom/Looks/PedestalBrass"
    over = session.plan.translations[name].graph.nodes["finish"].values["rough"]
    session.do(
        "Fit",
        PutFits(
            notes=(
                Note(
                    thing=name, node="finish", parameter="rough", value=0.31, by="fit", over=over, before=3.0, after=1.0
                ),
            )
        ),
    )
    session.renew()
    assert session.plan.translations[name].graph.nodes["finish"].values["rough"] == 0.31
    session.do("other", SetValue(entry=Override(thing=name, node="finish", parameter="polish", value=0.5)))
    session.renew()
    assert session.plan.translations[name].graph.nodes["finish"].values["rough"] == pytest.approx(0.86 * 0.5)


def test_a_note_that_fits_nothing_is_passed_over(packs: Registry, lamproom: Path) -> None:
    session = start(lamproom, packs, "pellune")
    name = "/LampRoom/Looks/PedestalBrass"
    before = session.plan.translations[name].graph.nodes["finish"].values
    for node, parameter, value in (
        ("gone", "rough", 0.5),
        ("finish", "gone", 0.5),
        ("finish", "rough", "soft"),
        ("finish", "color", 1.0),
    ):
        session.put(name, node, parameter, value)
    session.renew()
    assert session.plan.translations[name].graph.nodes["finish"].values == before


_LATER = (
    "notes",
    "drift_limit",
    "links",
    "turned",
    "roots",
    "remembered",
    "copies",
    "trims",
    "tints",
    "added",
    "kept_off",
    "sets",
    "in_use",
    "light_limit",
    "camera",
    "probes",
)


def test_a_crossing_of_the_first_version_opens(packs: Registry, lamproom: Path, tmp_path: Path) -> None:
    session = start(lamproom, packs, "pellune")
    session.save(tmp_path / "a.durvan")
    text = (tmp_path / "a.durvan").read_text()
    first = {key: said for key, said in json.loads(text).items() if key not in _LATER} | {"version": 1}
    old = json.dumps(first)
    assert '"notes"' not in old and '"version": 1' in old
    (tmp_path / "old.durvan").write_text(old)
    document = load(tmp_path / "old.durvan")
    assert document.version == VERSION and document.notes == document.links == () and document.drift_limit == 3.0
    save(replace_limit(document, 1.5), tmp_path / "new.durvan")
    assert load(tmp_path / "new.durvan").drift_limit == 1.5


def replace_limit(document, limit: float):
    return document.model_copy(update={"drift_limit": limit})


def test_drift_over_the_limit_is_a_finding(packs: Registry, lamproom: Path) -> None:
    session = start(lamproom, packs, "pellune")
    before = len(session.findings)
    brass, flag = "/LampRoom/Looks/PedestalBrass", "/LampRoom/Looks/SignalFlag"
    far = Drift(4.2, 9.0, 0.1, "raking", (1.0, 2.0, 4.2), 8)
    things = session.scene.things
    session.measured({session.key_of(things[brass]): far, session.key_of(things[flag]): replace(far, mean=0.3)})
    session.renew()
    (found,) = [finding for finding in session.findings if finding.code == "drift"]
    assert found.thing == brass and "4.2" in found.cause and "raking" in found.consequence
    assert [remedy.does for remedy in found.remedies] == [Fit(thing=brass)]
    assert len(session.findings) == before + 1
    assert [(f.level, f.code) for f in session.findings] == sorted((f.level, f.code) for f in session.findings)
    assert session.apply(list(found.remedies)) == list(found.remedies)  # a request: somebody has to see to its work
    assert session.document.notes == ()
    session.do("limit", Choose(drift_limit=5.0))
    session.renew()
    assert not [finding for finding in session.findings if finding.code == "drift"]


def test_things_in_the_targets_words(packs: Registry, lamproom: Path) -> None:
    session = start(lamproom, packs, "pellune", scope="materials")
    things = session.plan.target_things
    assert {thing.kind for thing in things} == {Kind.MATERIAL} and {thing.dialect for thing in things} == {"pellune"}
    assert len(materials(session.scene, session.plan.translations)) == 31
