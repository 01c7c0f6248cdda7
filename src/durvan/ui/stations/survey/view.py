"""Survey: what is in the scene and what will become of it, before anything is written; and Carry."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QLocale, Qt
from PySide6.QtGui import QDoubleValidator
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from durvan.crossing.document.changes import Choose
from durvan.crossing.exchange.carry import Carried
from durvan.progress import Step
from durvan.scene.model import FileState, Kind
from durvan.scene.traits import MaterialKind
from durvan.ui.kit.parts import Choice, clear, column, label, link, rule, small, title
from durvan.ui.kit.theme import BRIGHT, PANEL, RULE, font
from durvan.ui.kit.words import count, spoken
from durvan.ui.shared.state import Selection
from durvan.ui.stations.station import Bench, View
from durvan.ui.stations.survey.grid import Grid
from durvan.ui.stations.survey.things import ThingsView
from durvan.ui.stations.swatches import Views

_SCOPES = (
    ("Everything", "everything"),
    ("Materials and maps", "materials"),
    ("Lights", "lights"),
    ("Cameras", "cameras"),
    ("Render settings", "settings"),
)


_WEARERS = 3  # objects of a material that are offered


class Survey(View):
    """The station's view."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        state, looks = bench.state, bench.looks
        self.carry = bench.carry
        self.state, self.looks = state, looks
        self.filling = False
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self._side())
        across.addWidget(self._middle(), 4)
        across.addWidget(self._list(), 3)
        state.opened.connect(self._fill)
        state.renewed.connect(self._fill)
        state.busy.connect(self._busy)
        state.progressed.connect(self._progress)
        state.carried.connect(self._carried)
        state.stopped.connect(self._stopped)
        state.selected.connect(self._scope_choices)

    # the side: what is carried, to what, where; and the scene's facts

    def _side(self) -> QWidget:
        side = QWidget()
        side.setObjectName("side")
        side.setFixedWidth(212)
        side.setStyleSheet(f"#side {{ background: {PANEL.name()}; border-right: 1px solid {RULE.name()}; }}")
        down = column(side, gap=3)
        down.addWidget(title("Carry"))
        self.scope = self._choice(
            down, "what", "What is carried: everything, one kind of thing, or only what is selected."
        )
        self.target = self._choice(down, "to", "The dialect that the scene is carried to.")
        self.placement = self._choice(
            down,
            "where",
            "Beside: the target's networks in a layer over the source, which stays as it is.\nAlone: a stage of its own, with the target's networks only.",
        )
        self.placement.addItem("Beside the original", "beside")
        self.placement.addItem("Alone, in its own file", "alone")
        self.scope.activated.connect(lambda: self._set("Choose what is carried", scope=self.scope.currentData()))
        self.target.activated.connect(lambda: self._set("Choose the target", target=self.target.currentData()))
        self.placement.activated.connect(lambda: self._set("Choose where", placement=self.placement.currentData()))
        down.addSpacing(3)
        down.addWidget(small("drift limit, ΔE00"))
        self.limit = QLineEdit()
        limits = QDoubleValidator(0.0, 100.0, 2, self.limit)
        limits.setLocale(QLocale.c())
        self.limit.setValidator(limits)
        self.limit.setFont(font(bold=True))
        self.limit.setToolTip(
            "A material that drifts further than this becomes a finding (CIEDE2000; 3 unless you say otherwise)."
        )
        self.limit.setAccessibleName("drift limit")
        self.limit.setEnabled(False)
        self.limit.editingFinished.connect(self._limit)
        down.addWidget(self.limit)
        down.addSpacing(8)
        self.button = QPushButton("Carry")
        self.button.setProperty("main", True)
        self.button.setFont(font(bold=True))
        self.button.setToolTip(
            "Write the target's file (Ctrl+Return). It is read back and checked before it takes its place."
        )
        self.button.setEnabled(False)
        self.button.clicked.connect(lambda: self.carry())
        down.addWidget(self.button)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(4)
        self.bar.hide()
        down.addWidget(self.bar)
        self.doing = small("", wrap=True)
        down.addWidget(self.doing)
        self.facts = QVBoxLayout()
        self.facts.setSpacing(3)
        down.addSpacing(8)
        down.addLayout(self.facts)
        down.addStretch(1)
        return side

    def _choice(self, down: QVBoxLayout, name: str, tip: str) -> QComboBox:
        down.addSpacing(3)
        down.addWidget(small(name))
        box = Choice()
        box.setFont(font(bold=True))
        box.setToolTip(tip)
        box.setAccessibleName(name)
        box.setEnabled(False)
        down.addWidget(box)
        return box

    def _middle(self) -> QWidget:
        middle = QWidget()
        middle.setMinimumWidth(432)
        down = column(middle, (16, 14, 14, 10))
        head = QHBoxLayout()
        head.addWidget(title("What will become of it"))
        self.summary = small()
        head.addSpacing(10)
        head.addWidget(self.summary, 1)
        down.addLayout(head)
        down.addSpacing(6)
        self.grid = Grid(self.state)
        down.addWidget(self.grid, 3)
        self.views = Views(self.state, self.looks)
        down.addWidget(self.views, 1)
        return middle

    def _list(self) -> QWidget:
        right = QWidget()
        right.setObjectName("list")
        right.setStyleSheet(f"#list {{ background: {BRIGHT.name()}; border-left: 1px solid {RULE.name()}; }}")
        down = column(right, (10, 14, 0, 0))
        head = QHBoxLayout()
        head.addWidget(title("Things"))
        self.shown = small("")
        head.addSpacing(8)
        self.shown.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.shown.setMinimumWidth(150)
        head.addWidget(self.shown, 1)
        self.order = link(
            "Sort by kind", "Put what is alike together: metals, glass, cloth; once more for the worst first."
        )
        self.order.clicked.connect(self._turn_order)
        head.addWidget(self.order)
        head.addSpacing(10)
        down.addLayout(head)
        self.things = ThingsView(self.state, self.looks)
        down.addWidget(self.things, 1)
        self.things.things.modelReset.connect(self._count)
        self.state.first = self.things.first
        self.began = ""
        self.state.looked.connect(self._lead)
        return right

    def _lead(self) -> None:
        """When it is known what shows most, look at that, unless a person looks at something already."""
        chosen = self.state.selection
        untouched = chosen.row is None and chosen.cell is None and chosen.finding is None
        if self.things.things.weighed and not self.looks.left and self.began != self.things.session_name():
            self.began = self.things.session_name()
            if untouched and chosen.thing == self.things.led:
                self.state.select(Selection(self.things.first()))
                self.things.scrollToTop()

    def _turn_order(self) -> None:
        self.things.things.turn_order()
        self.order.setText("Worst first" if self.things.things.by_kind else "Sort by kind")

    def _count(self) -> None:
        fate = self.state.fate
        shown = len(self.things.things.rows)
        order = "by drift × what it covers" if self.things.things.weighed else "worst first"
        order = "by kind" if self.things.things.by_kind else order
        order = f"{self.looks.left} to measure" if self.looks.left else order
        self.shown.setText(f"{shown}, {order}" if fate is None else f"{shown} with {fate.word} values")

    def arrive(self) -> None:
        """The list of things is gone to."""
        self.things.setFocus()

    # filling

    def _limit(self) -> None:
        session = self.state.session
        wanted = float(self.limit.text())  # only numbers in the range get this far
        if session is not None and abs(session.document.drift_limit - wanted) > 1e-6:
            self._set("Choose the drift limit", drift_limit=wanted)

    def _set(self, name: str, **choice: object) -> None:
        if not self.filling:
            self.state.change(name, Choose.model_validate(choice))

    def _fill(self) -> None:
        session = self.state.session
        if session is None:
            return
        self.filling = True
        document = session.document
        self.target.clear()
        for pack in self.state.registry.packs.values():
            self.target.addItem(pack.title, pack.name)
            self.target.setItemData(self.target.count() - 1, pack.identity.summary, Qt.ItemDataRole.ToolTipRole)
        self.target.setCurrentIndex(self.target.findData(document.target))
        over = session.plan.stands_over
        self.placement.setCurrentIndex(self.placement.findData(document.placement if over else "alone"))
        self.placement.setEnabled(over)  # a file of another format, or of one that stands over none, is always whole
        self.limit.setText(f"{document.drift_limit:g}")
        self.filling = False
        self._scope_choices()
        things = len(session.plan.translations)
        self.button.setText(f"Carry {count(things, 'thing')}")
        self.summary.setText(f"{count(len(session.plan.ledger), 'value')} in {len(self.grid.table)} families")
        self._facts()
        self._busy(self.state.working)

    def _scope_choices(self) -> None:
        session = self.state.session
        if session is None:
            return
        self.filling = True
        self.scope.clear()
        for text, data in _SCOPES:
            self.scope.addItem(text, data)
        thing = self.state.thing()
        if thing is not None:
            self.scope.addItem(f"Only {spoken(thing.name)}", thing.id)
            kind = session.kind(thing.id)
            if thing.kind is Kind.MATERIAL and kind is not MaterialKind.UNKNOWN:
                self.scope.addItem(f"All that is {kind.value}", kind.value)
            for wearer in thing.worn[:_WEARERS]:
                self.scope.addItem(f"All on {spoken(wearer.path.rsplit('/', 1)[-1])}", wearer.path)
        found = self.scope.findData(session.document.scope)
        if found < 0:
            self.scope.addItem(session.document.scope.rsplit("/", 1)[-1], session.document.scope)
            found = self.scope.count() - 1
        self.scope.setCurrentIndex(found)
        self.filling = False

    def _facts(self) -> None:
        session = self.state.session
        assert session is not None  # called from _fill
        scene = session.scene
        clear(self.facts)
        self.facts.addWidget(rule())
        self.facts.addSpacing(6)
        name = label(spoken(scene.name), bold=True, wrap=True)
        self.facts.addWidget(name)
        table = QGridLayout()
        table.setHorizontalSpacing(6)
        table.setVerticalSpacing(2)
        kinds = {kind: sum(1 for _ in scene.of(kind)) for kind in Kind}
        absent = sum(1 for picture in scene.pictures.values() if picture.state is FileState.ABSENT)
        rows = [
            ("unit", f"{'' if 'metersPerUnit' in scene.metadata else 'not said; '}{scene.metres_per_unit * 100:g} cm"),
            ("up", scene.up_axis if "upAxis" in scene.metadata else "not said"),
            ("materials", str(kinds[Kind.MATERIAL])),
            ("lights", str(kinds[Kind.LIGHT])),
            ("cameras", str(kinds[Kind.CAMERA])),
            ("pictures", f"{len(scene.pictures)}" + (f", {absent} absent" if absent else "")),
            ("meshes", str(scene.meshes)),
        ]
        for place, (name_, said) in enumerate(rows):
            table.addWidget(small(name_), place, 0)
            right = label(said, bold=True)
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            table.addWidget(right, place, 1)
        holder = QWidget()
        holder.setLayout(table)
        table.setContentsMargins(0, 2, 0, 0)
        self.facts.addWidget(holder)

    # work

    def _busy(self, busy: bool) -> None:
        session = self.state.session
        ready = session is not None and not busy
        for box in (self.scope, self.target, self.limit):
            box.setEnabled(ready)
        self.placement.setEnabled(ready and session is not None and session.plan.stands_over)
        carrying = busy and self.state.doing == "Carrying"
        if carrying:
            self.button.setText("Stop")
            self.button.setEnabled(True)
        else:
            things = len(session.plan.translations) if session is not None else 0
            self.button.setText(f"Carry {count(things, 'thing')}" if session is not None else "Carry")
            self.button.setEnabled(ready and things > 0)
        self.bar.setVisible(busy)
        if not busy and not self.doing.text().startswith("Wrote"):
            self.doing.setText("")
        if busy:
            self.bar.setRange(0, 0)

    def _progress(self, step: Step) -> None:
        self.bar.setRange(0, step.of)
        self.bar.setValue(step.done)
        self.doing.setText(f"{step.doing} {step.done} of {step.of}" if step.of else step.doing)

    def _carried(self, carried: Carried) -> None:
        self.doing.setText(f"Wrote {Path(carried.file).name}: {carried.checked} values read back as meant.")

    def _stopped(self, name: str) -> None:
        self.doing.setText(f"{name} was stopped; nothing was written.")
