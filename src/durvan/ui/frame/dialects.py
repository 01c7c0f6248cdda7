"""The dialects that there are: what each is and can do, and what the check says of it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from durvan.dialects.checking import Told
from durvan.dialects.registry import Registry, user_folder
from durvan.dialects.summary import Summary, check, summaries
from durvan.progress import Report, Step
from durvan.ui.kit.parts import breakable, clear, column, label, rule, small, table_of, title
from durvan.ui.kit.theme import BODY, BRIGHT, LEVEL_INKS, RULE, SOFT, font
from durvan.ui.shared.work import QUEUED, Job

_DATA = Qt.ItemDataRole.UserRole
_MEASURE = 820  # pixels that a line of text may be long, however wide the panel is
_MANY = 40  # messages that are listed


def _from_home(folder: Path) -> str:
    """A folder as people write it: what lies in their home begins with a tilde."""
    home = Path.home()
    return f"~/{folder.relative_to(home)}" if folder.is_relative_to(home) else str(folder)


class Dialects(QDialog):
    """Opened from any station; packs are checked beside it, one after the other."""

    def __init__(self, registry: Registry, parent: QWidget) -> None:
        super().__init__(parent)
        self.registry = registry
        self.told: dict[str, list[Told]] = {}
        self.job: Job | None = None
        self.setWindowTitle("Dialects · Durvan")
        self.resize(980, 640)
        down = column(self, (20, 16, 20, 16), 8)
        down.addWidget(title("Dialects"))
        where = registry.user or user_folder()
        down.addWidget(
            small(
                f"Packs of your own lie in {breakable(_from_home(where))}, one folder each. They are data: nothing of them is run.",
                wrap=True,
            )
        )
        across = QHBoxLayout()
        across.setSpacing(16)
        across.addWidget(self._list())
        across.addWidget(self._page(), 1)
        down.addLayout(across, 1)
        down.addLayout(self._foot())
        self.fill()
        self.check()

    # building

    def _list(self) -> QTreeWidget:
        self.packs = QTreeWidget()
        self.packs.setAccessibleName("Dialects")
        self.packs.setColumnCount(2)
        self.packs.setHeaderLabels(["dialect", "check"])
        self.packs.setRootIsDecorated(False)
        self.packs.setUniformRowHeights(True)
        self.packs.setFixedWidth(320)
        self.packs.setColumnWidth(0, 190)
        self.packs.setFont(font(BODY))
        self.packs.currentItemChanged.connect(self._show)
        return self.packs

    def _page(self) -> QScrollArea:
        self.body = QWidget()
        self.body.setMaximumWidth(_MEASURE)
        self.body.setStyleSheet(f"background: {BRIGHT.name()};")
        self.down = QVBoxLayout(self.body)
        self.down.setContentsMargins(18, 14, 18, 14)
        self.down.setSpacing(5)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setStyleSheet(f"QScrollArea {{ border: 1px solid {RULE.name()}; background: {BRIGHT.name()}; }}")
        area.setWidget(self.body)
        return area

    def _foot(self) -> QHBoxLayout:
        across = QHBoxLayout()
        self.again = QPushButton("Check again")
        self.again.setToolTip("Reads the folders of your own packs anew and checks every pack.")
        self.again.clicked.connect(self.check)
        folder = QPushButton("Show the folder")
        folder.setToolTip("Opens the folder of your own packs, which is made if it is not there.")
        folder.clicked.connect(self._open_folder)
        across.addWidget(self.again)
        across.addWidget(folder)
        across.addStretch(1)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        across.addWidget(close)
        return across

    def _open_folder(self) -> None:
        folder = self.registry.user or user_folder()
        folder.mkdir(parents=True, exist_ok=True)
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    # checking

    def check(self) -> None:
        """Check every pack, beside the window."""
        if self.job is not None:
            return
        self.told = {}
        self.fill()
        self.again.setEnabled(False)
        self.job = job = Job("Checking dialects", partial(_checked, self.registry, self.told), self)
        job.progressed.connect(lambda _: self.fill(), QUEUED)
        job.finished.connect(lambda _: self._ended(), QUEUED)
        job.failed.connect(lambda _: self._ended(), QUEUED)
        job.stopped.connect(self._ended, QUEUED)
        job.start()

    def _ended(self) -> None:
        self.job = None
        self.again.setEnabled(True)
        self.fill()

    def closeEvent(self, event: object) -> None:
        """What is being checked need not be any more."""
        if self.job is not None:
            self.job.stop()
            self.job.wait(5.0)
        super().closeEvent(event)  # type: ignore[arg-type] # Qt's own event

    # showing

    def fill(self) -> None:
        """List the packs with what is known of each."""
        now = self.packs.currentItem()
        chosen = now.data(0, _DATA).name if now is not None else ""
        self.packs.blockSignals(True)
        self.packs.clear()
        for one in summaries(self.registry):
            item = QTreeWidgetItem([f"{one.title}  {one.version}".rstrip(), self._state(one)])
            item.setData(0, _DATA, one)
            item.setToolTip(0, one.about)
            item.setForeground(1, LEVEL_INKS[0] if one.broken or self.told.get(one.name) else SOFT)
            self.packs.addTopLevelItem(item)
            if one.name == chosen:
                self.packs.setCurrentItem(item)
        first = self.packs.topLevelItem(0)
        if self.packs.currentItem() is None and first is not None:
            self.packs.setCurrentItem(first)
        self.packs.blockSignals(False)
        self._show(self.packs.currentItem())

    def _state(self, one: Summary) -> str:
        told = self.told.get(one.name)
        if one.broken:
            return "left out"
        if told is None:
            return "checking…"
        return f"{len(told)} to mend" if told else "conforms"

    def _show(self, item: QTreeWidgetItem | None, _: object = None) -> None:
        clear(self.down)
        if item is None:
            return
        one: Summary = item.data(0, _DATA)
        self.down.addWidget(title(f"{one.title} {one.version}".rstrip()))
        self.down.addWidget(label(one.about, wrap=True))
        place = f"{one.origin}: {breakable(_from_home(one.folder))}" if one.folder is not None else one.origin
        self.down.addWidget(small(f"{one.name} · {place}", wrap=True))
        self._problems(one)
        if one.conventions:
            self._part("What it can do")
            for line in (", ".join(one.counts), f"its words stand in {', '.join(one.formats)} files", *one.can):
                self.down.addWidget(label(f"{line[:1].upper()}{line[1:]}.", wrap=True))
            self._part("What it means by its numbers")
            self.down.addWidget(table_of([(name, "", text) for name, text in one.conventions]))
        self.down.addStretch(1)

    def _part(self, text: str) -> None:
        self.down.addSpacing(6)
        self.down.addWidget(rule())
        self.down.addWidget(label(text, bold=True))

    def _problems(self, one: Summary) -> None:
        told = self.told.get(one.name, [])
        if not told and not one.broken:
            return
        self._part(f"{len(told)} to mend" if told else "Left out")
        if not told:
            self.down.addWidget(label(one.broken, wrap=True))
        for problem in told[:_MANY]:
            place = (
                f"{problem.file.rsplit('/', 1)[-1]}, line {problem.line}"
                if problem.file and problem.line
                else problem.file.rsplit("/", 1)[-1]
            )
            heading: QLabel = small(" · ".join(part for part in (place, problem.place) if part), wrap=True)
            self.down.addWidget(heading)
            self.down.addWidget(label(breakable(f"{_begun(problem.what)} {problem.advice}".strip()), wrap=True))
        if len(told) > _MANY:
            self.down.addWidget(small(f"and {len(told) - _MANY} more; `durvan dialect check` lists them all."))


def _begun(text: str) -> str:
    """A sentence with a capital, unless it begins with a name."""
    return f"{text[:1].upper()}{text[1:]}" if text.partition(" ")[0].isalpha() else text


def _checked(registry: Registry, found: dict[str, list[Told]], report: Report) -> None:
    """What is wrong with every pack, those of the user's own folder first; each is told as it is found."""
    every = sorted(summaries(registry), key=lambda one: one.folder is None)
    for number, one in enumerate(every, 1):
        found[one.name] = check(one, registry)
        report(Step("Checking dialects", number, len(every)))
