"""The Proof station's view: the picture, and narrow rows about it."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from durvan.crossing.document.changes import PutPin
from durvan.crossing.document.document import Pin
from durvan.engine.engines import Engine
from durvan.proof.looking import ways
from durvan.proof.looking.pair import LUMINANCE, Spot
from durvan.proof.looking.ways import WAYS
from durvan.ui.followers.proving import SETTINGS, Setting
from durvan.ui.kit.numbers import number_box
from durvan.ui.kit.parts import Choice, link, small, title
from durvan.ui.kit.switch import Switch
from durvan.ui.kit.theme import BRIGHT, PANEL, RULE, SMALL, font
from durvan.ui.kit.words import spoken
from durvan.ui.shared.state import Selection
from durvan.ui.stations.proof.canvas import KEYS, Canvas, Place
from durvan.ui.stations.proof.causes import Causes, way_to
from durvan.ui.stations.proof.renders import Renders
from durvan.ui.stations.proof.screen import Screen
from durvan.ui.stations.proof.showing import ARRANGEMENTS, CHANNELS, Showing
from durvan.ui.stations.station import Action, Bench, View

_TALL = 640  # points, from which there is room for three sentences
_PICTURES = "Pictures (*.exr *.hdr *.tif *.tiff *.png *.jpg *.jpeg)"

_RENDERERS = (
    ("stand-ins", Engine.PREVIEW, False, "Durvan's own, for both renderers."),
    ("Mitsuba", Engine.MITSUBA, False, "A real renderer, for what it has words for."),
    (
        "Mitsuba, by lights",
        Engine.MITSUBA,
        True,
        "With each light by itself, so that causes are told by lights; its picture is their sum.",
    ),
)


class Proof(View):
    """Ways above, the canvas, then what is under the pointer, why they differ, and every render that was kept."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.state, self.proofs = bench.state, bench.proofs
        self.showing = Showing(self)
        self.screen_: Screen | None = None
        self.setObjectName("proof")
        self.setStyleSheet(
            f"#proof, #proofHead {{ background: {PANEL.name()}; }} #proofFoot {{ background: {BRIGHT.name()}; border-top: 1px solid {RULE.name()}; }}"
        )
        down = QVBoxLayout(self)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        self.head = self._head()
        down.addWidget(self.head)
        self.canvas = self.made_canvas()
        down.addWidget(self.canvas, 1)
        self.foot = self._foot()
        down.addWidget(self.foot)
        self.canvas.bared.connect(self._bare)
        self.causes = Causes(self.proofs)
        self.causes.chosen.connect(self._choose_cause)
        self.causes.mend.connect(self._go_and_mend)
        down.addWidget(self.causes)
        self.renders = Renders(self.proofs)
        self.renders.chosen.connect(self.proofs.choose)
        down.addWidget(self.renders)
        self.showing.changed.connect(self._showing)
        self.proofs.changed.connect(self._say)
        self.proofs.comparing.shown.connect(self._another)
        self.proofs.comparing.explained.connect(self._say)
        self.state.renewed.connect(self._renewed)
        self.state.opened.connect(self._opened)
        self.state.carried.connect(lambda _: self._say())
        self._size: tuple[int, int] | None = None
        self._showing()
        self._say()

    def made_canvas(self) -> Canvas:
        """A canvas onto the pair; there may be several."""
        canvas = Canvas(self.proofs, self.showing)
        canvas.pointed.connect(self._pointed)
        canvas.picked.connect(self._picked)
        canvas.measured.connect(self._measured)
        canvas.noted.connect(self._note)
        canvas.dropped.connect(lambda side, file: self.proofs.add_file(side, Path(file)))
        return canvas

    # building

    def _head(self) -> QWidget:
        head = QWidget()
        head.setObjectName("proofHead")
        across = QHBoxLayout(head)
        across.setContentsMargins(14, 5, 10, 5)
        across.setSpacing(6)
        across.addWidget(title("Proof"))
        across.addSpacing(10)
        self.arrangement = Switch(ARRANGEMENTS, 8)
        self.arrangement.turned.connect(self.showing.arrange)
        across.addWidget(self.arrangement)
        across.addSpacing(14)
        self.ways = Switch(((way.name, f"{way.meaning} (W for the next)") for way in WAYS), 9)
        self.ways.turned.connect(self.showing.go)
        across.addWidget(self.ways)
        across.addStretch(1)
        self.part = link("", "Samples go to the measured region alone, or to all of the picture again.")
        self.part.setFont(font(SMALL, bold=True))
        self.part.clicked.connect(self._only_region)
        across.addWidget(self.part)
        self.setting = Choice()
        self.setting.setAccessibleName("how to render")
        for one in SETTINGS:
            self.setting.addItem(one.name, one)
            self.setting.setItemData(
                self.setting.count() - 1,
                f"{one.size[0]} × {one.size[1]}, {one.samples} samples. {one.meaning}",
                Qt.ItemDataRole.ToolTipRole,
            )
        self.setting.setToolTip(
            "Size and samples of both renders: quick 480 × 270, usual 960 × 540, final with the size and samples of the target's own settings."
        )
        across.addWidget(self.setting)
        self.engine = Choice()
        self.engine.setAccessibleName("who renders")
        for text, _, _, meaning in _RENDERERS:
            self.engine.addItem(text)
            self.engine.setItemData(self.engine.count() - 1, meaning, Qt.ItemDataRole.ToolTipRole)
        self.engine.setToolTip(
            "Durvan's stand-ins for both renderers, or Mitsuba, a real one, for what it has words for."
        )
        across.addWidget(self.engine)
        self.follow = self._toggle(
            "follow",
            "Render the target again whenever the crossing changes while you look; what is the same is taken as it was kept.",
            False,
            self._follow,
        )
        across.addWidget(self.follow)
        self.go = QPushButton("Render")
        self.go.setFont(font(bold=True))
        self.go.setMinimumWidth(78)
        self.go.clicked.connect(self.render_or_stop)
        across.addWidget(self.go)
        return head

    def _foot(self) -> QWidget:
        foot = QWidget()
        foot.setObjectName("proofFoot")
        foot.setFixedHeight(30)
        across = QHBoxLayout(foot)
        across.setContentsMargins(14, 0, 10, 0)
        across.setSpacing(8)
        self.boxes: list[QDoubleSpinBox] = []
        across.addWidget(small("exposure, stops"))
        for name in ("source", "target"):
            box = number_box(f"exposure of the {name}, in stops", (-12.0, 12.0), 2, 0.25, "")
            box.setToolTip(
                f"By how many stops the {name} is shown brighter (, and . change both, with Shift the target)."
            )
            box.setFixedWidth(62)
            box.valueChanged.connect(self._exposed)
            self.boxes.append(box)
            across.addWidget(box)
        self.together = self._toggle("together", "One exposure for both sides, or one for each.", True, self._join)
        across.addWidget(self.together)
        self.view = Choice(11)
        self.view.setAccessibleName("view")
        self.view.setToolTip(
            "How values become a display's: plain, by the response that the camera burns in, or by a view of your colour config ($OCIO)."
        )
        self.view.activated.connect(lambda _: self.showing.show_view(self.view.currentData()))
        across.addWidget(self.view)
        self.channel = Choice()
        self.channel.setAccessibleName("channel of stops")
        for number, name in ((LUMINANCE, CHANNELS[3]), *enumerate(CHANNELS[:3])):
            self.channel.addItem(name, number)
        self.channel.activated.connect(lambda _: self.showing.by_channel(self.channel.currentData()))
        across.addWidget(self.channel)
        self.clipped = self._toggle(
            "clipped",
            "Hatch what is at white or beyond, and what is at nothing (C).",
            False,
            lambda on: self.showing.put(clipped=on),
        )
        self.noise = self._toggle("beyond noise", "Take off what noise explains (X).", False, self.showing.beyond_noise)
        for button in (self.clipped, self.noise):
            across.addWidget(button)
        across.addStretch(1)
        self.told = small()
        self.told.setToolTip(
            "Under the pointer: stops about mid grey and code values of both sides, and what is there."
        )
        across.addWidget(self.told)
        return foot

    def _toggle(self, text: str, tip: str, on: bool, does: object) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("link", True)
        button.setCheckable(True)
        button.setChecked(on)
        button.setFont(font(SMALL, bold=on))
        button.setToolTip(tip)
        button.clicked.connect(does)
        return button

    # the window's side

    def arrive(self) -> None:
        """The canvas has the keyboard."""
        self.proofs.arrive()
        self._fill_views()
        self.canvas.setFocus()

    def menu_entries(self) -> list[Action]:
        """What there is besides the keys."""
        return [
            Action("Look", "Render both sides for Proof", "Ctrl+Shift+R", lambda: self.render_or_stop()),
            Action("Look", "Proof on a second screen", "Ctrl+Shift+W", self.show_screen),
            Action("Look", "Keys in Proof…", "Ctrl+Shift+K", self.show_keys),
            Action("File", "A picture as the source…", "Ctrl+Shift+1", lambda: self.ask_picture("source")),
            Action("File", "A picture as the target…", "Ctrl+Shift+2", lambda: self.ask_picture("target")),
        ]

    def show_screen(self) -> None:
        """Show the pictures in a window of their own, for a second screen."""
        if self.screen_ is None:
            canvas = self.made_canvas()
            canvas.titles, canvas.pins = self.canvas.titles, self.canvas.pins
            self.screen_ = Screen(canvas, self)
        self.screen_.show_there()

    def show_keys(self) -> None:
        """Say which keys there are."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for keys, what in KEYS:
            entry = menu.addAction(f"{what}\t{keys}")
            entry.setEnabled(True)
        menu.popup(self.mapToGlobal(self.canvas.pos()))

    def ask_picture(self, side: str) -> None:
        """Ask for a picture from elsewhere."""
        if self.state.session is None:
            return
        name, _ = QFileDialog.getOpenFileName(
            self, f"A picture as the {side}", str(Path(self.state.session.scene.file).parent), _PICTURES
        )
        if name:
            self.proofs.add_file(side, Path(name))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.causes.show_lines(3 if self.height() >= _TALL else 1)

    # following

    def _opened(self) -> None:
        self.showing.forget()

    def _renewed(self) -> None:
        session = self.state.session
        if session is None:
            return
        packs = self.state.registry.packs
        titles = [
            packs[name].title if name in packs else name for name in (session.scene.dialect, session.document.target)
        ]
        for canvas in self._canvases():
            canvas.titles = (f"{titles[0]}, source", f"{titles[1]}, target")
            canvas.pins = tuple(pin for pin in session.document.pins if pin.camera in ("", session.camera))
            canvas.update()
        for strip in (self.causes, self.renders):
            strip.names = self._name
            strip.update()
        self._say()

    def _canvases(self) -> list[Canvas]:
        return [self.canvas, *([self.screen_.canvas] if self.screen_ is not None else [])]

    def _name(self, path: str) -> str:
        session = self.state.session
        thing = session.scene.things.get(path) if session is not None else None
        return spoken(thing.name if thing is not None else path.rpartition("/")[2] or path)

    def _another(self) -> None:
        pair = self.proofs.comparing.pair
        size = pair.size if pair is not None else None
        if size != self._size:
            self._size = size
            self.showing.forget()
        if pair is not None and not self.proofs.live and not self.proofs.comparing.reading:
            self.proofs.comparing.work_ahead(self.showing.look)
        self._say()

    def _fill_views(self) -> None:
        if self.view.count():
            return
        for name in self.showing.names_of_views():
            self.view.addItem(name, name)
        if self.showing.trouble:
            self.told.setText(self.showing.trouble[:120])

    def _showing(self) -> None:
        """The controls say how it is looked at."""
        showing = self.showing
        between = showing.way.between
        self.arrangement.turn(showing.arrangement if not between else "")
        self.ways.turn(showing.way.name)
        for box, stops in zip(self.boxes, showing.exposures, strict=True):
            box.blockSignals(True)
            box.setValue(stops)
            box.blockSignals(False)
        self.channel.setVisible(showing.way.name == ways.STOPS)
        self.clipped.setVisible(showing.way.name == ways.PICTURE)
        self.noise.setVisible(between and showing.way.name != ways.CAUSE)
        for button, on in ((self.clipped, showing.clipped), (self.noise, showing.look.beyond_noise)):
            button.setChecked(on)
            button.setFont(font(SMALL, bold=on))
        self._say_part()

    def _say(self) -> None:
        proofs, session = self.proofs, self.state.session
        ready = session is not None and bool(session.camera)
        done, of = proofs.progress()
        self.go.setEnabled(ready or proofs.running)
        self.go.setText(
            "Stop" if proofs.running else "Go on" if proofs.paused and proofs.asked is not None else "Render"
        )
        self.go.setToolTip(
            f"{done} of {of} samples. What there is when it is stopped is kept." if proofs.running
            else "Go on with what was stopped." if proofs.paused and proofs.asked is not None
            else "Render both sides as the crossing stands; a side that was rendered of the very same is taken as it was kept (Ctrl+Shift+R)."
        )  # fmt: skip
        self._say_part()
        if self.canvas.place is None:
            self.told.setText(self._state_of_it(done, of))

    def _state_of_it(self, done: int, of: int) -> str:
        proofs = self.proofs
        if proofs.trouble:
            return proofs.trouble[:140]
        if proofs.running:
            waits = self.proofs.looks.preparing
            return waits or f"{done} of {of} samples on both sides"
        if proofs.comparing.reading:
            return "Reading…"
        if proofs.comparing.pair is not None:
            wild = proofs.comparing.pair.wild()
            if any(wild):
                return f"{wild[0]} and {wild[1]} pixels are no numbers (hatched)"
            if proofs.comparing.remarks:
                return proofs.comparing.remarks[0][:140]
        return self._stale()

    def _stale(self) -> str:
        """Whether what is shown is of another crossing than the one that stands."""
        session, entry = self.state.session, self.proofs.entry("target")
        if session is None or entry is None or not entry.made or self.proofs.live:
            return ""
        return "" if self.proofs.stands(entry) else "The crossing has changed since this target was rendered."

    def _say_part(self) -> None:
        region, part = self.showing.region, self.proofs.part
        self.part.setVisible(part is not None or region is not None)
        self.part.setText("all of it" if part is not None else "only the region")

    # hands

    def render_or_stop(self) -> None:
        """Begin, end or go on."""
        proofs = self.proofs
        if proofs.running:
            proofs.stop()
        elif proofs.paused and proofs.asked is not None:
            proofs.go_on()
        else:
            setting: Setting = self.setting.currentData()
            _, engine, by_lights, _ = _RENDERERS[self.engine.currentIndex()]
            afresh = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier)
            proofs.render(setting, engine, afresh, by_lights)

    def _only_region(self) -> None:
        pair, region = self.proofs.comparing.pair, self.showing.region
        if self.proofs.part is not None or pair is None or region is None:
            self.proofs.only(None)
            return
        w, h = pair.size
        self.proofs.only((region[0] / w, region[1] / h, region[2] / w, region[3] / h))
        self.showing.put(region=None)

    def _exposed(self) -> None:
        source, target = (box.value() for box in self.boxes)
        if self.showing.together:
            moved = self.sender()
            source = target = source if moved is self.boxes[0] else target
        self.showing.set_exposures(source, target)

    def _follow(self, on: bool) -> None:
        self.proofs.follow = on
        self.follow.setFont(font(SMALL, bold=on))

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.proofs.watched = True

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.proofs.watched = self.screen_ is not None and self.screen_.isVisible()

    def _bare(self) -> None:
        """Show the picture alone, or all again."""
        alone = not self.head.isHidden()
        for part in (self.head, self.foot, self.causes, self.renders):
            part.setHidden(alone)

    def _join(self, on: bool) -> None:
        self.showing.together = on
        self.together.setFont(font(SMALL, bold=on))
        if on:
            self.showing.set_exposures(self.showing.exposures[0], self.showing.exposures[0])

    def _pointed(self, place: Place | None) -> None:
        pair = self.proofs.comparing.pair
        if place is None or pair is None:
            self._say()
            return
        one, two = (pair.spot(place.x, place.y, side, self.showing.exposures[side]) for side in (0, 1))
        said = [f"{place.x}, {place.y}", f"source {_short(one)}", f"target {_short(two)}"]
        way = self.showing.way
        if way.between and self.proofs.comparing.want(way.name, self.showing.look):
            value = float(self.canvas.levels(1).levels[0][place.y, place.x, 0])
            unit = way.scale.unit if way.scale is not None else ""
            said.append(
                f"{value:+.2f} {unit}" if way.scale is not None and way.scale.low < 0.0 else f"{value:.2f} {unit}"
            )
        name = two.material or one.material
        if name:
            said.append(self._name(name))
        self.told.setText("   ".join(said).replace("-", "−"))

    def _picked(self, place: Place | None) -> None:
        pair = self.proofs.comparing.pair
        if place is None or pair is None:
            return
        spot = pair.spot(place.x, place.y, place.side)
        session = self.state.session
        thing = spot.material if session is not None and spot.material in session.scene.things else ""
        self.state.select(Selection(thing, proof=f"place {place.x} {place.y} {place.side}"))

    def _measured(self) -> None:
        region = self.showing.region
        self._say_part()
        self.state.select(Selection(proof="region " + " ".join(map(str, region)) if region is not None else ""))

    def _note(self, place: Place | None) -> None:
        """Put a pin, and have it written on."""
        session, pair = self.state.session, self.proofs.comparing.pair
        if session is None or pair is None or place is None:
            return
        number = 1 + max((pin.number for pin in session.document.pins), default=0)
        spot, lights = pair.spot(place.x, place.y, place.side), self.proofs.comparing.light_shares(place.x, place.y)
        pin = Pin(
            number=number, camera=session.camera, across=(place.x + 0.5) / pair.size[0], down=(place.y + 0.5) / pair.size[1],
            material=spot.material, light=lights[0][0] if lights else "",
        )  # fmt: skip
        self.state.change("Put a note", PutPin(pin=pin))
        self.state.select(Selection(proof=f"pin {number}"))

    def _choose_cause(self, number: int | None) -> None:
        self.proofs.comparing.look_at_cause(number)
        self.state.select(Selection(proof=f"cause {number}" if number is not None else ""))

    def _go_and_mend(self, number: int) -> None:
        """Go to the place that mends a cause."""
        analysis, session = self.proofs.comparing.analysis, self.state.session
        if analysis is None or session is None:
            return
        cause = analysis.causes[number]
        way = way_to(cause)
        if way is None:
            return
        name = cause.name.removeprefix("glow:")
        thing = name if name in session.scene.things else session.camera
        self.state.select(Selection(thing))
        self.state.station_wanted.emit(way[0])


def _short(spot: Spot) -> str:
    stops = f"{spot.stops:+.2f}" if math.isfinite(spot.stops) else "no light" if spot.stops < 0.0 else "no number"
    return f"{stops} ({' '.join(map(str, spot.code))})"
