"""The Files station, driven by mouse and keys, from a scene whose files have moved to nothing open."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QFileDialog, QInputDialog, QLabel, QMessageBox, QPushButton

from durvan.files.roots import load
from durvan.scene.model import FileState
from durvan.ui.shared.state import Selection
from durvan.ui.stations.files.library import Library
from durvan.ui.stations.files.table import FILE, SIZE, STATE

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def judging() -> bool:
    return True


@pytest.fixture
def room(window, qtbot, ready, moved: Path):
    """The window with the moved scene, in the Files station, when everything is judged."""
    window.open(moved)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    settle(window, qtbot)
    qtbot.mouseClick(window.buttons["Files"], LEFT)
    return window


def settle(window, qtbot) -> None:
    """Wait until nothing runs and every picture is judged."""
    qtbot.wait(30)
    qtbot.waitUntil(
        lambda: window.state.job is None and not window.outside.busy and not window.state._again, timeout=60_000
    )
    qtbot.waitUntil(lambda: window.state.job is None, timeout=20_000)


def library(room) -> Path:
    return Path(room.state.session.scene.file).parent.parent / "library"


def states(room) -> list[str]:
    files = room.stations["Files"].table.files
    return [files.index(row, STATE).data() for row in range(files.rowCount())]


def press(parent, qtbot, text: str) -> None:
    """Click a button by its text."""
    qtbot.wait(20)
    button = next(w for w in parent.findChildren(QPushButton) if text in w.text() and w.isVisible())
    qtbot.mouseClick(button, LEFT)


def choose(room, name: str) -> None:
    """Choose a file in the table by clicking its row."""
    table = room.stations["Files"].table
    row = next(row for row in range(table.files.rowCount()) if name in table.files.rows[row].written)
    table.scrollTo(table.files.index(row, FILE))
    table.selectRow(row)


def drop(room, folder: Path) -> None:
    """Drag a folder from the desktop onto the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(folder))])
    event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
    room.dropEvent(event)


def add_library(room, qtbot) -> None:
    drop(room, library(room))
    settle(room, qtbot)


def test_the_worst_stand_first(room) -> None:
    assert states(room)[:13] == ["absent"] * 13 and states(room)[-1] == "in place"
    assert (
        room.stations["Files"].filters[None].text() == "all 19"
        and room.stations["Files"].filters[FileState.ABSENT].text() == "absent 13"
    )
    assert not room.stations["Files"].filters[FileState.SEVERAL].isVisible()
    assert room.buttons["Files"].text().startswith("Files  ")


def test_a_folder_that_is_dropped_becomes_a_root(room, qtbot) -> None:
    add_library(room, qtbot)
    assert (
        room.stations["Files"].roots.list.count() == 1
        and "10 files" in room.stations["Files"].roots.list.item(0).text()
    )
    assert states(room).count("by a root") == 9 and states(room).count("absent") == 3
    drop(room, library(room))
    settle(room, qtbot)
    assert room.stations["Files"].roots.list.count() == 1
    room.undo_action.trigger()
    settle(room, qtbot)
    assert room.stations["Files"].roots.list.count() == 0


def test_roots_are_ordered_rested_taken_away_and_exchanged(room, qtbot, tmp_path, monkeypatch) -> None:
    roots = room.stations["Files"].roots
    add_library(room, qtbot)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(library(room).parent / "late"))
    press(roots, qtbot, "Add…")
    settle(room, qtbot)
    roots.list.setCurrentRow(1)
    press(roots, qtbot, "Up")
    settle(room, qtbot)
    assert [Path(root.folder).name for root in roots.own()] == ["late", "library"]
    roots.list.item(1).setCheckState(Qt.CheckState.Unchecked)
    settle(room, qtbot)
    assert states(room).count("by a root") == 2 and not roots.own()[1].on
    roots.write(tmp_path / "roots.txt")
    assert [root.on for root in load(tmp_path / "roots.txt")] == [True, False]
    for _ in range(2):
        roots.list.setCurrentRow(0)
        roots.remove()
        settle(room, qtbot)
    assert roots.own() == []
    roots.read(tmp_path / "roots.txt")
    settle(room, qtbot)
    assert [Path(root.folder).name for root in roots.own()] == ["late", "library"]
    roots.list.setCurrentRow(0)
    roots.deepen()
    settle(room, qtbot)
    assert not roots.own()[0].deep
    told = []
    room.state.failed.disconnect()
    room.state.failed.connect(told.append)
    (tmp_path / "bad.txt").write_text("x")
    roots.read(tmp_path / "bad.txt")
    assert "no list of roots" in str(told[0])


def test_a_root_that_goes_is_told(room, qtbot) -> None:
    add_library(room, qtbot)
    shutil.rmtree(library(room))
    room.outside.follow()
    settle(room, qtbot)
    qtbot.waitUntil(lambda: "gone" in room.stations["Files"].roots.list.item(0).text(), timeout=20_000)


def test_a_repair_is_shown_before_it_is_applied(room, qtbot) -> None:
    repairs, preview = room.stations["Files"].repairs, room.stations["Files"].preview
    repairs.way.setCurrentText("Change the beginning")
    assert repairs.fields[0].text() == "/mnt/skerry/projects/lamp/textures"
    qtbot.keyClicks(repairs.fields[1], str(library(room)))
    qtbot.keyClick(repairs.fields[1], Qt.Key.Key_Return)
    settle(room, qtbot)
    assert preview.isVisible() and "would be found" in preview.told.text() and states(room).count("absent") == 13
    many = len(preview.links)
    press(preview, qtbot, "Leave it")
    assert not preview.isVisible() and not room.state.session.document.linked()
    press(repairs, qtbot, "Preview")
    settle(room, qtbot)
    press(preview, qtbot, "Apply")
    settle(room, qtbot)
    assert states(room).count("absent") == 13 - many and not preview.isVisible()
    room.undo_action.trigger()
    settle(room, qtbot)
    assert states(room).count("absent") == 13


def test_one_file_teaches_the_others(room, qtbot, monkeypatch) -> None:
    choose(room, "slate_colour")
    room.stations["Files"].repairs.way.setCurrentText("Learn from one file")
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *a, **k: (str(library(room) / "stone" / "slate_colour.png"), "")
    )
    press(room.stations["Files"].repairs, qtbot, "Point…")
    settle(room, qtbot)
    assert "becomes" in room.stations["Files"].repairs.tip.text() and len(room.stations["Files"].preview.links) >= 5
    room.stations["Files"].repairs.fields[0].setText("/somewhere/else.exr")
    room.stations["Files"].repairs.try_it()
    assert "have nothing in common" in room.stations["Files"].repairs.tip.text()


@pytest.mark.parametrize(
    ("way", "first", "second"),
    [("Take folders off", "3", ""), ("Rename", "*.png", "*.exr"), ("Make paths relative", "", "")],
)
def test_other_ways_of_repair_are_tried_without_harm(room, qtbot, way, first, second) -> None:
    repairs = room.stations["Files"].repairs
    repairs.way.setCurrentText(way)
    for line, text in zip(repairs.fields, (first, second), strict=True):
        if line.isVisible():
            line.setText(text)
    press(repairs, qtbot, "Preview")
    settle(room, qtbot)
    assert room.stations["Files"].preview.isVisible() and not room.state.session.document.linked()


def test_search_filter_and_sort(room, qtbot) -> None:
    qtbot.keyClicks(room.stations["Files"].words, "slate")
    assert len(states(room)) == 3
    room.stations["Files"].words.clear()
    qtbot.mouseClick(room.stations["Files"].filters[FileState.IN_PLACE], LEFT)
    assert set(states(room)) == {"in place"}
    qtbot.mouseClick(room.stations["Files"].filters[None], LEFT)
    head = room.stations["Files"].table.horizontalHeader()
    for column in (FILE, SIZE, STATE):
        x = head.sectionViewportPosition(column) + 10
        qtbot.mouseClick(head.viewport(), LEFT, pos=QPoint(x, 8))
        names = [file.written for file in room.stations["Files"].table.files.rows]
        qtbot.mouseClick(head.viewport(), LEFT, pos=QPoint(x, 8))
        assert [file.written for file in room.stations["Files"].table.files.rows] == names[::-1] or column != FILE
    assert len(states(room)) == 19


def test_evidence_tells_of_a_file_and_goes_to_who_uses_it(room, qtbot) -> None:
    add_library(room, qtbot)
    choose(room, "slate_normal")
    qtbot.waitUntil(lambda: any("SHA-256" in w.text() for w in room.evidence.findChildren(QLabel)), timeout=10_000)
    qtbot.wait(50)
    said = " ".join(w.text() for w in room.evidence.findChildren(QLabel) if w.isVisible())
    assert "512 × 512" in said and "normals" in said and "up" in said and "by a root" in said
    press(room.evidence, qtbot, "Wet slate")
    assert room.views.currentWidget() is room.stations["Facing"] and room.state.selection.thing.endswith("WetSlate")


def test_enter_goes_to_who_uses_the_file(room, qtbot) -> None:
    choose(room, "oak_colour")
    qtbot.keyClick(room.stations["Files"].table, Qt.Key.Key_Return)
    assert room.views.currentWidget() is room.stations["Facing"] and room.state.selection.thing.endswith("TableOak")


def test_the_list_follows_the_disk_by_itself(room, qtbot, lamproom) -> None:
    target = Path(room.state.session.scene.file).parent / "textures" / "brass_polish.png"
    target.unlink()
    qtbot.waitUntil(lambda: "absent" in states(room) and states(room).count("absent") == 14, timeout=30_000)
    shutil.copyfile(lamproom.parent / "textures" / "brass_polish.png", target)
    qtbot.waitUntil(lambda: states(room).count("absent") == 13, timeout=30_000)
    settle(room, qtbot)


def test_copies_are_prepared_and_the_target_switched(room, qtbot, tmp_path, monkeypatch) -> None:
    preparing = room.stations["Files"].preparing
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "copies"))
    preparing.where.setCurrentIndex(1)
    preparing.where.activated.emit(1)
    qtbot.mouseClick(preparing.button, LEFT)
    settle(room, qtbot)
    assert preparing.told.text().startswith("5 made") and len(list((tmp_path / "copies").rglob("*.tiled.*"))) == 5
    preparing.reads.setCurrentIndex(1)
    preparing.reads.activated.emit(1)
    settle(room, qtbot)
    assert room.state.session.document.copies == str(tmp_path / "copies")
    room.undo_action.trigger()
    settle(room, qtbot)
    assert room.state.session.document.copies == "" and preparing.reads.currentIndex() == 0


def test_a_library_of_scenes_is_repaired(room, qtbot, monkeypatch) -> None:
    add_library(room, qtbot)
    folder = Path(room.state.session.scene.file).parent
    dialog = Library(room.state, room)
    dialog.show()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(folder))
    press(dialog, qtbot, "Choose a folder")
    settle(room, qtbot)
    assert dialog.tree.topLevelItemCount() == 2 and "1 would change" in dialog.told.text()
    press(dialog, qtbot, "Write copies")
    settle(room, qtbot)
    assert (folder / "lamproom_moved_relinked.usda").is_file() and "1 scene written" in dialog.told.text()
    press(dialog, qtbot, "Choose a folder")
    settle(room, qtbot)
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: QMessageBox.StandardButton.Yes)
    press(dialog, qtbot, "Change them in place")
    settle(room, qtbot)
    assert (folder / "lamproom_moved.usda.before-relink").is_file()
    dialog.close()


def test_a_file_finding_leads_to_its_row(room, qtbot) -> None:
    room.findings.here.setChecked(True)
    assert {f.station for group in room.findings.shown() for f in group.findings} == {"Files"}
    room.findings.here.setChecked(False)
    room.go("Survey")
    finding = next(f for f in room.state.session.findings if f.code == "picture-absent")
    room.state.select(Selection(finding.thing, finding=finding))
    assert room.state.selection.finding is finding and room.stations["Files"].table.chosen().written == finding.file
    press(room.evidence, qtbot, "Show it in Files")
    assert room.views.currentWidget() is room.stations["Files"] and room.state.selection.file == finding.file
    item = next(item for item in room.findings._tops() if finding in room.findings.findings_of(item))
    room.findings.tree.itemActivated.emit(item, 0)
    assert (
        room.views.currentWidget() is room.stations["Files"]
        and room.stations["Files"].table.chosen().written == room.findings.findings_of(item)[0].file
    )


def test_from_moved_files_to_nothing_open(room, qtbot, monkeypatch, tmp_path) -> None:
    """The way a person goes: roots, candidates, what the roots found, what is read wrongly, what stays with a reason."""
    session = room.state.session
    add_library(room, qtbot)
    drop(room, library(room).parent / "late")
    settle(room, qtbot)
    assert states(room).count("absent") == 1
    choose(room, "plaster_height")
    press(room.evidence, qtbot, "Take this one")
    settle(room, qtbot)
    room.stations["Files"].repairs.way.setCurrentText("Take what the roots found")
    press(room.stations["Files"].repairs, qtbot, "Preview")
    settle(room, qtbot)
    press(room.stations["Files"].preview, qtbot, "Apply to 13 paths")
    settle(room, qtbot)
    assert sorted(states(room)) == ["absent", *["in place"] * 18]
    for text in ("Read all 2 as data", "Read all 2 as colour", "Turn its green round"):
        press(room.findings.tree, qtbot, text)
        settle(room, qtbot)
    left = {f.code for f in session.open_findings() if f.station == "Files"}
    assert left <= {"picture-absent", "eight-bit-height", "odd-gamma", "full-path"}
    room.stations["Files"].repairs.way.setCurrentText("Make paths relative")
    press(room.stations["Files"].repairs, qtbot, "Preview")
    settle(room, qtbot)
    press(room.stations["Files"].preview, qtbot, "Apply")
    settle(room, qtbot)
    assert "full-path" not in {f.code for f in session.open_findings()}
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("agreed with the client", True))
    for _ in range(60):
        tops = room.findings._tops()
        if not tops:
            break
        room.findings.tree.setCurrentItem(tops[0])
        room.findings.accept()
        qtbot.wait(5)
    assert (
        session.open_findings() == []
        and room.open_count.text() == "nothing open"
        and room.buttons["Files"].text() == "Files"
    )
    out = tmp_path / "delivered.usda"
    room.state.carry(out)
    settle(room, qtbot)
    text = out.read_text()
    assert [line for line in text.splitlines() if "/mnt/skerry" in line and "tide_table" not in line] == []
    assert "moved/library/wood/oak_normal.png" in text and "P:" not in text


def test_f5_reads_the_scene_again(room, qtbot) -> None:
    """A value that was changed in the file is there after F5, with the selection where it was."""
    state = room.state
    file = Path(state.session.scene.file)
    thing = next(one for one in state.session.scene.things.values() if one.name == "WetSlate")
    state.select(Selection(thing.id))
    before = state.session.read
    qtbot.keyClick(room, Qt.Key.Key_F5)
    settle(room, qtbot)
    assert state.session.read is before  # nothing has changed
    file.write_text(file.read_text().replace("inputs:polish = 0.8", "inputs:polish = 0.81"))
    qtbot.keyClick(room, Qt.Key.Key_F5)
    qtbot.waitUntil(lambda: state.session.read is not before, timeout=20_000)
    settle(room, qtbot)
    values = {
        node.values.get("polish") for one in state.session.scene.things.values() for node in one.graph.nodes.values()
    }
    assert (
        0.81 in {round(value, 3) for value in values if isinstance(value, float)} and state.selection.thing == thing.id
    )


def test_after_a_carry_the_window_shows_what_it_looked_at(window, qtbot, ready, tmp_path) -> None:
    """Carrying looks at shapes and works out what follows; the views are told."""
    from making import NOISY, write

    window.open(write(tmp_path, NOISY))
    qtbot.waitUntil(lambda: window.state.session is not None and window.state.job is None, timeout=20_000)
    told = []
    window.state.renewed.connect(lambda: told.append(window.state.session.outcome))
    window.state.carry(tmp_path / "out.usda")
    qtbot.waitUntil(lambda: (tmp_path / "out.usda").is_file() and window.state.job is None, timeout=60_000)
    qtbot.waitUntil(lambda: bool(told) and told[-1] is window.state.session.outcome, timeout=10_000)
    (done,) = [one for one in window.state.session.plan.translations.values() if one.bakes]
    assert done.thing == "/W/Paint" and window.state.session.is_carried
