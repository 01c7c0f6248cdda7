"""The Light station's view."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from durvan.crossing.document.changes import Choose, SetProbes
from durvan.crossing.document.document import PickedProbe
from durvan.crossing.findings.lights import in_stops
from durvan.crossing.light.asking import stops_of
from durvan.crossing.light.ground import Ground
from durvan.crossing.light.match import left
from durvan.crossing.light.report import LightReport, Part
from durvan.crossing.looks.questions import Balanced
from durvan.crossing.translation.choices import Choices, Trim
from durvan.crossing.translation.lighting import Handling, Handlings
from durvan.scene.model import Kind
from durvan.scene.probe import Probe
from durvan.ui.kit.parts import Choice, column, link, small, title
from durvan.ui.kit.theme import BRIGHT, PANEL, RULE
from durvan.ui.shared.state import Selection
from durvan.ui.stations.light.bars import Bars, figures
from durvan.ui.stations.light.hands import Hands
from durvan.ui.stations.light.plan import Plan
from durvan.ui.stations.light.rungs import Rungs
from durvan.ui.stations.light.views import BothViews
from durvan.ui.stations.station import Action, Bench, View


class Light(View):
    """Budget, plan, ladders, trims and both pictures."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.state, self.looks = bench.state, bench.looks
        self.base: LightReport | None = None
        self.ground: Ground | None = None
        self._standing: dict[str, Handling] = {}  # by the trims that stand
        self.probe = 0
        self.coming = ""  # the name of a probe that was put and is not measured yet
        self.filling = False
        self.setObjectName("light")
        self.setStyleSheet(
            f"#light, #lightHead {{ background: {PANEL.name()}; }} #below {{ border-top: 1px solid {RULE.name()}; }}"
        )
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self._left(), 11)
        across.addWidget(self._right(), 9)
        self.state.renewed.connect(self._renewed)
        self.state.opened.connect(self._opened)
        self.state.selected.connect(self._selected)
        self.state.match_wanted.connect(self._match)
        self.looks.balanced.connect(self._balanced)

    # what there is

    def _left(self) -> QWidget:
        holder = QWidget()
        holder.setObjectName("budget")
        holder.setStyleSheet(f"#budget {{ background: {BRIGHT.name()}; border-right: 1px solid {RULE.name()}; }}")
        down = QVBoxLayout(holder)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(self._head())
        self.bars = Bars()
        self.bars.trim_of = self._trim_of
        self.bars.chosen.connect(self._choose)
        self.bars.alone.connect(self._alone)
        down.addWidget(self.bars, 1)
        self.sums = small("", wrap=True)
        self.sums.setContentsMargins(14, 6, 14, 6)
        down.addWidget(self.sums)
        self.views = BothViews(self.looks)
        down.addWidget(self.views)
        return holder

    def _head(self) -> QWidget:
        head = QWidget()
        head.setObjectName("lightHead")
        across = QHBoxLayout(head)
        across.setContentsMargins(14, 8, 14, 8)
        across.addWidget(title("Light"))
        across.addSpacing(8)
        across.addWidget(small("at"))
        self.places = Choice()
        self.places.setAccessibleName("probe")
        self.places.setToolTip("Where the light is measured. Probes can be dragged in the plan.")
        self.places.setMinimumWidth(110)
        self.places.activated.connect(self._go)
        across.addWidget(self.places)
        self.camera = Choice()
        self.camera.setAccessibleName("camera")
        self.camera.setToolTip("The camera whose view and exposure count.")
        self.camera.activated.connect(self._by_camera)
        across.addStretch(1)
        across.addWidget(small("seen by"))
        across.addWidget(self.camera)
        return head

    def _right(self) -> QWidget:
        holder = QWidget()
        down = QVBoxLayout(holder)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        self.plan = Plan()
        self.plan.probed.connect(self._go)
        self.plan.moved.connect(self._move)
        self.plan.chosen.connect(self._choose)
        down.addWidget(self.plan, 1)
        below = QWidget()
        below.setObjectName("below")
        inside = column(below, (0, 4, 0, 0), 0)
        probes = QHBoxLayout()
        probes.setContentsMargins(14, 0, 14, 2)
        self.add = link(
            "Add a probe", "Put a probe where the chosen one is, that measures light from all sides; then drag it."
        )
        self.add.clicked.connect(self._add)
        self.take = link("Take it away", "Take the chosen probe away; those that the view gives stay.")
        self.take.clicked.connect(self._take)
        probes.addWidget(self.add)
        probes.addSpacing(12)
        probes.addWidget(self.take)
        probes.addStretch(1)
        inside.addLayout(probes)
        self.rungs = Rungs()
        inside.addWidget(self.rungs)
        self.hands = Hands(self.state)
        self.trims = self.hands.trims
        self.trims.tried.connect(self._try)
        self.trims.matched.connect(self._match)
        inside.addWidget(self.hands)
        down.addWidget(below)
        return holder

    # following the crossing

    def arrive(self) -> None:
        """The list of lights is gone to."""
        self.bars.setFocus()

    def menu_entries(self) -> list[Action]:
        """Matching, for the keyboard."""
        return [Action("Edit", "Make the budget match", "Ctrl+M", lambda: self._match(()))]

    def _opened(self) -> None:
        self.base = self.ground = None
        self.probe = 0
        self._show()

    def _balanced(self, answer: Balanced) -> None:
        self.base, self.ground = answer.report, answer.ground
        names = [probe.name for probe in answer.report.probes]
        if self.coming in names:
            self.probe, self.coming = names.index(self.coming), ""
        self.probe = min(self.probe, max(len(names) - 1, 0))
        self._show()

    def _renewed(self) -> None:
        session = self.state.session
        if session is None:
            return
        self.filling = True
        self.camera.clear()
        for thing in session.scene.of(Kind.CAMERA):
            self.camera.addItem(thing.name, thing.id)
        self.camera.setCurrentIndex(self.camera.findData(session.camera))
        self.filling = False
        titles = tuple(
            self.state.registry.packs[name].title if name in self.state.registry.packs else name
            for name in (session.scene.dialect, session.document.target)
        )
        for part in (self.bars, self.rungs, self.views):
            part.titles = titles  # type: ignore[assignment]
        self.bars.limit = session.document.light_limit
        self.hands.fill()
        self._show(sort=True)

    def _stops(self, tried: tuple[str, float] | None = None) -> dict[str, Handling]:
        """What is done to each light's strength; with a trim that is being tried in the place of the one that stands."""
        session = self.state.session
        if session is None or self.base is None:
            return {}
        choices = session.document
        if tried is None:
            self._standing = stops_of(session.plan)
            return self._standing
        kept = tuple(trim for trim in choices.trims if trim.subject != tried[0])
        choices = choices.model_copy(update={"trims": (*kept, Trim(subject=tried[0], stops=tried[1]))})
        if tried[0] in session.scene.things:  # the others stay as they stand
            others = {path: done for path, done in self._standing.items() if path != tried[0]}
            return others | self._handled((tried[0],), choices)
        return self._handled(dict.fromkeys(part.path for part in self.base.parts), choices)

    def _handled(self, paths: Iterable[str], choices: Choices) -> dict[str, Handling]:
        session = self.state.session
        assert session is not None
        out, every = {}, Handlings(choices)
        for path in paths:
            thing = session.scene.things.get(path)
            if thing is not None:
                done = every.of(thing, self.state.registry.packs.get(thing.dialect))
                if not done.idle:
                    out[path] = done
        return out

    def _show(self, tried: tuple[str, float] | None = None, sort: bool = True) -> None:
        session = self.state.session
        report = self.base.trimmed(self._stops(tried)) if self.base is not None else None
        self.bars.show_report(report, self.probe, sort and tried is None)
        self.rungs.show_report(report, self.probe)
        if tried is None and session is not None:
            self.trims.fill(report, self.state.selection.thing)
            self._fill_places(report)
            up = session.scene.up_axis
            self.plan.show_ground(self.ground, report.probes if report is not None else (), up)
        self.plan.probe = self.probe
        self.plan.update()
        self._sum(report)

    def _fill_places(self, report: LightReport | None) -> None:
        self.places.clear()
        for number, probe in enumerate(report.probes if report is not None else ()):
            self.places.addItem(probe.name, number)
        self.places.setCurrentIndex(self.probe)
        self.take.setEnabled(self._picked_at(self.probe) is not None)

    def _sum(self, report: LightReport | None) -> None:
        if report is None or not report.probes:
            self.sums.setText(
                self.looks.preparing or ("" if report is None else "The camera sees nothing that light could fall on.")
            )
            return
        p = self.probe
        said = [
            f"all light {figures(report.sum(p, 'source'))} lx → {figures(report.sum(p, 'target'))} lx, {in_stops(report.sum_apart(p))}"
        ]
        ratios = [report.key_to_fill(p, side) for side in ("source", "target")]
        if None not in ratios:
            said.append(f"key to fill {ratios[0]:.1f} → {ratios[1]:.1f} to 1")
        colours = [report.temperature(p, side) for side in ("source", "target")]
        one, two = colours
        if one is not None and two is not None:
            said.append(f"{one[0]:.0f} K, Duv {one[1]:+.3f} → {two[0]:.0f} K, {two[1]:+.3f}".replace("-", "−"))
        rest = left(report)
        if rest:
            worst = max(rest, key=lambda item: min(abs(item.apart), 9.0))
            name = worst.about.rpartition("/")[2] or "all light"
            said.append(f"not matched: {name} at {worst.probe}, {in_stops(worst.apart)}; {worst.why}")
        said += report.notes
        self.sums.setText(" · ".join(said))

    def _selected(self) -> None:
        path = self.state.selection.thing
        self.bars.select(path)
        self.plan.selected = path
        self.plan.update()
        if self.base is not None:
            self.trims.fill(self.base.trimmed(self._stops()), path)
            self.trims.choose(path)

    def _trim_of(self, part: Part) -> float:
        report = self.bars.report
        done = report.stops.get(part.path) if report is not None else None
        if done is None:
            return 0.0
        return done.sky if part.part == "sky" else done.stops

    # hands

    def _choose(self, path: str) -> None:
        self.state.select(Selection(path))

    def _alone(self, path: str) -> None:
        self.views.alone = path.rpartition("/")[2]
        self.looks.mix(self._stops(), path)

    def _try(self, subject: str, stops: float) -> None:
        tried = (subject, stops)
        self._show(tried)
        self.looks.mix(self._stops(tried))

    def _match(self, things: object) -> None:
        session = self.state.session
        if session is None:
            return
        wanted = tuple(things) if isinstance(things, tuple | list) else ()
        change = session.matching(wanted)
        if change is not None:
            self.state.change("Make the budget match", change)

    def _go(self, probe: int) -> None:
        self.probe = probe
        self._show()

    def _by_camera(self) -> None:
        if not self.filling:
            self.state.change("Choose a camera", Choose(camera=self.camera.currentData()))

    # probes

    def _picked(self) -> list[PickedProbe]:
        session = self.state.session
        return list(session.document.probes) if session is not None else []

    def _picked_at(self, number: int) -> int | None:
        """Which of the picked probes one of the report is; None for one that the view gives."""
        report = self.base
        if report is None or not report.probes:
            return None
        name = report.probes[number].name
        return next((place for place, one in enumerate(self._picked()) if one.name == name), None)

    def _add(self) -> None:
        report = self.base
        if report is None or not report.probes:
            return
        here = report.probes[self.probe]
        x, y, z = (a + 0.05 * b for a, b in zip(here.place, here.normal, strict=True))
        self._put((x, y, z))

    def _put(self, place: tuple[float, float, float]) -> None:
        """Put one more probe, and go to it when it is measured."""
        picked = self._picked()
        numbers = [one.name.rpartition(" ")[2] for one in picked]
        self.coming = f"probe {1 + max((int(number) for number in numbers if number.isdigit()), default=0)}"
        self._set([*picked, PickedProbe(name=self.coming, place=place)], "Add a probe")

    def _take(self) -> None:
        place = self._picked_at(self.probe)
        if place is not None:
            picked = self._picked()
            del picked[place]
            self._set(picked, "Take a probe away")

    def _move(self, number: int, x: float, y: float) -> None:
        """A probe was dragged; one that the view gave becomes a picked one."""
        report, session = self.base, self.state.session
        if report is None or session is None:
            return
        place = self._picked_at(number)
        moved = _moved(report.probes[number], x, y, session.scene.up_axis)
        picked = self._picked()
        if place is not None:
            picked[place] = picked[place].model_copy(update={"place": moved.place})
            self._set(picked, "Move a probe")
            return
        self._put(moved.place)

    def _set(self, picked: list[PickedProbe], name: str) -> None:
        self.state.change(name, SetProbes(probes=tuple(picked)))


def _moved(probe: Probe, x: float, y: float, up_axis: str) -> Probe:
    """A probe elsewhere on the plan, as high as it was."""
    b, c = probe.place[1:]
    return replace(probe, place=(x, b, y) if up_axis == "Y" else (x, -y, c))
