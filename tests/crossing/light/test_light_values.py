"""What is worked out of measured light: stops, sums, matching, the exposure ladder."""

from __future__ import annotations

import math
import pickle
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.document.changes import KeepOff, SetTint, SetTrims
from durvan.crossing.job.session import start
from durvan.crossing.light.asking import Known, wanted
from durvan.crossing.light.ladder import GREY, Ladder, Side, ev100, shown
from durvan.crossing.light.match import left, match
from durvan.crossing.light.report import DARK, LightReport, Part, stops_apart, titled
from durvan.crossing.translation.choices import Tinting, Trim
from durvan.crossing.translation.lighting import Handling
from durvan.dialects.registry import Registry
from durvan.optics.colour import black_body, kelvin_and_duv
from durvan.scene.model import Kind
from durvan.scene.probe import Probe

SAME = Ladder(Side(0.01), Side(0.01))


def part(name: str, source, target, what: str = "RectLight", part: str = "", colour=(1.0, 1.0, 1.0)) -> Part:
    tint = np.array(colour) / (np.array(colour) @ [0.2126, 0.7152, 0.0722])
    return Part(f"/{name}", name, what, part, np.outer(source, tint), np.outer(target, tint))


def report(*parts: Part, stops=None, ladder: Ladder = SAME) -> LightReport:
    count = len(parts[0].source) if parts else 0
    return LightReport(
        "k", tuple(Probe(f"p{n}", (0.0, 0.0, 0.0)) for n in range(count)), parts, ladder, stops=stops or {}
    )


def test_stops_and_sums() -> None:
    found = report(
        part("key", [100.0, 50.0], [200.0, 50.0]),
        part("fill", [20.0, 10.0], [20.0, 0.0]),
        part("out", [0.0, 0.0], [0.0, 0.0]),
    )
    assert found.sum(0, "source") == pytest.approx(120.0) and found.sum_apart(0) == pytest.approx(
        math.log2(220.0 / 120.0)
    )
    assert [found.apart(one, 0) for one in found.parts] == [1.0, pytest.approx(0.0), None]
    assert found.apart(found.parts[1], 1) == -math.inf
    assert found.key_to_fill(0, "source") == pytest.approx(6.0) and found.key_to_fill(1, "target") is None
    assert found.share(found.parts[0], 0) == pytest.approx(200.0 / 220.0)
    assert found.missing(found.parts[0], 0) > found.missing(found.parts[1], 0) == 0.0
    assert stops_apart(0.0, 1.0) == math.inf


def test_trims_are_multiplied_in() -> None:
    sky = part("day", [10.0], [10.0], "environment", "sky")
    found = report(
        part("key", [100.0], [100.0]), part("day", [50.0], [50.0], "Daylight"), sky, part("setup", [5.0], [5.0])
    )
    trimmed = found.trimmed({"/key": Handling(1.0), "/day": Handling(-1.0, 2.0), "/setup": Handling(off=True)})
    assert [round(trimmed.lux(one, 0, "target"), 6) for one in trimmed.parts] == [200.0, 25.0, 40.0, 0.0]
    assert [round(trimmed.lux(one, 0, "source"), 6) for one in trimmed.parts] == [100.0, 50.0, 10.0, 5.0]


def test_the_colour_of_a_sum() -> None:
    warm = report(
        part("a", [10.0], [10.0], colour=black_body(3000.0)), part("b", [10.0], [0.0], colour=black_body(8000.0))
    )
    one, two = warm.temperature(0, "source"), warm.temperature(0, "target")
    assert one is not None and two is not None and two[0] == pytest.approx(3000.0, rel=0.01) and one[0] > 3500.0
    assert abs(two[1]) < 0.001 and report(part("a", [0.0], [0.0])).temperature(0, "source") is None


@given(st.floats(1900.0, 14000.0))
def test_kelvin_comes_back_from_colours(kelvin: float) -> None:
    found, duv = kelvin_and_duv(black_body(kelvin))
    assert found == pytest.approx(kelvin, rel=0.02) and abs(duv) < 0.002


def test_green_and_pink_lie_on_both_sides() -> None:
    assert kelvin_and_duv((0.9, 1.1, 0.9))[1] > 0.005 > -0.005 > kelvin_and_duv((1.1, 0.9, 1.1))[1]


def test_a_single_factor_is_found() -> None:
    trims = match(report(part("key", [100.0, 40.0], [50.0, 20.0]), part("fill", [10.0, 30.0], [40.0, 120.0])))
    assert {t.subject: t.stops for t in trims} == {
        "/key": pytest.approx(1.0, abs=0.01),
        "/fill": pytest.approx(-2.0, abs=0.01),
    }


@given(st.lists(st.tuples(st.floats(1.0, 1e4), st.floats(1.0, 1e4), st.floats(-5.0, 5.0)), min_size=1, max_size=6))
def test_what_only_needs_trims_is_matched(lights) -> None:
    """Lights that fall alike on both sides, each off by some stops: whatever shows is mended to a twentieth of a stop."""
    parts = [part(f"l{n}", [a, b], [a * 2.0**s, b * 2.0**s]) for n, (a, b, s) in enumerate(lights)]
    before = report(*parts)
    stops = {trim.subject: Handling(trim.stops) for trim in match(before)}
    after = before.trimmed(stops)
    for probe in range(2):
        assert abs(after.sum_apart(probe) or 0.0) < 0.1  # what is nearer than that is right by itself
    assert all(item.about == "" for item in left(after)) and left(after) == ()


def test_only_what_is_wanted_moves_and_the_rest_is_told() -> None:
    found = report(part("key", [100.0, 10.0], [50.0, 5.0]), part("gone", [80.0, 80.0], [0.0, 0.0]))
    trims = match(found, ("/key",))
    assert [t.subject for t in trims] == ["/key"] and trims[0].stops > 0.5
    rest = left(found.trimmed({"/key": Handling(trims[0].stops)}), ("/key",))
    assert any(one.about == "/gone" and "nothing" in one.why for one in rest)
    assert match(found, ("/gone",)) == () and match(report()) == ()


def test_trims_stay_within_bounds_and_respect_what_stands() -> None:
    far = match(report(part("key", [1e6], [1.0])))
    assert far[0].stops == pytest.approx(6.0)
    stands = report(part("key", [100.0], [50.0]), stops={"/key": Handling(3.0)})
    assert match(stands, own={"/key": 1.0})[0].stops == pytest.approx(-1.0, abs=0.01)  # two stops of everything stay
    dark = report(part("key", [0.0], [0.0]))
    assert match(dark) == ()


def test_the_sky_of_a_sun_is_the_environments() -> None:
    trims = match(report(part("day", [100.0], [100.0], "Daylight"), part("day", [50.0], [25.0], "environment", "sky")))
    assert {t.subject: t.stops for t in trims} == {"environment": pytest.approx(1.0, abs=0.01)}


def test_a_light_that_is_right_is_never_moved() -> None:
    """A door that is right, beside a lamp that is gone: nothing of the door's makes up for it."""
    found = report(
        part("door", [100.0, 10.0], [104.0, 10.1]),
        part("key", [100.0, 400.0], [50.0, 200.0]),
        part("gone", [80.0, 80.0], [0.0, 0.0]),
    )
    trims = {trim.subject: trim.stops for trim in match(found)}
    assert set(trims) == {"/key"} and trims["/key"] > 0.9


def test_a_light_that_is_off_on_purpose_is_not_missed() -> None:
    lights = part("key", [100.0, 40.0], [100.0, 40.0]), part("setup", [900.0, 900.0], [900.0, 900.0])
    assert match(report(*lights, stops={"/setup": Handling(off=True)})) == ()
    assert match(report(*lights)) == ()


def test_what_others_stand_for_is_matched_by_them_and_not_moved() -> None:
    """A ghost whose light was replaced: it stays, and the new one is matched to what it gave."""
    lights = part("ghost", [200.0, 50.0], [3.0, 0.75]), part("new", [0.0, 0.0], [100.0, 25.0])
    trims = {trim.subject: trim.stops for trim in match(report(*lights), stands_for={"/new": "/ghost"})}
    assert trims == {"/new": pytest.approx(0.98, abs=0.05)}
    right = part("ghost", [200.0, 50.0], [3.0, 0.75]), part("new", [0.0, 0.0], [200.0, 50.0])
    assert match(report(*right), stands_for={"/new": "/ghost"}) == ()


def test_a_suns_trim_is_its_skys_too() -> None:
    """Both too dark by a stop: one stop on the sun is enough for both; the sky too bright: it is taken back by as much more."""
    sun, sky = (
        part("day", [100.0, 60.0], [50.0, 30.0], "Daylight"),
        part("day", [50.0, 50.0], [25.0, 25.0], "environment", "sky"),
    )
    trims = {trim.subject: trim.stops for trim in match(report(sun, sky))}
    assert trims["/day"] == pytest.approx(1.0, abs=0.01) and trims["environment"] == pytest.approx(0.0, abs=0.01)
    brighter = part("day", [50.0, 50.0], [100.0, 100.0], "environment", "sky")
    trims = {trim.subject: trim.stops for trim in match(report(sun, brighter))}
    assert trims["/day"] == pytest.approx(1.0, abs=0.01) and trims["environment"] == pytest.approx(-2.0, abs=0.01)
    fixed = {
        trim.subject: trim.stops
        for trim in match(report(sun, part("day", [50.0, 50.0], [50.0, 50.0], "environment", "sky")))
    }
    assert fixed == {
        "/day": pytest.approx(1.0, abs=0.01),
        "environment": pytest.approx(-1.0, abs=0.01),
    }  # the sky is right, and is held there


def test_the_ladder_adds_up() -> None:
    """Each step's stops, light and camera and response, come to the difference of what is shown."""
    ladder = Ladder(Side(0.004), Side(0.008, (1.1, 1.0, 0.9)))
    rungs = {rung.name: rung for rung in ladder.rungs(500.0, 250.0)}
    assert rungs["grey card"].apart == pytest.approx(-1.0) and rungs["camera"].apart == pytest.approx(1.0)
    balance = 1.1 * 0.2126 + 0.7152 + 0.9 * 0.0722
    assert rungs["white balance"].apart == pytest.approx(math.log2(balance))
    assert rungs["picture value"].apart == pytest.approx(math.log2(balance))
    total = rungs["picture value"].apart + rungs["response"].apart
    assert rungs["code value"].apart == pytest.approx(total, abs=1e-9)
    assert rungs["picture value"].source == pytest.approx(500.0 * GREY / math.pi * 0.004)


def test_a_shoulder_parts_the_ladder_at_the_response() -> None:
    ladder = Ladder(Side(0.05, response="shoulder"), Side(0.05))
    assert ladder.card(100.0, 100.0, GREY) == pytest.approx(0.0, abs=1e-6)  # below the bend both are the same
    assert 0.05 < ladder.card(62.0, 62.0, 0.9) < 0.2
    assert {r.name: r.apart for r in ladder.rungs(310.0, 310.0)}["response"] > 0.05
    assert ladder.card(0.0, 100.0, GREY) is None


def test_numbers_of_the_ladder() -> None:
    assert ev100(1.0 / (1.2 * 2.0**11)) == pytest.approx(11.0) and ev100(0.0) == math.inf
    assert shown(0.5) == pytest.approx(0.21404, abs=1e-4) and shown(0.01) == pytest.approx(0.01 / 12.92)
    assert titled("RectLight") == "panel" and titled("glow") == "glow" and titled("") == "light"


LUX = st.one_of(st.just(0.0), st.floats(1e-3, 1e5))


@given(st.lists(st.tuples(LUX, LUX, st.floats(-3.0, 3.0)), min_size=1, max_size=8))
def test_the_order_is_that_of_the_numbers_which_are_told(lights) -> None:
    """The tables say what each light by itself says; also after a way to another process, where ids are others."""
    parts = [part(f"l{n}", [one], [two]) for n, (one, two, _) in enumerate(lights)]
    stops = {f"/l{n}": Handling(stops) for n, (_, _, stops) in enumerate(lights) if n % 2}
    found = report(*parts).trimmed(stops)
    meant = sorted(found.parts, key=lambda one: (round(found.missing(one, 0), 3), found.share(one, 0)), reverse=True)
    weights = [(round(found.missing(one, 0), 3), found.share(one, 0)) for one in found.order(0)]
    assert weights == [(round(found.missing(one, 0), 3), found.share(one, 0)) for one in meant]
    assert [one.path for one in found.silent()] == [
        one.path for one in found.parts if found.lux(one, 0, "target") <= DARK < found.lux(one, 0, "source")
    ]
    assert found.sum(0, "target") == pytest.approx(sum(found.lux(one, 0, "target") for one in found.parts))
    travelled = pickle.loads(pickle.dumps(found))
    assert [one.path for one in travelled.order(0)] == [one.path for one in found.order(0)]
    assert travelled.sum(0, "target") == found.sum(0, "target") and travelled.stops == found.stops


def test_what_is_wanted_is_the_same_with_and_without_a_memory(lamproom: Path, packs: Registry) -> None:
    """After trims, lights that are kept off, another camera's choice and an undo; only what is other is made anew."""
    session = start(lamproom, packs, "pellune")
    known = Known()
    lamp, other = [thing.id for thing in session.scene.of(Kind.LIGHT)][:2]
    steps = (
        SetTrims(trims=(Trim(subject=lamp, stops=1.0),)), SetTint(subject=other, tint=Tinting(subject=other, kelvin=3000.0)),
        SetTrims(trims=(Trim(subject="everything", stops=-0.5),)), KeepOff(thing=lamp), SetTrims(trims=(Trim(subject=lamp, stops=0.0),)),
    )  # fmt: skip
    keys = []
    for step in (*steps, None):
        before = dict(known.target)
        with_it, without = (
            wanted(session.plan, packs, session.camera, known=known),
            wanted(session.plan, packs, session.camera),
        )
        assert with_it.key == without.key and [t.id for t in with_it.target] == [t.id for t in without.target]
        assert [{node.id: node.values for node in thing.graph.nodes.values()} for thing in with_it.target] == [
            {node.id: node.values for node in thing.graph.nodes.values()} for thing in without.target
        ]
        keys.append(with_it.key)
        made = {name for name, one in known.target.items() if before.get(name, (None, None))[1] is not one[1]}
        if len(keys) > 1:
            assert made <= {other}, made  # trims and switches change nothing of what is measured
        if step is not None:
            session.do("Step", step)
        else:
            session.undo()
        session.renew()
    assert len(set(keys)) == 2 and keys[0] == keys[1] != keys[2] == keys[-1]
