"""The frame: strip, stations, the station's view, Evidence, Findings; menus, files, and closing safely."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from durvan.crossing.document.store import ENDING
from durvan.dialects.registry import Registry
from durvan.errors import DurvanError
from durvan.formats.table import FORMATS, named, read_endings, write_endings
from durvan.progress import Step
from durvan.record.build import record as record_data
from durvan.record.page import page, write
from durvan.ui.followers.judging import Judging
from durvan.ui.followers.looks import Looks
from durvan.ui.followers.outside import Outside
from durvan.ui.followers.proving import Proofs
from durvan.ui.followers.settling import Settling
from durvan.ui.frame.dialects import Dialects
from durvan.ui.frame.evidence import Evidence
from durvan.ui.frame.findings import Findings
from durvan.ui.frame.larger import LargerView
from durvan.ui.frame.ready import ReadyValues
from durvan.ui.frame.settle import Settle
from durvan.ui.frame.strip import Strip
from durvan.ui.kit.parts import column, label, small
from durvan.ui.kit.theme import ACCENT, BRIGHT, INK, RULE, SOFT, TITLE, font
from durvan.ui.shared.state import State
from durvan.ui.stations.station import Bench, View
from durvan.ui.stations.table import STATIONS

_SCENES = "Scenes and crossings (" + " ".join(f"*{ending}" for ending in (*read_endings(), ENDING)) + ")"

_TARGETS = "Scenes (" + " ".join(f"*{ending}" for ending in write_endings()) + ")"


def _listed(names: list[str]) -> str:
    return f"{', '.join(names[:-1])} or {names[-1]}"


class Window(QMainWindow):
    """Durvan's window."""

    def __init__(self, registry: Registry, rendering: bool = True, judging: bool = True) -> None:
        super().__init__()
        self.state = State(registry, self)
        self.looks = Looks(self.state, self, rendering)
        self.larger: LargerView | None = None
        self.setWindowTitle("Durvan")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.strip = Strip(self.state)
        self.outside = Outside(self.state, self, judging)
        self.settling = Settling(self.state, self.looks, self)
        self.judging = Judging(self.state, self)
        self.proofs = Proofs(self.state, self.looks, self.judging, self)
        self.settle_panel: Settle | None = None
        self.ready_panel: ReadyValues | None = None
        self.dialects_panel: Dialects | None = None
        bench = Bench(self.state, self.looks, self.outside, self.proofs, self.carry_or_stop)
        self.stations: dict[str, View] = {one.name: one.make(bench) for one in STATIONS}
        self.evidence = Evidence(
            bench, self.settling, [one.explain(bench) for one in STATIONS if one.explain is not None]
        )
        self.findings = Findings(self.state)
        self.findings.settle_wanted.connect(self.settle)
        self.settling.told.connect(self.findings.fill)
        self._build()
        self._menus()
        state = self.state
        state.station_wanted.connect(self.go)
        state.failed.connect(self._failed)
        state.renewed.connect(self._told)
        state.looked.connect(self._told)
        state.opened.connect(self._opened)
        state.busy.connect(self._busy)
        state.progressed.connect(self._progress)
        state.stopped.connect(self._stopped)

    # building

    def _build(self) -> None:
        self.views = QStackedWidget()
        for view in self.stations.values():
            self.views.addWidget(view)
        upper = QWidget()
        across = QHBoxLayout(upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.views, 1)
        across.addWidget(self.evidence)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(self.findings)
        split.setStretchFactor(0, 4)
        split.setStretchFactor(1, 1)
        split.setSizes([536, 168])
        split.setHandleWidth(3)
        split.setChildrenCollapsible(False)
        body = QWidget()
        down = QVBoxLayout(body)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(self.strip)
        down.addWidget(self._station_row())
        down.addWidget(split, 1)
        self.frame = QStackedWidget()
        self.frame.addWidget(self._welcome())
        self.frame.addWidget(body)
        self.setCentralWidget(self.frame)

    def _welcome(self) -> QWidget:
        page_ = QWidget()
        down = column(page_, (0, 0, 0, 0), 8)
        down.addStretch(2)
        middle = Qt.AlignmentFlag.AlignHCenter
        heading = label("Open a scene", TITLE, bold=True)
        down.addWidget(heading, 0, middle)
        down.addWidget(
            small(
                f"{_listed([one.name for one in FORMATS])}, or a crossing that you saved. Drop it here, or choose it. "
                "It is only read, never written to."
            ),
            0,
            middle,
        )
        self.open_button = QPushButton("Open…")
        self.open_button.setProperty("main", True)
        self.open_button.setFont(font(bold=True))
        self.open_button.setMinimumWidth(200)
        self.open_button.clicked.connect(self.ask_open)
        down.addSpacing(10)
        down.addWidget(self.open_button, 0, middle)
        self.opening = small()
        down.addWidget(self.opening, 0, middle)
        down.addStretch(3)
        return page_

    def _station_row(self) -> QWidget:
        row = QWidget()
        row.setObjectName("stations")
        row.setStyleSheet(
            f"#stations {{ background: {BRIGHT.name()}; border-bottom: 1px solid {RULE.name()}; }}"
            f"#stations QPushButton {{ background: transparent; border: none; border-bottom: 3px solid transparent; padding: 6px 2px 4px 2px; color: {SOFT.name()}; }}"
            f"#stations QPushButton:checked {{ border-bottom: 3px solid {ACCENT.name()}; color: {INK.name()}; }}"
            f"#stations QPushButton:focus {{ color: {ACCENT.name()}; }}"
        )
        across = QHBoxLayout(row)
        across.setContentsMargins(16, 0, 16, 0)
        across.setSpacing(26)
        group = QButtonGroup(self)
        group.setExclusive(True)
        self.buttons: dict[str, QPushButton] = {}
        for number, name in enumerate(self.stations, 1):
            button = QPushButton(name)
            button.setCheckable(True)
            button.setFont(font(bold=True))
            button.setToolTip(f"{name} (Ctrl+{number})")
            button.clicked.connect(lambda _=False, n=name: self.go(n))
            group.addButton(button)
            across.addWidget(button)
            self.buttons[name] = button
        self.buttons[STATIONS[0].name].setChecked(True)
        across.addStretch(1)
        self.open_count: QLabel = small()
        across.addWidget(self.open_count)
        return row

    def _menus(self) -> None:
        menus = {name: self.menuBar().addMenu(name) for name in ("File", "Edit", "Look", "Findings")}
        file, edit, look, findings = menus.values()
        self._action(file, "Open…", "Ctrl+O", self.ask_open)
        self._action(file, "Save crossing", "Ctrl+S", lambda: self.save())
        self._action(file, "Save crossing as…", "Ctrl+Shift+S", self.ask_save)
        file.addSeparator()
        self._action(file, "Carry…", "Ctrl+Return", self.carry_or_stop)
        self._action(file, "Write the record…", "Ctrl+R", self.ask_record)
        file.addSeparator()
        self._action(file, "Dialects…", "Ctrl+D", self.show_dialects)
        self.undo_action = self._action(edit, "Undo", "Ctrl+Z", self.state.undo)
        self.redo_action = self._action(edit, "Redo", "Ctrl+Shift+Z", self.state.redo)
        for number, name in enumerate(self.stations, 1):
            self._action(look, name, f"Ctrl+{number}", partial(self.go, name))
        look.addSeparator()
        self.marks = [
            self._action(look, "Paint it loud", "Ctrl+P", lambda: self.looks.mark_as("loud")),
            self._action(look, "Grey the rest", "Ctrl+G", lambda: self.looks.mark_as("apart")),
        ]
        self._action(look, "Larger view", "Ctrl+B", self.larger_view)
        self._action(look, "Render with Mitsuba", "Ctrl+Shift+B", self.render_really)
        self.stop_other = self._action(look, "Stop rendering the other scene", "", self.judging.stop_other)
        self.stop_other.setEnabled(False)
        self.judging.changed.connect(lambda: self.stop_other.setEnabled(self.judging.elsewhere))
        self._action(edit, "Ready values…", "Ctrl+K", self.ready_values)
        look.addSeparator()
        self._action(look, "Next finding", "Ctrl+Down", self.findings.next_worst)
        for view in self.stations.values():
            for one in view.menu_entries():
                self._action(menus[one.menu], one.text, one.keys, one.do)
        self._action(look, "All fates", "Ctrl+0", lambda: self.state.filter(self.state.fate))
        file.addSeparator()
        self._action(file, "Quit", "Ctrl+Q", self.close)
        self._action(findings, "Settle…", "Ctrl+T", self.settle)
        self._action(findings, "Accept…", "Ctrl+E", self.findings.accept)

    def _action(self, menu: QMenu, text: str, keys: str, do: Callable[[], object]) -> QAction:
        action = QAction(text, self)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: do())
        menu.addAction(action)
        return action

    # going about

    def larger_view(self) -> None:
        """Show the camera's view in a window of its own."""
        if self.larger is not None:
            self.larger.close()
        self.larger = LargerView(self.state, self.looks, self.judging, self.marks, self)
        self.larger.show()

    def render_really(self) -> None:
        """Show the camera's view in a window of its own, and have both sides rendered by Mitsuba."""
        if self.state.session is None:
            return
        if self.larger is None or not self.larger.isVisible():
            self.larger_view()
        if self.larger is not None and not self.judging.here:
            self.larger.render_or_stop()

    def ready_values(self) -> None:
        """Show the library of ready values, for the material that is chosen."""
        if self.state.session is None:
            return
        if self.ready_panel is None:
            self.ready_panel = ReadyValues(self.state, self.looks, self)
        self.ready_panel.show()
        self.ready_panel.raise_()

    def show_dialects(self) -> None:
        """Show the packs that there are."""
        if self.dialects_panel is None:
            self.dialects_panel = Dialects(self.state.registry, self)
        self.dialects_panel.show()
        self.dialects_panel.raise_()

    def settle(self) -> None:
        """Show what measurably helps, and begin to try where nothing was tried yet."""
        if self.state.session is None:
            return
        if self.settle_panel is None:
            self.settle_panel = Settle(self.state, self.settling, self)
        self.settle_panel.show()
        self.settle_panel.raise_()
        if not self.settling.tried:
            self.settling.start()

    def go(self, station: str) -> None:
        """Show a station."""
        self.views.setCurrentWidget(self.stations[station])
        self.buttons[station].setChecked(True)
        self.findings.at(station)
        self.stations[station].arrive()

    def _opened(self) -> None:
        self.frame.setCurrentIndex(1)
        self.go(STATIONS[0].name)

    def _told(self) -> None:
        session = self.state.session
        if session is None:
            return
        name = session.file.name if session.file is not None else session.scene.name
        self.setWindowTitle(f"{name}[*] · Durvan")
        self.setWindowModified(session.changed)
        open_, stops = len(session.open), len(session.stops())
        told = f"{open_} open" if open_ else "nothing open"
        self.open_count.setText(f"{told}, {stops} of them stop the delivery" if stops else told)
        for station, button in self.buttons.items():
            number = session.open_at(station)
            button.setText(f"{station}  {number}" if number else station)
        self.undo_action.setText(f"Undo {session.done[-1].name.lower()}" if session.done else "Undo")
        self.undo_action.setEnabled(bool(session.done))
        self.redo_action.setText(f"Redo {session.undone[-1].name.lower()}" if session.undone else "Redo")
        self.redo_action.setEnabled(bool(session.undone))

    def _busy(self, busy: bool) -> None:
        self.open_button.setEnabled(not busy)
        if not busy:
            self.opening.setText("")

    def _progress(self, step: Step) -> None:
        self.opening.setText(f"{step.doing} {step.done}" if step.done else step.doing)

    def _stopped(self, name: str) -> None:
        self.opening.setText(f"{name} was stopped.")

    def _failed(self, problem: DurvanError) -> None:
        box = QMessageBox(self)
        box.setIcon(QMessageBox.Icon.NoIcon)
        box.setWindowTitle("Durvan")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(str(problem)[:2000])
        box.open()

    # files

    def open(self, file: Path, target: str = "") -> None:
        """Open a scene or a crossing, after asking about unsaved changes."""
        if self._may_leave():
            self.state.open(file, target)

    def ask_open(self) -> None:
        """Ask for a file and open it."""
        name, _ = QFileDialog.getOpenFileName(self, "Open", self._folder(), _SCENES)
        if name:
            self.open(Path(name))

    def _folder(self) -> str:
        session = self.state.session
        return str(Path(session.scene.file).absolute().parent) if session is not None else ""

    def save(self, file: Path | None = None) -> bool:
        """Save the crossing, under its own name if it has one."""
        session = self.state.session
        if session is None:
            return False
        place = file or session.file
        return self.state.save(place) if place is not None else self.ask_save()

    def ask_save(self) -> bool:
        """Ask where, and save."""
        session = self.state.session
        if session is None:
            return False
        suggested = str(Path(session.scene.file).with_suffix(ENDING))
        name, _ = QFileDialog.getSaveFileName(self, "Save crossing", suggested, f"Crossings (*{ENDING})")
        if not name:
            return False
        file = Path(name) if name.endswith(ENDING) else Path(name + ENDING)
        return self.state.save(file)

    def carry_or_stop(self) -> None:
        """Ask where to write, and carry; while it runs, stop it."""
        session = self.state.begin_or_stop()
        if session is None:
            return
        source = Path(session.scene.file)
        ending = named(session.plan.format).writes[0]
        suggested = str(source.with_name(f"{source.stem}_{session.document.target}{ending}"))
        name, _ = QFileDialog.getSaveFileName(self, "Carry", suggested, _TARGETS)
        if name:
            self.state.carry(Path(name))

    def ask_record(self) -> None:
        """Ask where, and write the record."""
        session = self.state.session
        if session is None:
            return
        suggested = str(Path(session.scene.file).with_suffix(".html"))
        name, _ = QFileDialog.getSaveFileName(self, "Write the record", suggested, "Web page (*.html)")
        if name:
            shown_with = self.looks.gallery()
            self.state.run(
                "Recording",
                lambda _: write({Path(name): page(record_data(session), shown_with)}),
                lambda _: None,
            )

    def _may_leave(self) -> bool:
        session = self.state.session
        if session is None or not session.changed:
            return True
        answer = QMessageBox.question(
            self, "Durvan", "The crossing has changes that are not saved. Save them?",
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        job = self.state.job
        if job is not None:
            job.stop()
            job.wait(10.0)
        if self.larger is not None:
            self.larger.close()
        self.judging.close()
        self.proofs.close()
        self.looks.close()
        self.outside.close()
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            place = Path(url.toLocalFile()) if url.isLocalFile() else None
            if place is not None and place.is_dir() and self.state.session is not None:
                taken = next((name for name, view in self.stations.items() if view.take_folder(place)), None)
                if taken is not None:
                    self.go(taken)
                    return
            if place is not None:
                self.open(place)
                return
