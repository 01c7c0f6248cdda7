"""Evidence of one file: what the scene says, where it is, what it is, what its pixels say, and who uses it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from durvan.crossing.document.changes import AllowFolder
from durvan.files.audit import Verdict
from durvan.files.paths import shown, understand
from durvan.scene.model import FileState, OutsideFile
from durvan.ui.followers.outside import Outside
from durvan.ui.kit.parts import breakable, label, link, rule, small, table_of, title
from durvan.ui.kit.theme import BOOTH, SMALL, font
from durvan.ui.kit.words import bytes_in_words, count, spoken
from durvan.ui.shared.state import Selection
from durvan.ui.stations.files.marks import MEANINGS, StateMark
from durvan.ui.stations.station import Bench, Explained

_MOST_USERS = 30


class FileEvidence(Explained):
    """Fills a column with what is known of a file."""

    def __init__(self, bench: Bench) -> None:
        self.state, self.outside = bench.state, bench.outside

    def about(self, selection: Selection) -> bool:
        """A file."""
        return bool(selection.file)

    def fill(self, down: QVBoxLayout, selection: Selection) -> None:
        """Show one file, by its written path."""
        written = selection.file
        session = self.state.session
        file = next((one for one in session.scene.files.values() if one.written == written), None) if session else None
        if session is None or file is None:
            return
        heading = title(breakable(shown(understand(file.linked or file.written).name)))
        heading.setWordWrap(True)
        down.addWidget(heading)
        across = QHBoxLayout()
        across.addWidget(StateMark(file.state))
        across.addWidget(label(file.state.value, bold=True))
        across.addStretch(1)
        down.addLayout(across)
        down.addWidget(small(MEANINGS[file.state], wrap=True))
        if file.first and file.state is not FileState.SEVERAL:
            down.addWidget(_View(file.first, self.outside))
        self._places(down, file)
        self._actions(down, file)
        down.addWidget(rule())
        self._facts(down, file)
        self._pixels(down, session.verdict(file), file)
        self._users(down, file)

    def _places(self, down: QVBoxLayout, file: OutsideFile) -> None:
        for name, said in (
            ("the scene says", file.written), ("put in its place", file.linked),
            ("found at" if file.first else "looked at", file.resolved if file.resolved != (file.linked or file.written) else ""),
            ("by the root", file.root), ("because", file.why),
        ):  # fmt: skip
            if said:
                down.addWidget(small(name))
                text = label(breakable(shown(said)), SMALL, wrap=True)
                text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                down.addWidget(text)

    def _actions(self, down: QVBoxLayout, file: OutsideFile) -> None:
        """What can be done about it, each with undo."""
        if file.state in (FileState.BY_A_ROOT, FileState.LETTER_CASE):
            self._button(
                down, "Take this file", "The target names it where it is.", lambda: self._link(file, file.resolved)
            )
        for number, one in enumerate(file.candidates[:6]):
            if file.state is not FileState.SEVERAL:
                break
            down.addWidget(label(f"candidate {number + 1}", bold=True))
            down.addWidget(_View(one.path, self.outside, 92))
            size = f"{one.width}×{one.height}, " if one.width else ""
            why = f", {one.why}" if one.why else ""
            down.addWidget(small(f"{breakable(shown(one.path))}\n{size}{bytes_in_words(one.size)}{why}", wrap=True))
            self._button(down, "Take this one", one.path, partial(self._link, file, one.path))
        if file.state is FileState.OUTSIDE:
            folder = file.resolved.rpartition("/")[0]
            self._button(down, "Allow its folder", f"Adds {folder} as a root.", lambda: self._allow(folder))
        if file.linked:
            self._button(down, "Take the link back", "The scene's own path counts again.", lambda: self._link(file, ""))
        if file.state is not FileState.IN_PLACE:
            self._button(down, "Point at it…", "Choose the file yourself.", lambda: self._point(down, file))

    def _button(self, down: QVBoxLayout, text: str, tip: str, do: Callable[[], object]) -> None:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: do())
        down.addWidget(button)

    def _link(self, file: OutsideFile, to: str) -> None:
        self.state.relink({file.written: to}, "" if to else "Take a link back")

    def _allow(self, folder: str) -> None:
        self.state.change("Allow a folder", AllowFolder(folder=folder))

    def _point(self, down: QVBoxLayout, file: OutsideFile) -> None:
        name, _ = QFileDialog.getOpenFileName(down.parentWidget(), f"Where is {shown(understand(file.written).name)}?")
        if name:
            self._link(file, name)

    def _facts(self, down: QVBoxLayout, file: OutsideFile) -> None:
        pairs = [("kind", file.kind.value, "")]
        if file.width:
            pairs += [
                ("resolution", f"{file.width} × {file.height}", "px"), ("channels", str(file.channels), ""),
                ("stored as", f"{file.depth}, {file.format}", ""), ("tiles", str(file.tile) if file.tile else "none", "px" if file.tile else ""),
                ("mips", str(file.mips) if file.mips > 1 else "none", ""),
            ]  # fmt: skip
        if file.size:
            pairs.append(("size", bytes_in_words(file.size), ""))
        if file.members:
            pairs.append(("members", str(len(file.members)), ""))
        if file.missing:
            pairs.append(("missing", ", ".join(file.missing[:8]), ""))
        if file.same_as:
            pairs.append(("same bytes as", shown(file.same_as.rpartition("/")[2]), ""))
        down.addWidget(table_of(pairs))
        if file.first and not file.members and "[" not in file.first:
            summed = small("checksum …")
            summed.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            down.addWidget(summed)
            self.outside.checksum(file.first, lambda said: _tell(summed, said))

    def _pixels(self, down: QVBoxLayout, verdict: Verdict | None, file: OutsideFile) -> None:
        session = self.state.session
        uses = session.used(file) if session is not None else []
        if not uses and verdict is None:
            return
        down.addWidget(label("How it is read", bold=True))
        kinds = ", ".join(dict.fromkeys(str(kind) for use in uses for kind in sorted(use.uses)))
        pairs = [("used as", kinds or "not known", "")]
        for use in uses[:1]:
            if use.parameter:
                pairs.append((f"by {use.parameter}", use.decoded, ""))
        if verdict is None:
            down.addWidget(table_of(pairs))
            down.addWidget(small("Its pixels are being looked at." if file.width else "", wrap=True))
            return
        pairs += described(verdict)
        down.addWidget(table_of(pairs))

    def _users(self, down: QVBoxLayout, file: OutsideFile) -> None:
        users = list(dict.fromkeys(user[0] for user in file.users))
        if not users:
            down.addWidget(small(f"named by {', '.join(shown(site) for site in file.sites[:4])}", wrap=True))
            return
        down.addWidget(label(f"Used by {count(len(users), 'thing')}", bold=True))
        for user in users[:_MOST_USERS]:
            button = link(spoken(user.rsplit("/", 1)[-1]), user)
            button.setFont(font(bold=False))
            button.clicked.connect(lambda _=False, name=user: self._go(name))
            down.addWidget(button)
        if len(users) > _MOST_USERS:
            down.addWidget(small(f"and {len(users) - _MOST_USERS} more"))

    def _go(self, thing: str) -> None:
        self.state.select(Selection(thing))
        self.state.station_wanted.emit("Facing")


def described(verdict: Verdict) -> list[tuple[str, str, str]]:
    """What the pixels of a picture say, as pairs."""
    if verdict.problem:
        return [("its pixels", verdict.problem, "")]
    kind = "one value" if verdict.constant else "normals" if verdict.normal else "grey" if verdict.grey else "coloured"
    pairs = [("its pixels", kind, ""), ("mean", " ".join(f"{part:.2f}" for part in verdict.mean), "")]
    if verdict.normal:
        pairs.append(("green points", verdict.green or "cannot be told", ""))
        if verdict.green:
            pairs.append(("curl", f"{max(verdict.curl, 1 / max(verdict.curl, 1e-9)):.1f} ×", ""))
    if verdict.levels:
        pairs.append(("values", str(verdict.levels), ""))
    if verdict.alpha:
        pairs.append(("alpha", verdict.alpha, ""))
    if verdict.linear and verdict.depth == "uint8":
        pairs.append(("looks", "linear already", ""))
    if verdict.clipped and verdict.depth not in ("uint8", "uint16"):
        pairs.append(("cut off at", f"{verdict.peak:.3g}", ""))
    return pairs


def _tell(where: object, said: str) -> None:
    try:
        where.setText(f"SHA-256 {said[:16]}…" if said else "")  # type: ignore[attr-defined] # a label, if it still stands
        where.setToolTip(said)  # type: ignore[attr-defined] # the same
    except RuntimeError:
        return  # another file is looked at by now


class _View(QWidget):
    """A picture on neutral grey."""

    def __init__(self, path: str, outside: Outside, height: int = 168) -> None:
        super().__init__()
        self.path, self.outside = path, outside
        self.setFixedHeight(height)
        outside.small.came.connect(self._came)

    def sizeHint(self) -> QSize:
        return QSize(250, self.height())

    def _came(self, path: str) -> None:
        if path == self.path:
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BOOTH)
        seen = self.outside.small.get(self.path)
        if seen is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = self.rect().adjusted(8, 8, -8, -8)
        size = seen.size().scaled(box.size(), Qt.AspectRatioMode.KeepAspectRatio)
        target = box.adjusted((box.width() - size.width()) // 2, (box.height() - size.height()) // 2, 0, 0)
        target.setSize(size)
        painter.drawImage(target, seen)
