"""The Proof station: two pictures that are shown, measured, explained, mended, noted on and kept; by hand and by keys."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QDropEvent, QImage
from PySide6.QtWidgets import QComboBox, QLabel, QPlainTextEdit, QPushButton

from durvan.crossing.document.document import PinState
from durvan.crossing.job.judging import Judged
from durvan.crossing.looks import questions
from durvan.dialects.look import Sampling
from durvan.proof import writing
from durvan.proof.history import Kept
from durvan.proof.looking import ways
from durvan.proof.looking.lens import Frame
from durvan.proof.picture import Ids, Picture
from durvan.proof.reading import open_picture
from durvan.scene.drift import Drift
from durvan.ui.followers import proving
from durvan.ui.frame.window import Window
from durvan.ui.kit.words import bytes_in_words
from durvan.ui.shared.state import Selection
from durvan.ui.stations.proof.canvas import Place
from durvan.ui.stations.proof.showing import BESIDE, ONE, SPLIT, Line
from durvan.ui.stations.proof.view import Proof

WALL, BRASS, SKY, LAMP = (
    "/LampRoom/Looks/RoughPlaster",
    "/LampRoom/Looks/PedestalBrass",
    "/LampRoom/Lights/DuskSky",
    "/LampRoom/Lights/WorkLamp",
)
WIDTH, HEIGHT = 192, 108
WAIT = 60_000


def picture(lamp: float = 1.0, brass: float = 1.0, seed: int = 1) -> Picture:
    """Two materials under two lights, with noise."""
    r = np.random.default_rng(seed)
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    where = ((u - 96) ** 2 + (v - 60) ** 2 < 900).astype(np.int32)
    colour = np.array([[0.5, 0.45, 0.4], [0.7, 0.5, 0.2 * 1.0]])[where] * np.where(where, brass, 1.0)[..., None]
    detail = 1.0 + 0.2 * np.sin(u / 3.0) * np.cos(v / 4.0)
    falls = {
        SKY: 0.4 + 0.3 * (1.0 - v / HEIGHT),
        LAMP: lamp * 60.0 / (80.0 + (u - 150) ** 2 * 0.1 + (v - 20) ** 2 * 0.1),
    }
    lights = {}
    for name, fall in falls.items():
        noisy = fall * detail * (1.0 + 0.05 * r.standard_normal((HEIGHT, WIDTH)))
        lights[name] = (colour * noisy[..., None]).astype(np.float32)
    rgb = np.sum(list(lights.values()), axis=0)
    variance = (sum(one.mean(axis=2) ** 2 for one in lights.values()) * 0.05**2).astype(np.float32)
    ids = Ids(where, (WALL, BRASS))
    return Picture(
        rgb,
        {name: (lambda one=one: one) for name, one in lights.items()},
        ids,
        Ids(where, ("/Set/Wall", "/Set/Ball")),
        variance,
    )  # type: ignore[misc]


@pytest.fixture
def put(lamp: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Callable[..., Kept]:
    """Put a picture into the history, as if it had been rendered."""
    history = proving.History(tmp_path / "kept")
    lamp.proofs.history = history
    lamp.proofs.entries, lamp.proofs.chosen = [], {}

    def work(side: str, one: Picture, when: float, **more) -> Kept:
        entry = Kept(history.fresh_id(side, when), side, "preview", when, 4.0, 16, *one.size, **{"noise": 0.1, **more})
        history.room()
        writing.save(one, history.path_of(entry))
        kept = history.put(entry)
        lamp.proofs.refresh()
        return kept

    return work


@pytest.fixture
def proof(lamp: Window, put: Callable[..., Kept], qtbot) -> Iterator[Proof]:
    """The station with a pair of which one light is weaker."""
    one, two = (
        put("source", picture(), 1_000.0),
        put("target", picture(lamp=0.5, seed=2), 2_000.0, changed=(BRASS,), made={BRASS: "x"}),
    )
    lamp.proofs.chosen = {"source": one.id, "target": two.id}
    lamp.go("Proof")
    view = lamp.stations["Proof"]
    assert isinstance(view, Proof)
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    qtbot.waitUntil(lambda: not lamp.proofs.comparing.errands.busy, timeout=WAIT)
    yield view
    if view.screen_ is not None:
        view.screen_.close()


def texts(window: Window) -> str:
    return "\n".join(one.text() for one in window.evidence.findChildren(QLabel))


def press(qtbot, proof: Proof, text: str) -> None:
    """Type keys onto the canvas."""
    for letter in text:
        qtbot.keyClicks(proof.canvas, letter)


def colour_at(proof: Proof, x: int, y: int, side: int = 1) -> tuple[int, int, int]:
    """What the canvas shows at a pixel of a side."""
    canvas = proof.canvas
    box = next((box for which, box in canvas.boxes() if which == side), canvas.boxes()[0][1])
    at = canvas.point_of(x + 0.5, y + 0.5, box)
    seen = canvas.grab().toImage().pixelColor(at.toPoint())
    return seen.red(), seen.green(), seen.blue()


# looking


def test_both_are_shown_beside_each_other_and_in_one_another(proof: Proof, qtbot, lamp: Window) -> None:
    canvas, showing = proof.canvas, proof.showing
    assert len(canvas.boxes()) == 2 and showing.arrangement == BESIDE
    left, right = colour_at(proof, 150, 30, 0), colour_at(proof, 150, 30, 1)
    assert left[0] > right[0] + 10  # the lamp is weaker
    press(qtbot, proof, "s")
    assert showing.arrangement == ONE and len(canvas.boxes()) == 1
    shown = colour_at(proof, 150, 30)
    press(qtbot, proof, "s")
    assert colour_at(proof, 150, 30)[0] > shown[0] + 10  # swapped: the source
    press(qtbot, proof, "b")
    assert showing.arrangement == BESIDE


def test_a_split_is_moved_and_turned_by_hand(proof: Proof, qtbot) -> None:
    canvas, showing = proof.canvas, proof.showing
    press(qtbot, proof, "l")
    assert showing.arrangement == SPLIT
    box = canvas.boxes()[0][1]
    before = colour_at(proof, 150, 30)
    middle = canvas._middle(box).toPoint()
    end = canvas.point_of(175, 54, box).toPoint()
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(canvas, end)
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end)
    assert showing.line.across == pytest.approx(175 / WIDTH, abs=0.02)
    assert colour_at(proof, 150, 30)[0] > before[0] + 10  # now the source's side
    showing.put(line=Line())
    grip = canvas._grips(box)[1].toPoint()
    side = canvas._middle(box).toPoint() + QPoint(60, 0)
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=grip)
    qtbot.mouseMove(canvas, side)
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=side)
    assert abs(showing.line.angle) == pytest.approx(90.0, abs=2.0)
    upper, lower = (
        Line(0.5, 0.5, showing.line.angle).side_of(5, 0, 10, 10),
        Line(0.5, 0.5, showing.line.angle).side_of(5, 10, 10, 10),
    )
    assert upper * lower < 0.0


@pytest.mark.parametrize("way", [way.name for way in ways.WAYS if way.name != ways.CAUSE])
def test_every_way_shows_something_of_its_own(proof: Proof, qtbot, lamp: Window, way: str) -> None:
    proof.showing.arrange(ONE)
    first = proof.canvas.grab().toImage()
    proof.ways.buttons[way].click()
    qtbot.waitUntil(lambda: lamp.proofs.comparing.want(way, proof.showing.look), timeout=WAIT)
    assert proof.ways.word == way and proof.showing.way.name == way
    assert (proof.canvas.grab().toImage() != first) == (way != ways.PICTURE)
    assert proof.channel.isHidden() == (way != ways.STOPS) and proof.clipped.isHidden() == (way != ways.PICTURE)


def test_ways_go_round_by_a_key(proof: Proof, qtbot) -> None:
    for wanted in (*(way.name for way in ways.WAYS[1:]), ways.PICTURE):
        press(qtbot, proof, "w")
        assert proof.showing.way.name == wanted
    qtbot.keyClick(proof.canvas, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    assert proof.showing.way.name == ways.CAUSE


def test_exposures_go_together_or_apart(proof: Proof, qtbot) -> None:
    before = colour_at(proof, 60, 30, 0)
    press(qtbot, proof, "..")
    assert proof.showing.exposures == (0.5, 0.5) and [box.value() for box in proof.boxes] == [0.5, 0.5]
    assert colour_at(proof, 60, 30, 0)[0] > before[0]
    press(qtbot, proof, "0")
    proof.boxes[0].setValue(1.0)
    assert proof.showing.exposures == (1.0, 1.0)
    proof.together.click()
    proof.boxes[1].setValue(2.0)
    assert proof.showing.exposures == (1.0, 2.0)
    qtbot.keyClick(proof.canvas, Qt.Key.Key_Period, Qt.KeyboardModifier.ShiftModifier)
    assert proof.showing.exposures == (1.0, 2.25)
    proof.together.click()
    assert proof.showing.exposures == (1.0, 1.0)


def test_zooming_and_moving_by_wheel_hand_and_key(proof: Proof, qtbot) -> None:
    canvas, showing = proof.canvas, proof.showing
    box = canvas.boxes()[0][1]
    whole = canvas.frame().zoom
    press(qtbot, proof, "++")
    assert canvas.frame().zoom == pytest.approx(whole * 1.25**2)
    press(qtbot, proof, "d")
    assert canvas.frame().zoom == 1.0 and canvas.frame().left == round(canvas.frame().left)
    before = canvas.frame()
    start, end = box.center().toPoint(), box.center().toPoint() + QPoint(30, -12)
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(canvas, end)
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end)
    assert (canvas.frame().left, canvas.frame().top) == (before.left - 30.0, before.top + 12.0)
    qtbot.keyClick(canvas, Qt.Key.Key_Left)
    assert canvas.frame().left == before.left - 94.0
    press(qtbot, proof, "f")
    assert showing.frame is None and canvas.frame().zoom == whole


def test_what_was_only_moved_is_not_worked_out_anew(proof: Proof, qtbot) -> None:
    canvas = proof.canvas
    press(qtbot, proof, "d")
    canvas.grab()
    before, size = canvas.shots.made, canvas._pixels(canvas.boxes()[0][1])
    canvas._move(5.0, 3.0)
    moved = canvas.grab().toImage()
    added = canvas.shots.made - before
    assert 0 < added <= 2 * (5 * size[1] + 3 * size[0])
    canvas.shots = type(canvas.shots)()
    assert canvas.grab().toImage() == moved


def test_the_picture_can_stand_alone(proof: Proof, qtbot) -> None:
    tall = proof.canvas.height()
    press(qtbot, proof, "h")
    qtbot.waitUntil(lambda: proof.canvas.height() > tall + 100, timeout=5_000)
    assert proof.head.isHidden() and proof.causes.isHidden()
    press(qtbot, proof, "h")
    qtbot.waitUntil(lambda: proof.canvas.height() == tall, timeout=5_000)


def test_views_of_the_config_change_the_picture(proof: Proof) -> None:
    plain = colour_at(proof, 60, 30)
    names = [proof.view.itemText(n) for n in range(proof.view.count())]
    assert names[:2] == ["sRGB", "as its camera bends it"] and len(names) > 5
    proof.view.setCurrentIndex(2)
    proof.view.activated.emit(2)
    assert proof.showing.view == names[2] and colour_at(proof, 60, 30) != plain


def test_a_config_that_is_none_is_told_and_the_plain_view_stays(proof: Proof, monkeypatch, tmp_path: Path) -> None:
    bad = tmp_path / "bad.ocio"
    bad.write_text("nothing of the kind")
    monkeypatch.setenv("OCIO", str(bad))
    proof.showing.views = {}
    assert proof.showing.names_of_views()[:2] == ["sRGB", "as its camera bends it"]
    assert "bad.ocio" in proof.showing.trouble


# measuring


def test_what_is_under_the_pointer_is_told(proof: Proof, qtbot, lamp: Window) -> None:
    canvas = proof.canvas
    at = canvas.point_of(96.5, 60.5, canvas.boxes()[0][1]).toPoint()
    qtbot.mouseMove(canvas, at)
    assert (
        proof.told.text().startswith("96, 60   source ")
        and "target" in proof.told.text()
        and "Pedestal brass" in proof.told.text()
    )
    press(qtbot, proof, "w" * [way.name for way in ways.WAYS].index(ways.STOPS))
    qtbot.waitUntil(lambda: lamp.proofs.comparing.want(ways.STOPS, proof.showing.look), timeout=WAIT)
    proof._pointed(Place(150, 20, 1))
    assert "−0." in proof.told.text() and "stops" in proof.told.text()


def test_a_press_chooses_the_material_that_facing_opens(proof: Proof, qtbot, lamp: Window) -> None:
    canvas = proof.canvas
    at = canvas.point_of(96.5, 60.5, canvas.boxes()[1][1]).toPoint()
    qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at)
    assert lamp.state.selection.thing == BRASS
    said = texts(lamp)
    assert (
        "Pedestal brass" in said
        and "source, code" in said
        and "Light of the target here" in said
        and "Dusk sky" in said
    )
    go = next(one for one in lamp.evidence.findChildren(QPushButton) if one.text() == "To the material")
    go.click()
    assert lamp.views.currentWidget() is lamp.stations["Facing"] and lamp.state.selection == Selection(BRASS)


def test_a_region_is_measured(proof: Proof, qtbot, lamp: Window) -> None:
    canvas = proof.canvas
    box = canvas.boxes()[0][1]
    a, b = (canvas.point_of(x, y, box).toPoint() for x, y in ((130.5, 5.5), (170.5, 40.5)))
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, pos=a)
    qtbot.mouseMove(canvas, b)
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, pos=b)
    region = proof.showing.region
    assert region is not None and region == pytest.approx((130, 5, 171, 41), abs=2)
    said = texts(lamp)
    assert "Region" in said and "FLIP, mean" in said and "ΔE00" in said
    qtbot.keyClick(canvas, Qt.Key.Key_Escape)
    assert proof.showing.region is None and lamp.state.selection == Selection()
    press(qtbot, proof, "r")
    assert proof.showing.region == (0, 0, WIDTH, HEIGHT)


# why


def test_the_cause_is_named_shown_and_mended(proof: Proof, qtbot, lamp: Window) -> None:
    proofs = lamp.proofs
    first = proofs.comparing.analysis.causes[0]
    assert first.name == LAMP
    proof.causes.grab()
    row = proof.causes._rows[0][0].center().toPoint()
    qtbot.mouseClick(proof.causes, Qt.MouseButton.LeftButton, pos=row)
    qtbot.waitUntil(lambda: proofs.comparing.mended is not None, timeout=WAIT)
    said = texts(lamp)
    assert "Work lamp" in said and "stops weaker" in said and "/LampRoom" not in said
    proof.showing.arrange(ONE)
    weaker = colour_at(proof, 150, 30)
    press(qtbot, proof, "m")
    assert colour_at(proof, 150, 30)[0] > weaker[0] + 8  # the lamp as it was
    proof.showing.go(ways.CAUSE)
    darker = colour_at(proof, 150, 20)
    calm = colour_at(proof, 5, 100)
    assert sum(darker) < sum(calm) - 30
    button = next(one for one in lamp.evidence.findChildren(QPushButton) if one.text().startswith("Trim by"))
    assert button.text().startswith("Trim by +0.9") or button.text().startswith("Trim by +1.0")
    button.click()
    qtbot.waitUntil(lambda: bool(lamp.state.session.document.trims), timeout=WAIT)
    trim = lamp.state.session.document.trims[0]
    assert trim.subject == LAMP and trim.stops == pytest.approx(1.0, abs=0.1)
    lamp.state.undo()
    assert lamp.state.session.document.trims == ()


def test_causes_are_walked_by_keys_and_lead_to_what_mends_them(proof: Proof, qtbot, lamp: Window) -> None:
    qtbot.keyClick(proof.causes, Qt.Key.Key_Right)
    assert lamp.proofs.comparing.cause == 0 and lamp.state.selection.proof == "cause 0"
    qtbot.keyClick(proof.causes, Qt.Key.Key_Return)
    assert lamp.views.currentWidget() is lamp.stations["Light"] and lamp.state.selection == Selection(LAMP)


def test_a_material_tells_its_drift_beside_its_share(lamp: Window, put, qtbot) -> None:
    one, two = put("source", picture(), 1.0), put("target", picture(brass=0.5, seed=2), 2.0)
    lamp.proofs.chosen = {"source": one.id, "target": two.id}
    lamp.go("Proof")
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    assert lamp.proofs.comparing.analysis.causes[0].name == BRASS
    view = lamp.stations["Proof"]
    view._choose_cause(0)
    assert "Pedestal brass is" in texts(lamp) and "stops darker" in texts(lamp)
    assert any(one.text() == "Fit the material" for one in lamp.evidence.findChildren(QPushButton))
    lamp.state.select(Selection(BRASS))
    assert "In Proof" in texts(lamp)


def test_a_materials_drift_is_accepted_where_its_cause_is_seen(lamp: Window, put, qtbot, ready) -> None:
    session = lamp.state.session
    key = session.key_of(session.scene.things[BRASS])
    session.measured({key: Drift(4.2, 9.0, 0.1, "raking", (1.0, 2.0, 4.2), 8)})
    lamp.state.renew()
    ready()
    one, two = put("source", picture(), 1.0), put("target", picture(brass=0.5, seed=2), 2.0)
    lamp.proofs.chosen = {"source": one.id, "target": two.id}
    lamp.go("Proof")
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    view = lamp.stations["Proof"]
    view._choose_cause(0)
    wanted = []
    lamp.state.accept_wanted.disconnect()  # it asks for a reason, which stops the test
    lamp.state.accept_wanted.connect(wanted.append)
    (button,) = [one for one in lamp.evidence.findChildren(QPushButton) if one.text() == "Accept its drift…"]
    button.click()
    ((finding,),) = wanted
    assert (finding.code, finding.thing) == ("drift", BRASS)
    lamp.state.accept([finding], "they like it duller")
    ready()
    view._choose_cause(0)
    assert "Its drift is accepted: they like it duller" in texts(lamp)
    qtbot.waitUntil(lambda: "Accept its drift…" not in [b.text() for b in lamp.evidence.findChildren(QPushButton)])
    session.measured({key: Drift(6.0, 12.0, 0.1, "raking", (1.0, 2.0, 6.0), 8)})
    lamp.state.renew()
    ready()
    view._choose_cause(0)
    qtbot.waitUntil(lambda: "Its drift is accepted" not in texts(lamp))


def test_equal_pictures_have_no_cause(lamp: Window, put, qtbot) -> None:
    one, two = put("source", picture(seed=1), 1.0), put("target", picture(seed=2), 2.0)
    lamp.proofs.chosen = {"source": one.id, "target": two.id}
    lamp.go("Proof")
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    assert lamp.proofs.comparing.analysis.causes == ()
    assert lamp.stations["Proof"].causes.grab().width() > 0 and "noise" in [
        part.name for _, part in lamp.stations["Proof"].causes._boxes
    ]


# notes


def test_a_note_is_put_written_settled_and_becomes_a_finding(proof: Proof, qtbot, lamp: Window, ready) -> None:
    proof.canvas.place = Place(96, 60, 1)
    press(qtbot, proof, "n")
    ready()
    (pin,) = lamp.state.session.document.pins
    assert (pin.number, pin.material, pin.state) == (1, BRASS, PinState.OPEN) and pin.light in (SKY, LAMP)
    assert pin.across == pytest.approx(96.5 / WIDTH) and proof.canvas.pins == (pin,)
    lamp.evidence.findChildren(QPlainTextEdit)[-1].setPlainText("the brass went dull")
    [one for one in lamp.evidence.findChildren(QPushButton) if one.text() == "Put it so"][-1].click()
    ready()
    (finding,) = [one for one in lamp.state.session.open if one.code == "noted"]
    assert finding.cause == "the brass went dull" and finding.thing == BRASS and finding.station == "Proof"
    state = [one for one in lamp.evidence.findChildren(QComboBox) if one.findText("settled") >= 0][-1]
    state.setCurrentIndex(state.findText("settled"))
    [one for one in lamp.evidence.findChildren(QPushButton) if one.text() == "Put it so"][-1].click()
    ready()
    assert lamp.state.session.document.pins[0].state is PinState.SETTLED
    assert not [one for one in lamp.state.session.open if one.code == "noted"]
    [one for one in lamp.evidence.findChildren(QPushButton) if one.text() == "Take it away"][-1].click()
    ready()
    assert lamp.state.session.document.pins == ()
    lamp.state.undo()
    assert len(lamp.state.session.document.pins) == 1


# history


def test_any_two_are_compared_named_kept_and_dropped(proof: Proof, qtbot, lamp: Window, put) -> None:
    proofs, strip = lamp.proofs, proof.renders
    third = put("target", picture(lamp=1.0, seed=3), 3_000.0)
    proofs.changed.emit()
    strip.grab()
    assert strip.of_side("target")[0].id == third.id
    box = next(box for box, one in strip._cells if one.id == third.id)
    qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    qtbot.waitUntil(lambda: proofs.comparing.analysis is not None and not proofs.comparing.reading, timeout=WAIT)
    assert proofs.chosen["target"] == third.id and proofs.comparing.analysis.causes == ()
    other = next(one for one in strip.of_side("target") if one.id != third.id)
    box = next(box for box, one in strip._cells if one.id == other.id)
    qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, pos=box.center().toPoint())
    qtbot.waitUntil(lambda: proofs.comparing.analysis is not None and not proofs.comparing.reading, timeout=WAIT)
    assert proofs.chosen["source"] == other.id  # target against target
    menu = {action.text(): action for action in strip.menu(third).actions()}
    menu["Keep it"].trigger()
    assert proofs.history.get(third.id).held
    proofs.call(third.id, "as agreed")
    assert proofs.history.get(third.id).name == "as agreed"
    strip.current = third.id
    strip.grab()
    qtbot.keyClick(strip, Qt.Key.Key_Delete)
    assert proofs.history.get(third.id) is None and proofs.chosen["target"] != third.id


def test_the_strip_tells_what_a_render_is(proof: Proof, lamp: Window) -> None:
    from durvan.ui.stations.proof.renders import seconds_in_words, told

    said = told(lamp.proofs.entry("target"), proof._name)
    assert (
        "16 samples a pixel, 4 s" in said
        and "noise 0.100 stops" in said
        and "changed since the one before: Pedestal brass" in said
    )
    assert [seconds_in_words(s) for s in (0.2, 30.0, 120.0, 7200.0)] == ["under 1 s", "30 s", "2 min", "2.0 h"]


def test_what_all_take_of_the_disk_is_shown(proof: Proof, lamp: Window) -> None:
    taken, bound = proof.renders.disk()
    assert taken == bytes_in_words(lamp.proofs.history.bytes()) and bound == "of 4 GB"
    lamp.proofs.drop([one.id for one in lamp.proofs.entries])
    assert proof.renders.disk() == ()


def test_renders_are_walked_by_keys(proof: Proof, qtbot, lamp: Window) -> None:
    strip = proof.renders
    strip.setFocus()
    strip.grab()
    qtbot.keyClick(strip, Qt.Key.Key_Right)
    assert strip.current == strip._cells[0][1].id
    qtbot.keyClick(strip, Qt.Key.Key_Down)
    assert strip.current == lamp.proofs.chosen["target"]
    qtbot.keyClick(strip, Qt.Key.Key_K)
    assert lamp.proofs.history.get(strip.current).held


def test_noise_says_what_would_help_and_levels_both_sides(lamp: Window, put, qtbot, monkeypatch) -> None:
    put("source", picture(), 1.0, noise=0.05)
    put("target", picture(seed=2), 2.0, noise=0.15, dearest={f"light:{SKY}": 0.7, "reflection": 0.2})
    proofs = lamp.proofs
    proofs.chosen = {one.side: one.id for one in proofs.entries}
    assert proofs.same_noise() == ("target", 144, pytest.approx(36.0))
    asked: list[object] = []
    monkeypatch.setattr(lamp.looks.renderer, "ask", asked.append)
    proofs.level_noise()
    (question,) = asked
    assert (
        isinstance(question, questions.Prove)
        and question.samples == 144
        and [one.side for one in question.sides] == ["target"]
    )
    proofs.asked = None


# pictures from elsewhere


def test_pictures_are_dropped_from_elsewhere(lamp: Window, put, qtbot, tmp_path: Path) -> None:
    files = []
    for name, one in (("theirs", picture()), ("ours", picture(lamp=0.5, seed=2))):
        files.append(tmp_path / f"{name}.exr")
        writing.save(one, files[-1])
    lamp.go("Proof")
    canvas = lamp.stations["Proof"].canvas
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(file)) for file in files])
    where = QPointF(20.0, 40.0)
    canvas.dropEvent(
        QDropEvent(where, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    assert [lamp.proofs.entry(side).file for side in ("source", "target")] == [str(file) for file in files]
    assert lamp.proofs.comparing.analysis.causes[0].name == LAMP


@pytest.mark.parametrize(
    "content, said", [(b"", "picture"), (b"no picture at all", "picture"), (b"v/1\x01" + b"\x00" * 40, "picture")]
)
def test_what_is_no_picture_is_told_and_the_window_lives(
    proof: Proof, qtbot, lamp: Window, tmp_path: Path, content, said
) -> None:
    file = tmp_path / "broken.exr"
    file.write_bytes(content)
    lamp.proofs.add_file("target", file)
    qtbot.waitUntil(lambda: "broken.exr" in lamp.proofs.trouble, timeout=WAIT)
    assert said in lamp.proofs.trouble and not lamp.proofs.comparing.reading
    proof.canvas.grab()
    lamp.proofs.choose("target", next(one.id for one in lamp.proofs.entries if one.side == "target" and not one.file))
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)


def test_one_picture_alone_stands_on_both_sides_and_says_so(lamp: Window, put, qtbot) -> None:
    one = put("target", picture(), 1.0)
    lamp.proofs.choose("target", one.id)
    lamp.go("Proof")
    qtbot.waitUntil(lambda: lamp.proofs.comparing.pair is not None and not lamp.proofs.comparing.reading, timeout=WAIT)
    assert lamp.proofs.comparing.remarks[0].startswith("Only one side") and lamp.proofs.comparing.analysis is None
    lamp.stations["Proof"].grab()


# rendering


class Rendering:
    """The rendering process's part, played by the test."""

    def __init__(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        self.window, self.asked = window, []
        monkeypatch.setattr(window.looks.renderer, "ask", self.asked.append)

    def shows(self, side: str, samples: int, factor: float = 1.0, size=(WIDTH, HEIGHT)) -> None:
        rgb = (picture().rgb * factor).astype(np.float16)
        rgb = rgb[:: HEIGHT // size[1], :: WIDTH // size[0]][: size[1], : size[0]]
        self.window.looks._take(questions.Proving(side, rgb, samples, 16, "", (WIDTH, HEIGHT)))

    def keeps(self, side: str, kept: Kept, done: bool = True) -> None:
        self.window.looks._take(questions.Proved(side, kept.id, done))


def test_rendering_shows_what_comes_stops_and_goes_on(lamp: Window, put, qtbot, monkeypatch) -> None:
    proofs, rendering = lamp.proofs, Rendering(lamp, monkeypatch)
    lamp.go("Proof")
    view = lamp.stations["Proof"]
    view.go.click()
    (question,) = rendering.asked
    assert isinstance(question, questions.Prove) and [one.side for one in question.sides] == ["source", "target"]
    assert question.size == (480, 270) and view.go.text() == "Stop" and proofs.running
    proofs.asked = replace(question, size=(WIDTH, HEIGHT), samples=16)
    rendering.shows("source", 0, size=(WIDTH // 4, HEIGHT // 4))
    qtbot.waitUntil(lambda: proofs.comparing.pair is not None, timeout=WAIT)
    assert proofs.comparing.pair.size == (WIDTH, HEIGHT) and "0 of 16 samples" in view.told.text()
    rendering.shows("source", 8)
    rendering.shows("target", 4, 0.5)
    qtbot.waitUntil(
        lambda: (
            not proofs.comparing.errands.busy
            and proofs.comparing.pair.spot(5, 5, 0).stops - proofs.comparing.pair.spot(5, 5, 1).stops > 0.9
        ),
        timeout=WAIT,
    )
    assert proofs.progress() == (4, 16)
    view.go.click()
    assert isinstance(rendering.asked[-1], questions.EndProof) and view.go.text() == "Go on" and not proofs.running
    for side, factor in (("source", 1.0), ("target", 0.5)):
        rendering.keeps(side, put(side, picture(lamp=factor), time.time()), done=False)
    qtbot.waitUntil(lambda: proofs.comparing.analysis is not None, timeout=WAIT)
    view.go.click()
    assert isinstance(rendering.asked[-1], questions.Prove) and proofs.running
    for side in ("source", "target"):
        rendering.keeps(side, put(side, picture(), time.time()))
    assert not proofs.running and view.go.text() == "Render"
    qtbot.waitUntil(lambda: proofs.comparing.analysis is not None, timeout=WAIT)


def test_what_was_being_rendered_waits_for_its_scene_to_be_opened_again(lamp: Window, put, qtbot, monkeypatch) -> None:
    proofs, rendering, first = lamp.proofs, Rendering(lamp, monkeypatch), lamp.state.session
    proofs.render(proving.SETTINGS[0])
    begun = rendering.asked[-1]
    other = replace(first, read=replace(first.read, file=str(Path(first.read.file).with_name("other.usda"))))
    other.renew()
    lamp.state._opened(other)
    assert proofs.asked is None and not proofs.running
    of_before = Kept("of-before", "source", "preview", time.time(), 4.0, 16, WIDTH, HEIGHT)
    rendering.keeps("source", of_before, done=False)
    assert "source" not in proofs.chosen
    rendering.asked.clear()
    lamp.state._opened(first)
    assert proofs.paused and not any(isinstance(one, questions.Prove) for one in rendering.asked)
    proofs.go_on()
    again = rendering.asked[-1]
    assert [one.made for one in again.sides] == [one.made for one in begun.sides] and proofs.running
    assert replace(again, sides=begun.sides) == begun


def test_what_is_rendered_begins_anew_where_the_process_is_given_other_pictures(lamp: Window, put, monkeypatch) -> None:
    proofs, rendering = lamp.proofs, Rendering(lamp, monkeypatch)
    proofs.render(proving.SETTINGS[0])
    one, two = (put("target", picture(), when, camera=camera) for when, camera in ((5.0, "/One"), (6.0, "/Two")))
    proofs._unseen = {entry.id: proofs.sitting_of("target") for entry in (one, two)}
    rendering.asked.clear()
    lamp.looks._opened()
    kinds = [type(one) for one in rendering.asked]
    assert kinds.index(questions.Load) < kinds.index(questions.Prove) and proofs.running
    sights = [one for one in rendering.asked if isinstance(one, questions.See)]
    assert [one.camera for one in sights] == ["/One"]  # a later question takes the place of an earlier one
    rendering.keeps("target", one)
    assert [one.camera for one in rendering.asked if isinstance(one, questions.See)] == ["/One", "/Two"]


def test_what_was_rendered_of_the_very_same_is_not_rendered_again(lamp: Window, put, qtbot, monkeypatch) -> None:
    proofs, rendering = lamp.proofs, Rendering(lamp, monkeypatch)
    session = lamp.state.session
    for side in ("source", "target"):
        put(side, picture(), 5.0, made=dict(proofs.sitting_of(side).made), camera=session.camera)
    for one in proofs.entries:
        proofs._say(one.id, width=480, height=270)
    proofs.render(proving.SETTINGS[0])
    assert rendering.asked == [] and len(proofs.chosen) == 2 and all(proofs.stands(one) for one in proofs.entries)
    session.put(BRASS, "finish", "rough", 0.9)
    session.renew()
    assert not proofs.stands(proofs.entry("target")) and proofs.stands(proofs.entry("source"))
    proofs.render(proving.SETTINGS[0])
    (question,) = rendering.asked
    assert [one.side for one in question.sides] == ["target"]


def test_final_has_the_samples_of_the_targets_own_settings(lamp: Window, put, monkeypatch) -> None:
    rendering = Rendering(lamp, monkeypatch)
    wanted = proving.staging.sampling_of(
        lamp.state.session.scene, lamp.state.session.plan.target_things, lamp.state.registry
    ).samples
    assert wanted != proving.SETTINGS[-1].samples  # else this says nothing
    lamp.proofs.render(proving.SETTINGS[-1])
    assert rendering.asked[-1].samples == wanted and rendering.asked[-1].size == (1280, 800)
    lamp.proofs.asked = None


@pytest.mark.parametrize(
    ("said", "size"), [((0, 0), (1920, 1080)), ((16384, 8192), (8192, 4096)), ((640, 360), (640, 360))]
)
def test_final_is_as_large_as_those_say_within_reason(lamp: Window, put, monkeypatch, said, size) -> None:
    monkeypatch.setattr(proving.staging, "sampling_of", lambda *_: Sampling(8, size=said))
    found = lamp.proofs.own(proving.SETTINGS[-1])
    assert (found.size, found.samples) == (size, 16) and lamp.proofs.own(proving.SETTINGS[0]) is proving.SETTINGS[0]


def test_what_mitsuba_renders_is_kept_with_what_it_was_made_of_and_gets_ids(
    lamp: Window, put, qtbot, monkeypatch
) -> None:
    rendering, proofs = Rendering(lamp, monkeypatch), lamp.proofs
    wishes = []

    def begin(run) -> None:
        wishes.append(run.wish)
        lamp.judging.run = run

    monkeypatch.setattr(lamp.judging, "_begin", begin)
    lamp.go("Proof")
    view = lamp.stations["Proof"]
    for number, by_lights in ((1, False), (2, True)):
        view.engine.setCurrentIndex(number)
        view.go.click()
        assert (wishes[-1].size, wishes[-1].samples, wishes[-1].by_lights) == ((480, 270), 16, by_lights)
    rgb = np.random.default_rng(2).uniform(0.2, 0.9, (HEIGHT, WIDTH, 3))
    parts = {SKY: 0.25 * rgb, LAMP: 0.75 * rgb}
    lamp.judging.found["source"] = Judged(rgb, "", 16, 2.5, (), {}, variance=0.01 * rgb[..., 0] ** 2, lights=parts)
    lamp.judging.changed.emit()
    qtbot.waitUntil(lambda: any(one.engine == "mitsuba" for one in proofs.entries), timeout=WAIT)
    (kept,) = [one for one in proofs.entries if one.engine == "mitsuba"]
    assert kept.made == proofs.sitting_of("source").made and kept.noise == pytest.approx(0.14, abs=0.03)
    assert proofs.stands(kept) and proofs.chosen["source"] == kept.id
    seen = open_picture(proofs.history.path_of(kept)).picture
    assert {name: read().mean() / rgb.mean() for name, read in seen.lights.items()} == pytest.approx(
        {SKY: 0.25, LAMP: 0.75}, abs=1e-3
    )
    (asked,) = [one for one in rendering.asked if isinstance(one, questions.See)]
    assert [(name, one.side) for name, one in asked.sides] == [(kept.id, "source")] and asked.size == (WIDTH, HEIGHT)
    loaded = []
    monkeypatch.setattr(proofs, "_load", lambda: loaded.append(True))
    lamp.looks.proved.emit(questions.Proved("source", kept.id, True))
    assert loaded == [True]
    proofs._unseen = {kept.id: asked.sides[0][1]}
    lamp.looks.troubled.emit(questions.Trouble(questions.See.__name__, "out of memory"))
    assert "out of memory" in proofs.trouble and not proofs._unseen


def test_samples_go_to_a_region_alone(proof: Proof, qtbot, lamp: Window, monkeypatch) -> None:
    rendering = Rendering(lamp, monkeypatch)
    proof.showing.put(region=(0, 0, WIDTH // 2, HEIGHT // 2))
    assert not proof.part.isHidden() and proof.part.text() == "only the region"
    proof.part.click()
    assert lamp.proofs.part == (0.0, 0.0, 0.5, 0.5) and proof.part.text() == "all of it"
    lamp.proofs.render(proving.SETTINGS[0])
    assert rendering.asked[-1].part == (0.0, 0.0, 0.5, 0.5)
    proof.part.click()
    assert lamp.proofs.part is None and rendering.asked[-1].part is None


def test_what_stand_ins_say_becomes_findings_and_goes_with_the_next_render(
    lamp: Window, put, qtbot, monkeypatch, ready
) -> None:
    rendering = Rendering(lamp, monkeypatch)
    lamp.proofs.asked = questions.Prove("", (), (WIDTH, HEIGHT), 16, Path())
    said = (("error", "FloorMat", "woven: a node is not known"), ("warning", "", "something in general"))
    rendering.keeps("target", put("target", picture(), time.time(), messages=said))
    ready()
    found = [one for one in lamp.state.session.open if one.code == "stand-in-said"]
    assert [(one.level.word, one.thing, one.cause) for one in found] == [
        ("look", "/LampRoom/Looks/FloorMat", "woven: a node is not known"), ("note", "", "something in general"),
    ]  # fmt: skip
    assert "Pellune's stand-in" in found[0].title and lamp.state.session.open_at("Proof") == 2
    rendering.keeps("target", put("target", picture(), time.time() + 5.0))
    ready()
    assert not [one for one in lamp.state.session.open if one.code == "stand-in-said"]


def test_a_second_window_shows_the_same(proof: Proof, qtbot, lamp: Window) -> None:
    next(one for one in lamp.findChildren(QAction) if one.text() == "Proof on a second screen").trigger()
    screen = proof.screen_
    assert screen is not None and screen.isVisible() and screen.canvas.titles == proof.canvas.titles
    qtbot.keyClicks(screen.canvas, "l")
    assert proof.showing.arrangement == SPLIT
    assert screen.canvas.grab().toImage().format() != QImage.Format.Format_Invalid
    proof.showing.put(frame=Frame(0.0, 0.0, 2.0))
    assert screen.canvas.frame() == Frame(0.0, 0.0, 2.0)


def test_a_disk_that_is_full_is_told(proof: Proof, qtbot, lamp: Window, monkeypatch, tmp_path: Path) -> None:
    def full(*_: object) -> None:
        raise proving.DurvanError("the disk has only 3 MB left; nothing more is kept.")

    monkeypatch.setattr(lamp.proofs.history, "room", full)
    lamp.proofs.add_file("source", tmp_path / "x.exr")
    assert "only 3 MB left" in lamp.proofs.trouble and "only 3 MB left" in proof.told.text()


def test_a_renderer_that_is_gone_is_told_and_what_was_kept_stays(
    proof: Proof, qtbot, lamp: Window, monkeypatch
) -> None:
    rendering = Rendering(lamp, monkeypatch)
    lamp.proofs.render(proving.SETTINGS[0], afresh=True)
    assert lamp.proofs.running and len(rendering.asked) == 1
    rendering.shows("source", 2)
    lamp.looks._take(questions.Trouble("renderer", "The rendering process ended over the renders for Proof."))
    assert not lamp.proofs.running and "ended" in lamp.proofs.trouble and proof.go.text() == "Render"
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    assert "ended" in proof.told.text() and len(lamp.proofs.entries) == 2
    lamp.proofs.render(proving.SETTINGS[0], afresh=True)
    assert lamp.proofs.running and lamp.proofs.trouble == ""
    lamp.proofs.asked = None


def test_trouble_of_another_question_leaves_the_renders_alone(proof: Proof, lamp: Window, monkeypatch) -> None:
    Rendering(lamp, monkeypatch)
    lamp.proofs.render(proving.SETTINGS[0], afresh=True)
    lamp.looks._take(questions.Trouble("LookAt", "no look"))
    assert lamp.proofs.running
    lamp.proofs.asked = None


def test_what_changes_is_rendered_again_where_that_is_wanted(
    proof: Proof, qtbot, lamp: Window, monkeypatch, ready
) -> None:
    rendering = Rendering(lamp, monkeypatch)
    lamp.state.put(BRASS, "finish", "rough", 0.9)
    ready()
    assert not [one for one in rendering.asked if isinstance(one, questions.Prove)]
    proof.follow.click()
    lamp.state.put(BRASS, "finish", "rough", 0.8)
    ready()
    asked = [one for one in rendering.asked if isinstance(one, questions.Prove)]
    assert len(asked) == 1 and "target" in [one.side for one in asked[0].sides]
    lamp.go("Survey")
    lamp.state.put(BRASS, "finish", "rough", 0.7)
    ready()
    assert len([one for one in rendering.asked if isinstance(one, questions.Prove)]) == 1  # nobody looks
    lamp.proofs.asked = None


def test_ids_of_another_scene_are_told(lamp: Window, put, qtbot) -> None:
    one = picture()
    strange = replace(one, materials=Ids(one.materials.numbers, ("/Other/Tar", "/Other/Rope")))
    first, second = put("source", strange, 1.0), put("target", replace(strange, rgb=one.rgb * 2.0), 2.0)
    lamp.proofs.chosen = {"source": first.id, "target": second.id}
    lamp.go("Proof")
    qtbot.waitUntil(lambda: lamp.proofs.comparing.analysis is not None, timeout=WAIT)
    assert "none of which is one of this scene (such as /Other/" in lamp.proofs.comparing.remarks[0]
    lamp.stations["Proof"]._picked(Place(96, 60, 1))
    assert lamp.state.selection.thing == "" and "Rope" in texts(lamp)
