"""What Evidence says of Proof's own selections: a cause with its remedy, a place with what is there, a region, a note."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout

from durvan.crossing.document.changes import PutPin, SetTrims, TakePin
from durvan.crossing.document.document import Pin, PinState
from durvan.crossing.translation.choices import Trim
from durvan.proof.causes.analysis import CAMERA, NOISE, VIEW, Cause
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE
from durvan.proof.looking.pair import Pair, Spot
from durvan.scene.model import Kind, Thing
from durvan.ui.kit.parts import Choice, label, link, rule, small, table_of, title
from durvan.ui.kit.words import spoken
from durvan.ui.shared.state import Selection
from durvan.ui.stations.proof.causes import name_of, sentence, way_to
from durvan.ui.stations.proof.renders import seconds_in_words
from durvan.ui.stations.station import Bench, Explained

_GONE = 6.0  # stops, from which a light is not there: no trim mends that
_DEAREST = 4
_REMEDIES = 3
_PREDICTED = (EXPOSURE, WHITE, RESPONSE, LIGHT, MATERIAL, CAMERA, VIEW)


class ProofEvidence(Explained):
    """Explains what is selected in Proof."""

    def __init__(self, bench: Bench) -> None:
        self.state, self.proofs = bench.state, bench.proofs

    def about(self, selection: Selection) -> bool:
        return bool(selection.proof)

    def fill(self, down: QVBoxLayout, selection: Selection) -> None:
        """Put it into Evidence."""
        what, *numbers = selection.proof.split()
        places = [int(number) for number in numbers]
        pair = self.proofs.comparing.pair
        if what == "pin":
            self._pin(down, places[0])
        elif what == "cause":
            self._cause(down, places[0])
        elif pair is not None and what == "place" and places[0] < pair.size[0] and places[1] < pair.size[1]:
            self._place(down, pair, places[0], places[1])
        elif pair is not None and what == "region":
            self._region(down, pair, places)
        else:
            down.addWidget(small("It is not there any more.", wrap=True))

    def more(self, down: QVBoxLayout, thing: Thing) -> None:
        """What a material or a light owns of the difference."""
        analysis = self.proofs.comparing.analysis
        if analysis is None or thing.kind not in (Kind.MATERIAL, Kind.LIGHT):
            return
        found = next((n for n, cause in enumerate(analysis.causes) if cause.name == thing.id), None)
        if found is None:
            return
        down.addSpacing(6)
        down.addWidget(label("In Proof", bold=True))
        down.addWidget(small(sentence(analysis.causes[found], self._name), wrap=True))

    def _name(self, path: str) -> str:
        session = self.state.session
        thing = session.scene.things.get(path) if session is not None else None
        return spoken(thing.name if thing is not None else path.rpartition("/")[2] or path)

    # a cause

    def _cause(self, down: QVBoxLayout, number: int) -> None:
        analysis = self.proofs.comparing.analysis
        if analysis is None or number >= len(analysis.causes):
            down.addWidget(small("It is not there any more.", wrap=True))
            return
        cause = analysis.causes[number]
        heading = title(name_of(cause, self._name))
        heading.setWordWrap(True)
        down.addWidget(heading)
        down.addWidget(label(sentence(cause, self._name) + ".", wrap=True))
        down.addWidget(rule())
        pairs = [("of the difference", f"{100.0 * cause.share:.1f}", "%")]
        if cause.stops is not None and not cause.flat:
            pairs += [
                (name, f"{-float(stops):+.2f}".replace("-", "−"), "stops")
                for name, stops in zip(("red", "green", "blue"), cause.stops, strict=True)
            ]
        if cause.kind == MATERIAL:
            pairs += self._drift(cause.name)
        down.addWidget(table_of(pairs))
        self._remedy(down, cause)
        if cause.kind == NOISE:
            self._noise(down)
        self._findings(down, cause)
        way, session = way_to(cause), self.state.session
        if way is not None and session is not None:
            thing = cause.name if cause.name in session.scene.things else session.camera
            go = link(f"{way[1][:1].upper()}{way[1][1:]}", f"Opens {way[0]}, where this is mended.")
            go.clicked.connect(lambda: self._go(thing, way[0]))
            down.addWidget(go)

    def _findings(self, down: QVBoxLayout, cause: Cause) -> None:
        """Open findings about what the cause is about, with what may mend it; a drift can be accepted, and says so once it is."""
        session = self.state.session
        if session is None:
            return
        about = session.camera if cause.kind in (CAMERA, VIEW) else cause.name
        drifts = [one for one in session.now.findings if one.thing == about and one.code == "drift" and about]
        for one in drifts:
            if reason := session.accepted(one):
                down.addSpacing(6)
                down.addWidget(small(f"Its drift is accepted: {reason}", wrap=True))
                down.addWidget(small("It opens again when another one is measured.", wrap=True))
        found = [one for one in session.open if one.thing == about and about and (one.remedies or one in drifts)]
        if not found:
            return
        down.addSpacing(6)
        down.addWidget(label("What is open about it", bold=True))
        for one in sorted(found, key=lambda one: one not in drifts)[:_REMEDIES]:
            down.addWidget(small(f"{one.title}: {one.cause}", wrap=True))
            if one.remedies:
                button = QPushButton(one.remedies[0].label)
                button.clicked.connect(lambda _=False, remedy=one.remedies[0]: self.state.apply([remedy]))
                down.addWidget(button)
            if one in drifts:
                accept = QPushButton("Accept its drift…")
                accept.setToolTip("Settle it with a reason; it opens again when its evidence changes.")
                accept.clicked.connect(lambda _=False, finding=one: self.state.accept_wanted.emit([finding]))
                down.addWidget(accept)

    def _go(self, thing: str, station: str) -> None:
        self.state.select(Selection(thing))
        self.state.station_wanted.emit(station)

    def _drift(self, path: str) -> list[tuple[str, str, str]]:
        session = self.state.session
        found = session.drift(path) if session is not None else None
        return [("its drift by itself", found.told(2), f"± {found.noise:.2f} ΔE00")] if found is not None else []

    def _remedy(self, down: QVBoxLayout, cause: Cause) -> None:
        """What can be done at once: a trim for a light and for exposure; a fit for a material."""
        session = self.state.session
        if session is None:
            return
        if cause.kind in _PREDICTED:
            down.addWidget(small("M shows the target without it, before anything is changed.", wrap=True))
        subject = {LIGHT: cause.name, EXPOSURE: "everything"}.get(cause.kind, "")
        if subject and cause.stops is not None and abs(float(cause.stops.mean())) < _GONE:
            if cause.kind == LIGHT and subject not in session.plan.translations:
                return
            own = next((trim.stops for trim in session.document.trims if trim.subject == subject), 0.0)
            by = float(cause.stops.mean())
            button = QPushButton(f"Trim by {by:+.2f} stops".replace("-", "−"))
            what = "this light" if cause.kind == LIGHT else "all lights"
            button.setToolTip(
                f"Trims {what} of the target to {own + by:+.2f} stops; undo takes it back.".replace("-", "−")
            )
            button.clicked.connect(lambda: self._trim(subject, round(own + by, 3)))
            down.addWidget(button)
        elif cause.kind == MATERIAL and not cause.flat and cause.name in session.plan.translations:
            fit = QPushButton("Fit the material")
            fit.setToolTip(
                "Moves the target's values until its look answers like the source's; kept only if the drift falls."
            )
            fit.clicked.connect(lambda: self.state.fit_wanted.emit([cause.name]))
            down.addWidget(fit)

    def _trim(self, subject: str, stops: float) -> None:
        session = self.state.session
        if session is not None:
            kept = tuple(trim for trim in session.document.trims if trim.subject != subject)
            self.state.change("Trim", SetTrims(trims=(*kept, Trim(subject=subject, stops=stops))))

    def _noise(self, down: QVBoxLayout) -> None:
        """What would help most, and what it would cost."""
        proofs = self.proofs
        down.addSpacing(6)
        down.addWidget(label("What would help", bold=True))
        one, two = proofs.entry("source"), proofs.entry("target")
        for entry in (one, two):
            if entry is None or not entry.samples:
                continue
            cost = f"{2 * entry.samples} samples a pixel: √2 less noise, about {seconds_in_words(2.0 * entry.seconds)}"
            down.addWidget(small(f"{entry.side}: {cost}", wrap=True))
            listed = sorted(entry.dearest.items(), key=lambda row: -row[1])[:_DEAREST]
            if listed:
                said = ", ".join(f"{_dear(name, self._name)} {100.0 * share:.0f} %" for name, share in listed)
                down.addWidget(small(f"its noise is from {said}", wrap=True))
        same = proofs.same_noise()
        if same is not None:
            side, samples, seconds = same
            down.addWidget(label("The same noise on both sides", bold=True))
            down.addWidget(
                small(f"The {side} would need {samples} samples a pixel, about {seconds_in_words(seconds)}.", wrap=True)
            )
            button = QPushButton(f"Render the {side} so")
            button.clicked.connect(lambda: proofs.level_noise())
            down.addWidget(button)

    # a place

    def _place(self, down: QVBoxLayout, pair: Pair, x: int, y: int) -> None:
        one, two = (pair.spot(x, y, side) for side in (0, 1))
        material = two.material or one.material
        heading = title(self._name(material) if material else "A place")
        heading.setWordWrap(True)
        down.addWidget(heading)
        down.addWidget(small(f"pixel {x} across, {y} down"))
        down.addWidget(rule())
        pairs = [("source", _stops(one), "stops"), ("target", _stops(two), "stops")]
        if math.isfinite(one.stops) and math.isfinite(two.stops):
            pairs.append(("target is", f"{two.stops - one.stops:+.2f}".replace("-", "−"), "stops"))
        pairs += [
            ("source, code", " ".join(map(str, one.code)), ""),
            ("target, code", " ".join(map(str, two.code)), ""),
        ]
        pairs += [("source, linear", _linear(one), ""), ("target, linear", _linear(two), "")]
        down.addWidget(table_of(pairs))
        if one.material != two.material:
            down.addWidget(
                small(f"The source shows {self._name(one.material)}, the target {self._name(two.material)}.", wrap=True)
            )
        if two.thing or one.thing:
            down.addWidget(small(f"on {(two.thing or one.thing).rpartition('/')[2]}", wrap=True))
        lights = self.proofs.comparing.light_shares(x, y)
        if lights:
            down.addWidget(label("Light of the target here", bold=True))
            down.addWidget(table_of([(self._name(name), f"{100.0 * share:.0f}", "%") for name, share in lights]))
        session = self.state.session
        if session is not None and material in session.scene.things:
            down.addWidget(table_of(self._drift(material)))
            go = link("To the material", "Opens it in Facing.")
            go.clicked.connect(lambda: self._go(material, "Facing"))
            down.addWidget(go)

    # a region

    def _region(self, down: QVBoxLayout, pair: Pair, places: list[int]) -> None:
        left, top, right, low = places
        found = pair.region(left, top, right, low)
        down.addWidget(title("Region"))
        down.addWidget(small(f"{right - left} × {low - top} pixels, {found.count} of them counted"))
        down.addWidget(rule())
        if not found.count:
            down.addWidget(small("Nothing in it is a number on both sides.", wrap=True))
            return
        down.addWidget(
            table_of(
                [
                    ("target is", f"{found.stops:+.3f}".replace("-", "−"), "stops"), ("colour, mean", f"{found.colour:.2f}", "ΔE00"),
                    ("colour, worst 5 %", f"{found.colour_95:.2f}", "ΔE00"), ("FLIP, mean", f"{found.flip:.3f}", ""),
                    ("noise, source", f"{found.noise[0]:.3f}", "stops"), ("noise, target", f"{found.noise[1]:.3f}", "stops"),
                    ("source, mean", _three(found.source), ""), ("target, mean", _three(found.target), ""),
                    ("at white or over", f"{found.clipped[0]}, {found.clipped[1]}", "pixels"),
                    *([("no numbers", f"{found.wild[0]}, {found.wild[1]}", "pixels")] if any(found.wild) else []),
                ]
            )
        )  # fmt: skip

    # a note

    def _pin(self, down: QVBoxLayout, number: int) -> None:
        session = self.state.session
        pin = (
            next((one for one in session.document.pins if one.number == number), None) if session is not None else None
        )
        if pin is None:
            down.addWidget(small("The note is gone.", wrap=True))
            return
        down.addWidget(title(f"Note {pin.number}"))
        where = f"{100.0 * pin.across:.0f} % across, {100.0 * pin.down:.0f} % down"
        down.addWidget(small(where))
        text = QPlainTextEdit(pin.text)
        text.setAccessibleName("what the note says")
        text.setPlaceholderText("What is wrong here?")
        text.setFixedHeight(84)
        down.addWidget(text)
        across = QHBoxLayout()
        state = Choice()
        for one in PinState:
            state.addItem(one.value, one)
        state.setCurrentIndex(list(PinState).index(pin.state))
        state.setToolTip("Open notes are findings; settled and accepted ones are none.")
        across.addWidget(state)
        across.addStretch(1)
        put = QPushButton("Put it so")
        put.clicked.connect(lambda: self._put(pin, text, state))
        across.addWidget(put)
        down.addLayout(across)
        there = [
            (what, self._name(path), "")
            for what, path in (("material", pin.material), ("most light by", pin.light))
            if path
        ]
        if there:
            down.addWidget(table_of(there))
        away = link("Take it away", "Undo brings it back.")
        away.clicked.connect(lambda: self.state.change("Take a note away", TakePin(number=pin.number)))
        down.addWidget(away)

    def _put(self, pin: Pin, text: QPlainTextEdit, state: QComboBox) -> None:
        fresh = pin.model_copy(update={"text": text.toPlainText()[:4000], "state": PinState(state.currentData())})
        self.state.change("Write a note", PutPin(pin=fresh))


def _stops(spot: Spot) -> str:
    if math.isfinite(spot.stops):
        return f"{spot.stops:+.2f}".replace("-", "−")
    return "no light" if spot.stops < 0.0 else "no number"


def _three(values: tuple[float, float, float]) -> str:
    return " ".join(f"{value:.3g}" for value in values)


def _linear(spot: Spot) -> str:
    return _three(spot.rgb)


def _dear(name: str, names: Callable[[str], str]) -> str:
    kind, _, path = name.partition(":")
    return f"the light {names(path)}" if kind == "light" and path else name
