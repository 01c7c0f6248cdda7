"""The findings at the foot: worst first, equal ones grouped, with one action for a group."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QAction, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from durvan.crossing.document.changes import Fit
from durvan.crossing.findings import Finding, Group, grouped
from durvan.crossing.job.settling import effect_of
from durvan.crossing.looks.trials import Effect
from durvan.crossing.translation.rows import Row
from durvan.ui.kit.parts import column, small, title
from durvan.ui.kit.switch import Switch
from durvan.ui.kit.theme import BRIGHT, LEVEL_INKS, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import count, spoken
from durvan.ui.shared.state import Selection, State

_MOST = 400
_DATA = Qt.ItemDataRole.UserRole


class Findings(QWidget):
    """The table, its filter, and its actions."""

    settle_wanted = Signal()

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.which = "open"
        self.station = "Survey"
        self.setObjectName("findings")
        self.setStyleSheet(f"#findings {{ background: {BRIGHT.name()}; border-top: 1px solid {STRONG_RULE.name()}; }}")
        down = column(self, (16, 7, 0, 0), 3)
        down.addLayout(self._head())
        self.tree = _Tree(self)
        down.addWidget(self.tree, 1)
        state.renewed.connect(self.fill)
        state.looked.connect(self.fill)
        state.accept_wanted.connect(self.accept_these)
        self.tree.currentItemChanged.connect(self._look)
        self.tree.itemExpanded.connect(self._open_group)
        self.tree.itemCollapsed.connect(self._close_group)
        self.tree.itemActivated.connect(lambda item, _: self._go(item))

    def _head(self) -> QHBoxLayout:
        across = QHBoxLayout()
        across.setContentsMargins(0, 0, 16, 0)
        across.setSpacing(10)
        across.addWidget(title("Findings"))
        self.told = small()
        across.addWidget(self.told)
        across.addSpacing(8)
        self.settle = QPushButton("Settle…")
        self.settle.setProperty("link", True)
        self.settle.setFont(font(SMALL, bold=True))
        self.settle.setToolTip(
            "Tries every remedy and fit, and shows what measurably helps (Ctrl+T). Nothing is changed by it."
        )
        self.settle.clicked.connect(self.settle_wanted)
        across.addWidget(self.settle)
        across.addStretch(1)
        self.here = QPushButton("only this station")
        self.here.setProperty("link", True)
        self.here.setCheckable(True)
        self.here.setFont(font(SMALL))
        self.here.setToolTip("Show only what the station in view is about.")
        self.here.toggled.connect(self._only)
        across.addWidget(self.here)
        across.addSpacing(14)
        self.filters = Switch(
            (
                ("open", "What is neither settled nor accepted."),
                ("accepted", "What was accepted with a reason."),
                ("all", "Both."),
            )
        )
        self.filters.turned.connect(self.show_only)
        across.addWidget(self.filters)
        return across

    def _only(self, on: bool) -> None:
        self.here.setFont(font(SMALL, bold=on))
        self.fill()

    def at(self, station: str) -> None:
        """The station in view, for those who want to see only what that is about."""
        self.station = station
        if self.here.isChecked():
            self.fill()

    def show_only(self, which: str) -> None:
        """Show open ones, accepted ones, or all."""
        self.which = which
        self.filters.turn(which)
        self.fill()

    def shown(self) -> list[Group]:
        """The groups that the filter lets through."""
        session = self.state.session
        if session is None:
            return []
        if self.which == "open":
            groups = session.open_groups()
        elif self.which == "all":
            groups = session.now.findings.groups
        else:
            groups = grouped(finding for finding in session.now.findings if session.accepted(finding))
        if self.here.isChecked():
            return [group for group in groups if group.first.station == self.station]
        return groups

    def fill(self) -> None:
        """Fill the table."""
        opened = {self._key(item) for item in self._tops() if item.isExpanded()}
        at = self.tree.currentItem()
        here = self._key(at) if at is not None else None
        self.tree.blockSignals(True)
        self.tree.clear()
        groups = self.shown()
        for group in groups:
            item = self._top(group)
            if group.key in opened:
                item.setExpanded(True)
                self._open_group(item)
            if group.key == here:
                self.tree.setCurrentItem(item)
        self.tree.blockSignals(False)
        number = sum(group.count for group in groups)
        if self.state.session is None:
            self.told.setText("")
        elif not groups and self.which == "open":
            self.told.setText("nothing is open")
        else:
            self.told.setText(
                f"{count(len(groups), 'kind')}, {number} {self.which if self.which != 'all' else 'in all'}"
            )

    def _tops(self) -> list[QTreeWidgetItem]:
        return [
            item
            for item in (self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount()))
            if item is not None
        ]

    def _key(self, item: QTreeWidgetItem) -> tuple[str, str] | None:
        data = item.data(0, _DATA)
        if isinstance(data, Finding):
            return data.code, data.topic
        return data.key if isinstance(data, Group) else None

    def _top(self, group: Group) -> QTreeWidgetItem:
        first, number = group.first, group.count
        about = self._about(first) if number == 1 else f"{group.consequence}"
        item = QTreeWidgetItem([group.level.word, _number(number, False), group.title, about, ""])
        item.setData(0, _DATA, group)
        item.setFont(0, font(bold=group.level == 0))
        item.setFont(2, font(bold=True))
        for place in (0, 1):
            item.setForeground(place, LEVEL_INKS[group.level])
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setToolTip(2, group.title)
        item.setToolTip(3, f"{first.cause}; {group.consequence}")
        self.tree.addTopLevelItem(item)
        if number > 1:
            item.setChildIndicatorPolicy(QTreeWidgetItem.ChildIndicatorPolicy.ShowIndicator)
        self._action(item, group)
        return item

    def _action(self, item: QTreeWidgetItem, group: Group) -> None:
        remedies = group.remedies
        if not remedies or self.which == "accepted":
            return
        many = len(remedies)
        text = remedies[0].all_label(many) if many > 1 else remedies[0].label
        known = self._known(group)
        if many == 1 and known:
            text = f"{text}  {known[0].before:.1f} → {known[0].after:.1f}"
        button = QPushButton(text)
        button.setProperty("link", True)
        button.setFont(font(bold=True))
        told = (
            f"\nMeasured: {sum(one.helps for one in known)} of {len(known)} that were tried get better."
            if known
            else ""
        )
        button.setToolTip(f"Settles every finding of this kind; undo takes it back.{told}")
        button.clicked.connect(lambda: self.state.apply(remedies))
        holder = QWidget()
        across = QHBoxLayout(holder)
        across.setContentsMargins(0, 0, 12, 0)
        across.addStretch(1)
        across.addWidget(button)
        self.tree.setItemWidget(item, 4, holder)

    def _known(self, group: Group) -> list[Effect]:
        """What its remedies were measured to do, as far as they were tried on materials."""
        session = self.state.session
        if session is None or not session.evidence.effects:
            return []
        pairs = [
            (one, one.remedies[0]) for one in group.findings if one.remedies and isinstance(one.remedies[0].does, Fit)
        ]
        found = [effect_of(session, finding, remedy) for finding, remedy in pairs]
        return [one for one in found if one is not None]

    def _about(self, finding: Finding) -> str:
        session = self.state.session
        name = (
            spoken(session.scene.things[finding.thing].name)
            if session and finding.thing in session.scene.things
            else ""
        )
        return f"{name}: {finding.cause}; {finding.consequence}" if name else f"{finding.cause}; {finding.consequence}"

    def _open_group(self, item: QTreeWidgetItem) -> None:
        group = item.data(0, _DATA)
        if isinstance(group, Group):
            item.setText(1, _number(group.count, True))
        if not isinstance(group, Group) or item.childCount():
            return
        for finding in group.findings[:_MOST]:
            name = spoken(finding.thing.rsplit("/", 1)[-1])
            child = QTreeWidgetItem(["", "", name, f"{finding.cause}; {finding.consequence}", ""])
            child.setData(0, _DATA, finding)
            child.setForeground(3, SOFT)
            child.setToolTip(3, f"{finding.cause}; {finding.consequence}")
            item.addChild(child)
        if len(group.findings) > _MOST:
            item.addChild(QTreeWidgetItem(["", "", f"and {len(group.findings) - _MOST} more", "", ""]))

    def _close_group(self, item: QTreeWidgetItem) -> None:
        group = item.data(0, _DATA)
        if isinstance(group, Group):
            item.setText(1, _number(group.count, False))

    # following

    def findings_of(self, item: QTreeWidgetItem | None) -> list[Finding]:
        """A group's findings, or the one that a row is."""
        data = item.data(0, _DATA) if item is not None else None
        if isinstance(data, Group):
            return data.findings
        return [data] if isinstance(data, Finding) else []

    def _look(self, item: QTreeWidgetItem | None) -> None:
        found = self.findings_of(item)
        if found:
            self.state.select(Selection(found[0].thing, self._row(found[0]), None, found[0]))

    def _go(self, item: QTreeWidgetItem) -> None:
        found = self.findings_of(item)
        if found and found[0].station == "Files" and found[0].file:
            self.state.select(Selection(found[0].thing, file=found[0].file))
            self.state.station_wanted.emit("Files")
        elif found and found[0].thing:
            self.state.select(Selection(found[0].thing, self._row(found[0])))
            self.state.station_wanted.emit("Facing")

    def _row(self, finding: Finding) -> Row | None:
        node, _, parameter = finding.path.rpartition(".")
        return next((r for r in self.state.rows(finding.thing) if r.node == node and r.parameter == parameter), None)

    def next_worst(self) -> None:
        """Go to the next finding of the list, from the worst down."""
        tops = self._tops()
        if tops:
            now = self.tree.currentItem()
            place = tops.index(now) + 1 if now in tops else 0
            self.tree.setCurrentItem(tops[place % len(tops)])
            self.tree.setFocus()

    def accept(self) -> None:
        """Accept what is selected, with a reason that is asked for."""
        self.accept_these(self.findings_of(self.tree.currentItem()))

    def accept_these(self, found: list[Finding]) -> None:
        """Accept some findings, with a reason that is asked for."""
        if not found:
            return
        text, good = QInputDialog.getText(self, "Accept", f"Why is “{found[0].title}” accepted?")
        if good and text.strip():
            self.state.accept(found, text)

    def menu(self, at: QPoint) -> None:
        """What can be done about a row."""
        found = self.findings_of(self.tree.itemAt(at))
        if not found:
            return
        menu = QMenu(self)
        labels: dict[str, list] = {}
        for finding in found:
            for remedy in finding.remedies:
                labels.setdefault(remedy.label if len(found) == 1 else remedy.all_label(), []).append(remedy)
        for text, remedies in labels.items():
            action = QAction(text, menu)
            action.triggered.connect(lambda _=False, r=remedies: self.state.apply(r))
            menu.addAction(action)
        menu.addAction("Accept…", self.accept)
        menu.exec(self.tree.viewport().mapToGlobal(at))


def _number(many: int, opened: bool) -> str:
    """How many findings a group has, and whether it can be unfolded."""
    return "1" if many == 1 else f"{many} {'▾' if opened else '▸'}"


class _Tree(QTreeWidget):
    def __init__(self, owner: Findings) -> None:
        super().__init__()
        self.owner = owner
        self.setColumnCount(5)
        self.setHeaderHidden(True)
        self.setRootIsDecorated(False)
        self.setIndentation(0)
        self.setUniformRowHeights(True)
        self.setExpandsOnDoubleClick(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Findings, worst first")
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(owner.menu)
        self.setStyleSheet(
            f"QTreeView {{ background: {BRIGHT.name()}; }} QTreeView::item {{ height: 21px; padding: 1px 6px; border-bottom: 1px solid {RULE.name()}; }}"
        )
        head = self.header()
        head.setStretchLastSection(False)
        head.setMinimumSectionSize(20)
        for place, wide in ((0, 52), (1, 78), (2, 432), (4, 190)):
            head.setSectionResizeMode(place, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(place, wide)
        head.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.header().resizeSection(2, max(432, self.viewport().width() * 34 // 100))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.currentItem()
        if item is not None and event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            item.setExpanded(event.key() == Qt.Key.Key_Right)
            return
        super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event) -> None:  # type: ignore[no-untyped-def] # Qt passes its own event type
        item = self.itemAt(event.position().toPoint())
        data = item.data(0, _DATA) if item is not None else None
        if item is not None and isinstance(data, Group) and len(data.findings) > 1:
            item.setExpanded(not item.isExpanded())
            return
        super().mouseDoubleClickEvent(event)
