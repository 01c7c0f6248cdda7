"""Controls in which a value of the target is set where it stands: each fits what the parameter takes."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QApplication,
    QDoubleSpinBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from durvan.optics.tone import srgb
from durvan.scene.graph import Value
from durvan.scene.vocabulary import COMPONENTS, Parameter
from durvan.ui.kit import words
from durvan.ui.kit.numbers import number_box
from durvan.ui.kit.parts import column, link, small
from durvan.ui.kit.theme import INK, SLIP, font

_STEPS = 1000  # of a slider
_LIVE = 70  # milliseconds from a move to its trial
_NARROW, _WIDE = 2.0, 50.0  # a range is of use to a slider when it is this, or so many times the value
CHANNELS = {"color": ("red", "green", "blue")}


def sliding(parameter: Parameter, value: float) -> tuple[float, float]:
    """The numbers that a slider goes over: the parameter's own range, or, where that is open or much wider than the value (or the
    default, of a value of 0), about that."""
    low, high = parameter.range or (-math.inf, math.inf)
    usual = parameter.default if isinstance(parameter.default, int | float) else 0.0
    about = abs(value) or abs(float(usual))
    if high - low <= _NARROW or (about and high - low <= _WIDE * about):
        return low, high
    reach = 4.0 * about if about else 1.0
    return max(low, -reach if value < 0.0 else 0.0), min(high, reach)


def digits(parameter: Parameter, largest: float, span: float) -> int:
    """How many digits after the point say a number well: five that count, of the value or of what the slider goes over."""
    if parameter.type == "int":
        return 0
    about = min(largest or span, span) or 1.0
    return max(0, min(9, 4 - math.floor(math.log10(about))))


class Control(QWidget):
    """What a value is set by. `moved` gives every value on the way, `done` says that it is the one."""

    moved = Signal(object)
    done = Signal()

    def value(self) -> Value | words.NotRead:
        """What it says now."""
        raise NotImplementedError


class Numbers(Control):
    """A slider and a number with its unit for each channel; of a colour, how it was and how it is."""

    def __init__(self, value: Value, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        parts = value if isinstance(value, tuple) else (float(value),) if not isinstance(value, str) else (0.0,)
        self.was = parts
        self.filling = False
        self.sliders: list[QSlider] = []
        self.boxes: list[QDoubleSpinBox] = []
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        names = CHANNELS.get(parameter.type) or (("x", "y", "z", "w")[: len(parts)] if len(parts) > 1 else ("",))
        largest = max((abs(part) for part in parts), default=0.0)
        self.range = sliding(parameter, largest if min(parts) >= 0.0 else -largest)
        if parameter.type == "color":
            self.range = self.range[0], max(self.range[1] if self.range[1] <= 1.0 else 1.0, largest)
            self.chips = Chips(parts)
            grid.addWidget(self.chips, 0, 0, 1, 3)
        for number, (name, part) in enumerate(zip(names, parts, strict=True)):
            self._channel(grid, number, name, part)

    def _channel(self, grid: QGridLayout, number: int, name: str, part: float) -> None:
        whole = self.parameter.type == "int"
        low, high = self.parameter.range or (-1e9, 1e9)
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, _STEPS)
        slider.setMinimumWidth(120)
        slider.setAccessibleName(f"{name or 'value'}, as a slider")
        unit = f" {self.parameter.unit}" if self.parameter.unit else ""
        span = self.range[1] - self.range[0]
        after = digits(self.parameter, max(map(abs, self.was)), span)
        bounds = max(low, -1e9), min(high, 1e9)
        box = number_box(name or "value", bounds, after, 1.0 if whole else span / 100.0, unit, short=True)
        box.setValue(part)
        slider.setValue(self._step(part))
        slider.valueChanged.connect(lambda step, n=number: self._slid(n, step))
        box.valueChanged.connect(lambda typed, n=number: self._typed(n, typed))
        if name:
            grid.addWidget(small(name), number + 1, 0)
        grid.addWidget(slider, number + 1, 1)
        grid.addWidget(box, number + 1, 2)
        self.sliders.append(slider)
        self.boxes.append(box)

    def _step(self, part: float) -> int:
        low, high = self.range
        return round((part - low) / (high - low) * _STEPS) if high > low else 0

    def _slid(self, number: int, step: int) -> None:
        if not self.filling:
            self.filling = True
            self.boxes[number].setValue(self.range[0] + (self.range[1] - self.range[0]) * step / _STEPS)
            self.filling = False
            self._tell()

    def _typed(self, number: int, typed: float) -> None:
        if not self.filling:
            self.filling = True
            self.sliders[number].setValue(self._step(typed))
            self.filling = False
            self._tell()

    def _tell(self) -> None:
        said = self.value()
        if self.parameter.type == "color" and isinstance(said, tuple):
            self.chips.show_now(said)
        self.moved.emit(said)

    def value(self) -> Value | words.NotRead:
        # what was not touched keeps all of its digits
        parts = [
            was if round(was, box.decimals()) == round(box.value(), box.decimals()) else box.value()
            for was, box in zip(self.was, self.boxes, strict=True)
        ]
        if self.parameter.type == "int":
            return int(parts[0])
        return tuple(parts) if self.parameter.type in COMPONENTS else parts[0]


class Chips(QWidget):
    """A colour as it was, beside the colour as it is; as a display shows it."""

    def __init__(self, was: tuple[float, ...]) -> None:
        super().__init__()
        self.was = self.now = was
        self.setFixedHeight(26)
        self.setMinimumWidth(160)
        self.setToolTip("Left how it was, right how it is; linear numbers, shown by the display's own curve.")

    def show_now(self, now: tuple[float, ...]) -> None:
        """Show another one."""
        self.now = now
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        half = self.width() / 2.0
        for x, colour in ((0.0, self.was), (half, self.now)):
            r, g, b = (float(part) for part in srgb(colour[:3]))
            painter.fillRect(QRectF(x, 0.0, half, self.height()), QColor.fromRgbF(r, g, b))


class Listed(Control):
    """One of several words."""

    def __init__(self, value: Value, choices: tuple[str, ...]) -> None:
        super().__init__()
        self.list = QListWidget()
        self.list.addItems(list(choices))
        self.list.setAccessibleName("what there is to choose")
        self.list.setCurrentRow(choices.index(str(value)) if str(value) in choices else 0)
        self.list.setStyleSheet("QListView::item { padding: 4px 6px; }")
        self.list.setFixedHeight(min(len(choices), 8) * self.list.sizeHintForRow(0) + 4)
        self.list.currentRowChanged.connect(lambda _: self.moved.emit(self.value()))
        self.list.itemDoubleClicked.connect(lambda _: self.done.emit())
        column(self, (0, 0, 0, 0), 0).addWidget(self.list)
        self.setFocusProxy(self.list)

    def value(self) -> Value | words.NotRead:
        item = self.list.currentItem()
        return item.text() if item is not None else words.NotRead("Choose one.")


class Switched(Listed):
    """On or off."""

    def __init__(self, value: Value) -> None:
        super().__init__("on" if value else "off", ("off", "on"))

    def value(self) -> Value | words.NotRead:
        item = self.list.currentItem()
        return item is not None and item.text() == "on"


class Text(Control):
    """A text; of a file, one may be looked for."""

    def __init__(self, value: Value, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        self.line = QLineEdit(str(value))
        self.line.setMinimumWidth(220)
        self.line.setAccessibleName("the text")
        self.line.textEdited.connect(lambda _: self.moved.emit(self.value()))
        across.addWidget(self.line)
        if parameter.type == "file":
            look = link("Look for it…", "Choose a file of this computer.")
            look.clicked.connect(self._look)
            across.addWidget(look)
        self.setFocusProxy(self.line)

    def _look(self) -> None:
        start = str(Path(self.line.text()).parent)
        chosen, _ = QFileDialog.getOpenFileName(self, "A picture or a profile", start)
        if chosen:
            self.line.setText(chosen)
            self.moved.emit(chosen)

    def value(self) -> Value | words.NotRead:
        return self.line.text().strip()


def control_for(value: Value | None, parameter: Parameter) -> Control:
    """The control that fits a parameter."""
    if value is None or parameter.wrong(value):
        value = parameter.default
    if value is None:
        wide = COMPONENTS.get(parameter.type, 1)
        value = (0.0,) * wide if wide > 1 else 0.0 if parameter.type in ("float", "int", "any") else ""
    if parameter.type == "bool":
        return Switched(value)
    if parameter.type == "token":
        return Listed(value, parameter.choices)
    if parameter.type in ("float", "int", *COMPONENTS) and not isinstance(value, str):
        return Numbers(value, parameter)
    return Text(value, parameter)


class Editor(QFrame):
    """A control over the line that it sets. Enter puts the value, Escape leaves it; what is tried on the way is shown."""

    tried = Signal(object)
    put = Signal(object)
    left = Signal()

    def __init__(self, parent: QWidget, name: str, value: Value | None, parameter: Parameter, said: str = "") -> None:
        super().__init__(parent)
        self.setObjectName("editor")
        self.setStyleSheet(f"#editor {{ background: {SLIP.name()}; border: 1px solid {INK.name()}; }}")
        self.ended = False
        self.touched = False
        down: QVBoxLayout = column(self, (10, 8, 10, 8), 6)
        head = small(name + (f", {said}" if said else ""))
        head.setFont(font(bold=True))
        down.addWidget(head)
        self.control = control_for(value, parameter)
        down.addWidget(self.control)
        self.told = small("", wrap=True)
        self.told.hide()
        down.addWidget(self.told)
        self.foot = QHBoxLayout()
        put = QPushButton("Put it")
        put.setToolTip("Set it by hand; undo takes it back (Enter).")
        put.clicked.connect(self.finish)
        leave = link("Leave it", "As it was (Escape).")
        leave.clicked.connect(self.leave)
        self.foot.addWidget(put)
        self.foot.addSpacing(8)
        self.foot.addWidget(leave)
        self.foot.addStretch(1)
        down.addLayout(self.foot)
        self._live = QTimer(self)
        self._live.setSingleShot(True)
        self._live.setInterval(_LIVE)
        self._live.timeout.connect(self._try)
        self.control.moved.connect(lambda _: self._moved())
        self.control.done.connect(self.finish)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._gone_elsewhere)

    def sizeHint(self) -> QSize:
        return super().sizeHint().expandedTo(QSize(240, 60))

    def begin(self) -> None:
        """Take the keyboard."""
        first = self.control.focusProxy()
        if first is None:
            boxes = getattr(self.control, "boxes", [])
            first = boxes[0] if boxes else self.control
            if boxes:
                boxes[0].selectAll()
        first.setFocus()

    def _moved(self) -> None:
        self.touched = True
        self.told.hide()
        self._live.start()

    def _try(self) -> None:
        said = self.control.value()
        if not self.ended and not isinstance(said, words.NotRead):
            self.tried.emit(said)

    def finish(self) -> None:
        """Put the value, where it can stand."""
        said = self.control.value()
        if isinstance(said, words.NotRead):
            self.told.setText(said.why)
            self.told.show()
            return
        if not self.ended:
            self.ended = True
            (self.put.emit(said) if self.touched else self.left.emit())

    def leave(self) -> None:
        """Leave everything as it was."""
        if not self.ended:
            self.ended = True
            self.left.emit()

    def _gone_elsewhere(self, _: QWidget | None, now: QWidget | None) -> None:
        """Whoever goes on elsewhere in the window wants what was set."""
        if not self.ended and now is not None and now.window() is self.window() and not self.isAncestorOf(now):
            self.finish()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes round in here."""
        inside = [
            one for one in self.findChildren(QWidget)
            if one.focusPolicy() & Qt.FocusPolicy.TabFocus and one.isVisible()
            and not isinstance(one.parentWidget(), QDoubleSpinBox)
        ]  # fmt: skip
        now = QApplication.focusWidget()
        at = inside.index(now) if now in inside else -1
        if not inside:
            return False
        inside[(at + (1 if forward else -1)) % len(inside)].setFocus(Qt.FocusReason.TabFocusReason)
        return True

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.begin()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish()
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)
