"""The target's render settings, in sets that a person names and switches."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QInputDialog, QScrollArea, QVBoxLayout, QWidget

from durvan.crossing.document.changes import DropSettings, NameSettings, SetSettings
from durvan.dialects.pack import Pack
from durvan.scene.graph import Node
from durvan.scene.model import Kind, Thing
from durvan.scene.vocabulary import Parameter
from durvan.ui.kit import words
from durvan.ui.kit.parts import Choice, clear, column, link, small
from durvan.ui.kit.theme import font
from durvan.ui.kit.typed import EDITABLE, ValueLine
from durvan.ui.shared.state import State

_ACROSS = 2  # values beside each other


class Settings(QWidget):
    """The panel: the set in use, and the values that the target gets with it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.lines: dict[str, ValueLine] = {}
        self._about: tuple[str, str, str] = ("", "", "")
        down = column(self, (0, 0, 0, 0), 4)
        self._head(down)
        inside = QWidget()
        self.grid = QGridLayout(inside)
        self.grid.setContentsMargins(0, 2, 8, 2)
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(3)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inside)
        down.addWidget(area, 1)
        self.told = small("", wrap=True)
        self.told.hide()
        down.addWidget(self.told)

    def _head(self, down: QVBoxLayout) -> None:
        across = QHBoxLayout()
        across.addWidget(small("set"))
        self.sets = Choice(narrow=8)
        self.sets.setFont(font(bold=True))
        self.sets.setAccessibleName("set of settings")
        self.sets.setToolTip("The set of values that the target gets. What is typed below goes into it.")
        self.sets.activated.connect(lambda _: self._use())
        across.addWidget(self.sets, 1)
        self.start = link(
            "Quick and final",
            "Two sets to start from: quick has a sixteenth of the samples, four times the noise and half the size.",
        )
        self.start.clicked.connect(self._start)
        self.new = link("New…", "A new set, with the values of the one in use.")
        self.new.clicked.connect(self._new)
        self.rename = link("Rename…", "Give the set in use another name.")
        self.rename.clicked.connect(self._rename)
        self.drop = link("Take away", "Take the set in use away; the values are as they are carried then.")
        self.drop.clicked.connect(self._drop)
        for button in (self.start, self.new, self.rename, self.drop):
            across.addSpacing(4)
            across.addWidget(button)
        down.addLayout(across)

    # filling

    def fill(self) -> None:
        """Show the sets, and the values as they stand."""
        session = self.state.session
        if session is None:
            return
        document = session.document
        self.sets.clear()
        self.sets.addItem("as carried", "")
        for one in document.sets:
            self.sets.addItem(one.name, one.name)
        self.sets.setCurrentIndex(max(self.sets.findData(document.in_use), 0))
        self.start.setVisible(not document.sets)
        for button in (self.rename, self.drop):
            button.setVisible(bool(document.sets))
            button.setEnabled(bool(document.in_use))
        self._values()

    def _root(self) -> tuple[Thing, Node, Pack] | None:
        """The settings as they become, and the target's pack."""
        session = self.state.session
        if session is None or session.outcome is None:
            return None
        for thing in session.scene.of(Kind.SETTINGS):
            translation = session.plan.translations.get(thing.id)
            root = translation.graph.root if translation is not None else None
            if root is not None:
                return thing, root, self.state.registry.get(session.plan.choices.target)
        return None

    def _values(self) -> None:
        found = self._root()
        thing, root, pack = found if found is not None else (None, None, None)
        kind = pack.type(root.kind) if pack is not None and root is not None else None
        about = (thing.id, root.id, root.kind) if thing is not None and root is not None else ("", "", "")
        if about != self._about:
            self._about = about
            self._build({} if kind is None else kind.parameters)
        if root is None or kind is None:
            return
        for name, line in self.lines.items():
            line.show_value(root.values.get(name, kind.parameters[name].default))

    def _build(self, parameters: dict[str, Parameter]) -> None:
        clear(self.grid)
        self.lines = {}
        shown = {name: one for name, one in parameters.items() if one.type in (*EDITABLE, "string", "vector4")}
        if not shown:
            self.grid.addWidget(
                small("The scene has no render settings that the target has words for.", wrap=True), 0, 0
            )
        for place, (name, parameter) in enumerate(shown.items()):
            row, at = place // _ACROSS, 3 * (place % _ACROSS)
            line = ValueLine(None, parameter)
            line.setAccessibleName(f"{name} in the target")
            line.setToolTip(parameter.meaning)
            line.setFixedHeight(24)
            line.told.connect(self._tell)
            line.put.connect(lambda value, n=name: self._put(n, value))
            said = words.spoken(name).lower()
            text = small(said)
            text.setToolTip(parameter.meaning)
            self.grid.addWidget(text, row, at)
            self.grid.addWidget(line, row, at + 1)
            self.grid.addWidget(small("" if said.endswith(parameter.unit) else parameter.unit), row, at + 2)
            self.lines[name] = line
        for at in range(_ACROSS):
            self.grid.setColumnStretch(3 * at + 1, 1)
        self.grid.setRowStretch(self.grid.rowCount(), 1)

    def _tell(self, why: str) -> None:
        self.told.setText(why)
        self.told.setVisible(bool(why))

    # hands

    def _put(self, name: str, value: object) -> None:
        thing, node, _ = self._about
        self.state.put(thing, node, name, value)  # type: ignore[arg-type]

    def _use(self) -> None:
        self.state.change("Use a set of settings", SetSettings(name=self.sets.currentData()))

    def _ask(self, title: str, question: str, text: str) -> str:
        """A name that is asked for; empty where none is given, or another set has it."""
        session = self.state.session
        said, good = QInputDialog.getText(self, title, question, text=text)
        name = said.strip()[:60] if good else ""
        taken = session is None or any(one.name == name for one in session.document.sets)
        return "" if taken else name

    def _new(self) -> None:
        session = self.state.session
        name = self._ask("A new set", "What is the set called?", "")
        if session is not None and name:
            now = session.settings_set
            self.state.change(
                "A new set of settings", SetSettings(name=name, notes=now.notes if now is not None else ())
            )

    def _rename(self) -> None:
        session = self.state.session
        if session is not None and (name := self._ask("Rename", "What is the set called?", session.document.in_use)):
            self.state.change("Name a set of settings", NameSettings(name=session.document.in_use, to=name))

    def _start(self) -> None:
        session = self.state.session
        if session is not None:
            self.state.change("A quick and a final set", *session.quick_and_final())

    def _drop(self) -> None:
        session = self.state.session
        if session is not None and session.document.in_use:
            self.state.change("Take a set of settings away", DropSettings(name=session.document.in_use))
