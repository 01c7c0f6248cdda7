"""The light is settled by what is measured: each change, all together, and trims on top; the fewest changes of what is as good."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.document.changes import Choose, Match, SetTrims, applied
from durvan.crossing.document.document import Document
from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.ladder import Ladder, Side
from durvan.crossing.light.report import LightReport, Part
from durvan.crossing.looks.light_trying import MATCHED, LightTrier, light_key
from durvan.crossing.looks.trials import STOPS, THE_LIGHT, LightTrial, action_key
from durvan.dialects.registry import Registry
from durvan.errors import Stopped
from durvan.scene.model import Scene
from durvan.scene.probe import Probe
from making import single

KEY, FILL = single("orvik", "orvik.point", {}, name="Key"), single("orvik", "orvik.point", {}, name="Fill")
SCENE = Scene("none.usda", "orvik", 0.01, things={one.id: one for one in (KEY, FILL)})
DOCUMENT = Document(source="a.usda", source_sha256="0" * 64, target="pellune")
WARM = Choose(kelvin="white")


def report(key: str, lux: dict[str, tuple[float, float]]) -> LightReport:
    parts = tuple(
        Part(f"/Set/{name}", name, "SphereLight", "", np.full((1, 3), source), np.full((1, 3), target))
        for name, (source, target) in lux.items()
    )
    same = Ladder(Side(0.01), Side(0.01))
    return LightReport(key, (Probe("p", (0.0, 0.0, 0.0)),), parts, same)


def trial(key: str, *changes: Choose) -> LightTrial:
    return LightTrial(key if changes else "", changes, Wanted("/eye", [], [], key=key), applied(DOCUMENT, changes))


def trier(packs: Registry, reports: dict[str, LightReport | None]) -> tuple[LightTrier, list[str]]:
    asked: list[str] = []

    def measure(wanted: Wanted) -> LightReport | None:
        asked.append(wanted.key)
        return reports[wanted.key]

    return LightTrier(SCENE, packs, measure), asked


def test_trims_that_match_it_are_proposed_and_said_in_stops(packs: Registry) -> None:
    lights, asked = trier(packs, {"now": report("now", {"Key": (100.0, 200.0), "Fill": (50.0, 50.0)})})
    match = Match(things=("/Set/Key",))
    tried = lights.tried((trial("now"),), (match,))
    assert tried.proposal is not None and tried.about == THE_LIGHT
    effect = tried.proposal.effect
    assert effect.before > 0.5 and effect.after < 0.01 and effect.unit == STOPS
    (put,) = tried.proposal.changes
    assert isinstance(put, SetTrims) and tried.proposal.labels == (MATCHED,)
    assert {t.subject: t.stops for t in put.trims if t.stops} == {"/Set/Key": pytest.approx(-1.0, abs=0.01)}
    assert tried.effects[light_key("now", DOCUMENT), action_key(match)].after < 0.01
    lights.tried((trial("now"),))
    assert asked == ["now"]  # what was measured once is known


def test_a_change_that_mends_all_is_taken_without_trims_on_top(packs: Registry) -> None:
    reports = {
        "now": report("now", {"Key": (100.0, 160.0), "Fill": (50.0, 20.0)}),
        "warm": report("warm", {"Key": (100.0, 100.0), "Fill": (50.0, 50.0)}),
    }
    tried = trier(packs, reports)[0].tried((trial("now"), trial("warm", WARM)))
    assert tried.proposal is not None and tried.proposal.changes == (WARM,) and tried.proposal.labels == ("warm",)
    assert tried.effects[light_key("now", DOCUMENT), action_key(WARM)].after == pytest.approx(0.0, abs=1e-6)


def test_what_brings_it_no_nearer_stays_with_a_person(packs: Registry) -> None:
    reports = {"now": report("now", {"Key": (100.0, 0.0)}), "warm": report("warm", {"Key": (100.0, 0.0)})}
    tried = trier(packs, reports)[0].tried((trial("now"), trial("warm", WARM)))
    assert tried.proposal is None and tried.stays is not None and tried.stays.apart == pytest.approx(4.0)


def test_light_that_is_right_needs_nothing(packs: Registry) -> None:
    tried = trier(packs, {"now": report("now", {"Key": (100.0, 100.0)})})[0].tried((trial("now"),))
    assert tried.proposal is None and tried.stays is None


def test_it_stops(packs: Registry) -> None:
    with pytest.raises(Stopped):
        trier(packs, {"now": None})[0].tried((trial("now"),))


def test_other_trims_are_another_state() -> None:
    trimmed = applied(DOCUMENT, (SetTrims(trims=({"subject": "/Set/Key", "stops": 1.0},)),))  # type: ignore[arg-type]
    assert light_key("now", DOCUMENT) != light_key("now", trimmed) != light_key("then", trimmed)


def test_the_boat_house_is_settled_from_its_findings(packs: Registry, kernels: None) -> None:
    boathouse = Path(__file__).parents[3] / "demo" / "boathouse" / "boathouse.usda"
    from durvan.cli.light import light_as
    from durvan.crossing.job.session import start
    from durvan.crossing.job.settling import work_of
    from durvan.formats.table import reader

    session = start(boathouse, packs, "pellune")
    shapes = reader(boathouse).shapes(boathouse)
    found = light_as(session, session.light_wanted(), shapes)
    assert found is not None
    session.lit(found)
    session.renew()
    work = work_of(session)
    assert work.lights and work.lights[0].changes == () and work.things[-1] is None
    lights = LightTrier(session.scene, packs, lambda one: light_as(session, one, shapes), {found.key: found})
    tried = lights.tried(work.lights, work.matches)
    assert tried.proposal is not None and tried.proposal.labels[0] == "Put a light in its place"
    assert tried.proposal.effect.after < 0.25 * tried.proposal.effect.before


def test_what_is_tried_together_is_all_of_it_every_two_and_all_but_one() -> None:
    from durvan.crossing.job.settling import together

    assert together([]) == together(["a"]) == []
    assert together(["a", "b"]) == [("a", "b")]
    assert together(["a", "b", "c"]) == [("a", "b", "c"), ("a", "b"), ("a", "c"), ("b", "c")]
    four = together(list("abcd"))
    assert four[0] == tuple("abcd") and ("a", "b", "c") in four and ("a", "b") in four and len(four) == 8
    assert len(together(list("abcdefghij"))) == 8 and len(set(together(list("abcdefghij")))) == 8
