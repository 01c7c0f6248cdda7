"""Ready values: a library of sensible materials, shown on the chosen one before it is taken, whole or in part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QMimeData, QModelIndex, QPersistentModelIndex, QRectF, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QColor, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from durvan.crossing.document.changes import PutNotes
from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.ready import Part, notes_of, said_by
from durvan.crossing.translation.result import in_target
from durvan.dialects.registry import user_folder
from durvan.errors import PackError
from durvan.optics.colour import luminance
from durvan.optics.tone import srgb
from durvan.scene.model import Kind, Thing
from durvan.scene.ready import Ready, keep, library
from durvan.ui.followers.looks import Looks
from durvan.ui.kit.drops import ready_values
from durvan.ui.kit.parts import Choice, clear, column, label, link, rule, small, table_of, title
from durvan.ui.kit.theme import ACCENT_WASH, BOOTH, BRIGHT, INK, RULE, STRONG_RULE, font
from durvan.ui.kit.words import spoken
from durvan.ui.shared.state import Selection, State

_DATA = Qt.ItemDataRole.UserRole
_ROW, _CHIP = 26, 30
Index = QModelIndex | QPersistentModelIndex
_PARTS = (
    (Part.WHOLE, "all of it"),
    (Part.REFLECTION, "only its reflection"),
    (Part.TRANSPARENCY, "only its transparency"),
)


class ReadyValues(QDialog):
    """Opened from any station, for the material that is chosen there."""

    def __init__(self, state: State, looks: Looks, parent: QWidget) -> None:
        super().__init__(parent)
        self.state, self.looks = state, looks
        self.own: Path = (state.registry.user or user_folder()).parent / "ready.yaml"
        self.setWindowTitle("Ready values · Durvan")
        self.resize(900, 600)
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self._left(), 1)
        across.addWidget(self._right())
        self.waits = QTimer(self)
        self.waits.setSingleShot(True)
        self.waits.setInterval(250)
        self.waits.timeout.connect(self._show_on)
        state.selected.connect(self._about)
        state.renewed.connect(self._about)
        state.ready_dropped.connect(self._dropped)
        looks.seen.connect(self._seen)
        self.fill()
        self._about()

    def _left(self) -> QWidget:
        left = QWidget()
        down = column(left, (20, 16, 14, 16), 8)
        down.addWidget(title("Ready values"))
        self.onto = small()
        down.addWidget(self.onto)
        row = QHBoxLayout()
        self.words = QLineEdit()
        self.words.setPlaceholderText("gold, liquid, glass …")
        self.words.setAccessibleName("search ready values")
        self.words.textChanged.connect(self.fill)
        row.addWidget(self.words, 1)
        self.order = Choice()
        for text in ("by name", "by kind", "by brightness"):
            self.order.addItem(text)
        self.order.setAccessibleName("order of ready values")
        self.order.activated.connect(self.fill)
        row.addWidget(self.order)
        down.addLayout(row)
        self.list = _List()
        self.list.currentItemChanged.connect(self._chosen)
        self.list.itemActivated.connect(lambda *_: self.put())
        down.addWidget(self.list, 1)
        return left

    def _right(self) -> QWidget:
        right = QWidget()
        right.setObjectName("side")
        right.setFixedWidth(320)
        right.setStyleSheet(f"#side {{ background: {BRIGHT.name()}; border-left: 1px solid {RULE.name()}; }}")
        down = column(right, (18, 16, 18, 16), 6)
        self.picture = _Picture()
        down.addWidget(self.picture)
        self.about = QVBoxLayout()
        self.about.setSpacing(4)
        down.addLayout(self.about)
        down.addStretch(1)
        down.addWidget(small("what of it is taken"))
        self.part = Choice()
        for part, text in _PARTS:
            self.part.addItem(text, part)
        self.part.setAccessibleName("what of it is taken")
        self.part.activated.connect(lambda: self.waits.start())
        down.addWidget(self.part)
        down.addWidget(small("maps that feed the material"))
        self.maps = Choice()
        self.maps.addItem("are kept", True)
        self.maps.addItem("are given up", False)
        self.maps.setAccessibleName("maps that feed the material")
        self.maps.activated.connect(lambda: self.waits.start())
        down.addWidget(self.maps)
        down.addSpacing(6)
        self.button = QPushButton("Put it on")
        self.button.setProperty("main", True)
        self.button.setFont(font(bold=True))
        self.button.clicked.connect(self.put)
        down.addWidget(self.button)
        mine = link("Keep the material's values as my own…", "What the target has now goes into your own library.")
        mine.clicked.connect(self.ask_keep)
        down.addWidget(mine)
        return right

    # the list

    def fill(self) -> None:
        """List what the words find, in the order that was chosen."""
        try:
            every = library(self.own)
        except PackError as problem:
            every = library()
            self.onto.setText(str(problem))
        found = [one for one in every if one.matches(self.words.text())]
        orders = (
            lambda one: one.name,
            lambda one: (one.kind.value, one.name),
            lambda one: (-_brightness(one), one.name),
        )
        chosen = self.entry()
        self.list.clear()
        for one in sorted(found, key=orders[max(self.order.currentIndex(), 0)]):
            facts = "  ".join(f"{name} {said}" for name, said in one.facts if name in ("index", "albedo"))
            item = QTreeWidgetItem(["", one.name, one.kind.value, facts or ("your own" if one.own else "")])
            item.setData(0, _DATA, one)
            item.setFont(1, font(bold=True))
            self.list.addTopLevelItem(item)
            if chosen is not None and one.name == chosen.name:
                self.list.setCurrentItem(item)

    def entry(self) -> Ready | None:
        """What is chosen in the list."""
        item = self.list.currentItem()
        one = item.data(0, _DATA) if item is not None else None
        return one if isinstance(one, Ready) else None

    def _chosen(self) -> None:
        clear(self.about)
        one = self.entry()
        if one is not None:
            self.about.addWidget(label(one.name, bold=True))
            self.about.addWidget(small(one.kind.value))
            if one.facts:
                self.about.addWidget(table_of([(name, said, "") for name, said in one.facts]))
            self.about.addWidget(rule())
            self.about.addWidget(small(one.source or "your own", wrap=True))
        self._enable()
        self.waits.start()

    # onto a material

    def _thing(self) -> Thing | None:
        thing, session = self.state.thing(), self.state.session
        carried = thing is not None and session is not None and thing.id in session.plan.translations
        return thing if carried and thing is not None and thing.kind is Kind.MATERIAL else None

    def _about(self) -> None:
        thing, session = self._thing(), self.state.session
        if thing is None or session is None:
            self.onto.setText("Choose a material in any station to put one on.")
        else:
            target = self.state.registry.packs[session.document.target].title
            self.onto.setText(f"onto {spoken(thing.name)}, in {target}; undo takes it back")
        self._enable()
        self.picture.show_of(None)
        self.waits.start()

    def notes(self) -> tuple[Note, ...]:
        """What would be put onto the chosen material."""
        thing, session, one = self._thing(), self.state.session, self.entry()
        if thing is None or session is None or one is None:
            return ()
        pack = self.state.registry.packs[session.document.target]
        part, maps = Part(self.part.currentData()), bool(self.maps.currentData())
        return notes_of(one, session.plan.translations[thing.id], pack, session.scene.metres_per_unit, part, maps)

    def _enable(self) -> None:
        notes = self.notes()
        self.button.setEnabled(bool(notes))
        self.button.setText(f"Put {len(notes)} values on it" if notes else "Put it on")

    def _show_on(self) -> None:
        """Show the chosen material as it would look."""
        thing, session, notes = self._thing(), self.state.session, self.notes()
        self._enable()
        if not self.isVisible() or thing is None or session is None or not notes:
            return
        self.looks.try_on(thing, session.would(thing, PutNotes(notes=notes)))

    def _seen(self, name: str) -> None:
        thing = self._thing()
        found = self.looks.closely.get(name)
        if thing is not None and name == thing.id and found is not None and self.looks.trying:
            self.picture.show_of(found.target[0])

    def put(self) -> None:
        """Put it onto the material, as one step."""
        notes, one = self.notes(), self.entry()
        if notes and one is not None:
            self.looks.taken()
            self.state.change(f"Put {one.name} on it", PutNotes(notes=notes))

    def _dropped(self, thing: str) -> None:
        """What is chosen here was dropped onto a material."""
        self.state.select(Selection(thing))
        self.put()

    def ask_keep(self) -> None:
        """Ask for a name, and keep the material's values."""
        thing = self._thing()
        if thing is not None:
            name, good = QInputDialog.getText(self, "Keep", "A name for these values", text=spoken(thing.name))
            if good and name.strip():
                self.keep(name.strip())

    def keep(self, name: str) -> None:
        """Keep what the target's material says now, under a name."""
        thing, session = self._thing(), self.state.session
        if thing is None or session is None:
            return
        pack = self.state.registry.packs[session.document.target]
        made = replace(in_target(thing, session.plan.translations[thing.id]), bakes=())
        values = said_by(made, pack, session.scene.metres_per_unit)
        try:
            keep(self.own, name, session.kind(thing.id), values, f"from {spoken(thing.name)}")
        except (OSError, PackError) as problem:
            self.onto.setText(f"It cannot be kept: {problem}")
            return
        self.fill()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Gone, the material looks as it does again."""
        self.waits.stop()
        self.looks.try_on(None)
        super().closeEvent(event)


def _colour(one: Ready) -> tuple[float, float, float]:
    """A colour that stands for an entry: what it scatters or reflects, or what passes."""
    found = one.values.get("base_color")
    if one.values.get("transmission_weight"):
        found = one.values.get("transmission_color", (1.0, 1.0, 1.0))
    return (found[0], found[1], found[2]) if isinstance(found, tuple) and len(found) == 3 else (0.5, 0.5, 0.5)


def _brightness(one: Ready) -> float:
    return luminance(_colour(one))


class _List(QTreeWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setHeaderLabels(["", "name", "what it is", "numbers"])
        self.setRootIsDecorated(False)
        self.setIndentation(0)
        self.setUniformRowHeights(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Ready values")
        self.setToolTip("Drag one onto a material in the camera's view, or onto Facing; or press it twice.")
        self.setDragEnabled(True)
        self.setItemDelegateForColumn(0, _Chips(self))
        self.setStyleSheet(
            f"QTreeView {{ background: {BRIGHT.name()}; }} QTreeView::item {{ height: {_ROW}px; padding: 0 6px; border-bottom: 1px solid {RULE.name()}; }}"
            "QHeaderView::section { padding-left: 9px; }"
        )
        head = self.header()
        head.setStretchLastSection(False)
        for place, wide in ((0, _CHIP + 14), (2, 110), (3, 110)):
            head.setSectionResizeMode(place, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(place, wide)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)

    def mimeData(self, items: Sequence[QTreeWidgetItem]) -> QMimeData:
        return ready_values()


class _Chips(QStyledItemDelegate):
    """The colour of each: full of what scatters or reflects, only framed where light passes."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        one = index.data(_DATA)
        box = QRectF(option.rect)  # type: ignore[attr-defined] # the stubs leave it out
        chosen = option.widget.selectionModel().isRowSelected(index.row(), QModelIndex())  # type: ignore[attr-defined]
        painter.fillRect(box, ACCENT_WASH if chosen else BRIGHT)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(int(box.left()), int(box.bottom()) - 1, int(box.right()), int(box.bottom()) - 1)
        if not isinstance(one, Ready):
            return
        chip = box.adjusted(10, 5, -6, -6)
        shown = QColor.fromRgbF(*(min(max(float(part), 0.0), 1.0) for part in srgb(np.array(_colour(one)))))
        clear_ = bool(one.values.get("transmission_weight"))
        painter.fillRect(chip, BOOTH if clear_ else shown)
        painter.setPen(QPen(shown if clear_ else STRONG_RULE, 3 if clear_ else 1))
        painter.drawRect(chip.adjusted(1, 1, -1, -1) if clear_ else chip)


class _Picture(QWidget):
    """The target's swatch as it would look, on the booth's grey."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(284)
        self.setAccessibleName("The material as it would look")
        self.image: QImage | None = None

    def show_of(self, image: QImage | None) -> None:
        """Show an image, or none."""
        self.image = image
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BOOTH)
        if self.image is None:
            painter.setPen(INK)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "choose one to see it on the material")
            return
        side = min(self.width(), self.height())
        box = QRectF((self.width() - side) / 2.0, (self.height() - side) / 2.0, side, side)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(box, self.image)
