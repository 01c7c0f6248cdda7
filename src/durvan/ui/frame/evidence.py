"""Evidence: all there is to know about what is selected, and what can be done about it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from durvan.crossing.document.changes import Forget, Merge, ReadAs, TakeFit
from durvan.crossing.findings import Finding, Remedy
from durvan.crossing.job.session import Session
from durvan.crossing.job.settling import effect_of, measurable
from durvan.crossing.translation.choices import Reading
from durvan.crossing.translation.rows import By, Row
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.model import Kind, Thing
from durvan.scene.traits import MaterialKind
from durvan.ui.followers.settling import Settling
from durvan.ui.frame.recognised import Recognised
from durvan.ui.kit import words
from durvan.ui.kit.parts import Mark, clear, column, label, link, rule, small, table_of, title
from durvan.ui.kit.theme import PANEL, RULE, SLIP, SMALL, TITLE, font
from durvan.ui.kit.typed import EDITABLE, ValueLine
from durvan.ui.kit.words import count, spoken
from durvan.ui.shared.state import Selection
from durvan.ui.stations.station import Bench, Explained

_MOST = 60
_PLACES = 4  # of one row that can be typed in


class Evidence(QScrollArea):
    """The panel at the right."""

    def __init__(self, bench: Bench, settling: Settling, explained: Iterable[Explained] = ()) -> None:
        super().__init__()
        self.state, self.looks = bench.state, bench.looks
        self.settling, self.explained = settling, list(explained)
        state = self.state
        self.setFixedWidth(286)
        self.setWidgetResizable(True)
        self.setObjectName("evidence")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setStyleSheet(
            f"#evidence {{ background: {PANEL.name()}; border-left: 1px solid {RULE.name()}; }} #body {{ background: {PANEL.name()}; }}"
        )
        body = QWidget()
        body.setObjectName("body")
        self.down: QVBoxLayout = column(body)
        self.setWidget(body)
        state.selected.connect(self.fill)
        state.renewed.connect(self.fill)
        state.looked.connect(self._looked)
        settling.told.connect(self._tried)
        self.fill()

    def _tried(self) -> None:
        """What remedies do is known: a finding that is shown says it."""
        if self.state.selection.finding is not None:
            self.fill()

    def _looked(self) -> None:
        """Drifts came in: what is shown of a thing follows, unless a person is typing here."""
        chosen = self.state.selection
        focus = QApplication.focusWidget()
        typing = focus is not None and self.isAncestorOf(focus)
        if chosen.finding is None and chosen.cell is None and not typing:
            self.fill()

    def fill(self) -> None:
        """Show what is selected now."""
        clear(self.down)
        self.verticalScrollBar().setValue(0)
        chosen, thing = self.state.selection, self.state.thing()
        if chosen.finding is not None:
            self._finding(chosen.finding)
        elif (own := next((one for one in self.explained if one.about(chosen)), None)) is not None:
            own.fill(self.down, chosen)
        elif chosen.row is not None:
            self._row(chosen.row)
        elif chosen.cell is not None:
            self._cell(*chosen.cell)
        elif thing is not None:
            self._thing(thing)
            for one in self.explained:
                one.more(self.down, thing)
        else:
            self.down.addWidget(title("Evidence"))
            self.down.addWidget(small("What you select is explained here.", wrap=True))
        self.down.addStretch(1)

    def _pairs(self, pairs: list[tuple[str, str, str]]) -> None:
        self.down.addWidget(table_of(pairs))

    def _fate(self, fate: Fate, reason: str) -> None:
        across = QHBoxLayout()
        across.addWidget(Mark(fate, 40))
        across.addWidget(label(fate.word, bold=True))
        across.addStretch(1)
        self.down.addLayout(across)
        self.down.addWidget(small(reason or fate.meaning, wrap=True))

    # one value

    def _row(self, row: Row) -> None:
        names = " ".join(dict.fromkeys(name for _, name in row.targets))
        head = f"{row.parameter} → {names}" if row.node and names else row.parameter
        heading = title(head[:200])
        heading.setWordWrap(True)
        self.down.addWidget(heading)
        self._fate(row.fate, row.reason)
        self.down.addWidget(rule())
        pairs = [("source", words.source_value(row), row.unit)] if row.node else [("source", "says nothing", "")]
        for (_, name), (said, unit) in zip(row.targets, row.target_values, strict=True):
            label_ = "target" if len(row.targets) == 1 else name
            pairs.append((label_, words.target_value(said), unit))
        if not row.targets:
            pairs.append(("target", "nothing" if row.fate >= Fate.LOST else "says it already", ""))
        self._pairs(pairs)
        self._edit(row)
        if row.drift is not None:
            self._pairs(
                [("drift before", f"{row.drift[0]:.2f}", "ΔE00"), ("after the fit", f"{row.drift[1]:.2f}", "ΔE00")]
            )
        cost = self.state.session.cost(row) if self.state.session is not None and row.fate is Fate.BAKED else None
        if cost is not None:
            self._pairs([("what the picture costs", cost.number, cost.unit)])
        if row.formula:
            self._formulas(row)
        if row.measure is not None:
            self.down.addSpacing(4)
            self.down.addWidget(label("What remains", bold=True))
            self.down.addWidget(label(words.remaining(row), wrap=True))
        self._meaning(row)
        self.down.addSpacing(6)
        self.down.addWidget(small("rule"))
        rules = dict.fromkeys(f"→ {step.rule}" if step.outward else step.rule for step in row.steps)
        self.down.addWidget(label("\n".join(rules) or row.rule, SMALL, wrap=True))
        self._readings(row)

    def _formulas(self, row: Row) -> None:
        box = QWidget()
        box.setObjectName("formula")
        box.setStyleSheet(f"#formula {{ background: {SLIP.name()}; }}")
        inside = column(box, (10, 8, 10, 8), 2)
        for text in dict.fromkeys(f"→ {s.formula}" if s.outward else s.formula for s in row.steps if s.formula):
            line = label(_breakable(text), wrap=True)
            line.setFont(font(SMALL, mono=True))
            line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            inside.addWidget(line)
        self.down.addSpacing(4)
        self.down.addWidget(box)

    def _meaning(self, row: Row) -> None:
        thing = self.state.thing()
        pack = self.state.registry.packs.get(thing.dialect) if thing is not None else None
        node = thing.graph.nodes.get(row.node) if thing is not None else None
        parameter = pack.parameter(node.kind, row.parameter) if pack is not None and node is not None else None
        if pack is None or parameter is None:
            return
        self.down.addSpacing(6)
        self.down.addWidget(small(f"in {pack.title}"))
        self.down.addWidget(label(parameter.meaning, SMALL, wrap=True))
        facts = []
        if parameter.range is not None:
            facts.append(f"{parameter.range[0]:g} to {parameter.range[1]:g}")
        if parameter.default not in (None, ""):
            facts.append(f"default {words.value(parameter.default)}")
        if facts:
            self.down.addWidget(small(", ".join(facts)))

    def _readings(self, row: Row) -> None:
        """What else a surface could be read as; a click chooses it, and can be undone."""
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None or not row.node:
            return
        pack = self.state.registry.packs.get(thing.dialect)
        node = thing.graph.nodes.get(row.node)
        compiled = pack.compiled.get(node.kind) if pack is not None and node is not None else None
        if compiled is None or len(compiled.cases) < 2:
            return
        translation = session.plan.translations.get(thing.id)
        now = translation.readings.get(row.node, "") if translation is not None else ""
        others = [case.name for case in compiled.cases if case.name and case.name != now]
        if not now or not others:
            return
        self.down.addSpacing(6)
        self.down.addWidget(label("What else it could be", bold=True))
        self.down.addWidget(small(f"read as {now} now", wrap=True))
        for name in others:
            button = link(f"Read as {name}", "Another reading of this surface; undo takes it back.")
            button.clicked.connect(lambda _=False, n=name, node_=row.node, t=thing.id: self._read(t, node_, n))
            self.down.addWidget(button)

    def _read(self, thing: str, node: str, case: str) -> None:
        self.state.change(f"Read as {case}", ReadAs(entry=Reading(thing=thing, node=node, case=case)))

    # drift

    def _drift(self, thing: Thing) -> None:
        """How different it looks, how sure that is, and what can be done about it."""
        session = self.state.session
        if session is None or thing.kind is not Kind.MATERIAL:
            return
        found = session.drift(thing.id)
        if found is None:
            text = self.looks.trouble or self.looks.preparing or "The drift is being measured."
            self.down.addWidget(small(text, wrap=True))
            self.down.addWidget(rule())
            return
        across = QHBoxLayout()
        across.addWidget(label("drift", bold=True))
        across.addStretch(1)
        across.addWidget(label(found.told(2), TITLE, bold=True))
        across.addWidget(small(f"± {found.noise:.2f} ΔE00"))
        self.down.addLayout(across)
        pairs = [("grade", found.grade, "")] if not found.caveats else []
        pairs += [
            ("worst 5 %", f"{found.worst:.1f}", "ΔE00"),
            ("most under", found.lighting, "light"),
        ]
        share = self.looks.shares.get(thing.id)
        if share is not None:
            pairs.append(("covers", f"{100 * share:.1f}", "% of the view"))
        fits = [note for note in session.document.notes if note.thing == thing.id and note.by is By.FIT]
        if fits:
            pairs.append(("before the fit", f"{fits[0].before:.2f}", "ΔE00"))
        self._pairs(pairs)
        if session.plan.translations[thing.id].meant is not None:
            self.down.addWidget(small("Measured against the source with your corrections.", wrap=True))
        if found.caveats:
            self.down.addWidget(label("Not all of it is measured", bold=True))
        for text in found.caveats:
            self.down.addWidget(small(f"{text[0].upper()}{text[1:]}.", wrap=True))
        if not found.caveats:
            self._fit_actions(thing, bool(fits), found.mean)
        self.down.addWidget(rule())

    def _fit_actions(self, thing: Thing, fitted: bool, drift: float) -> None:
        session = self.state.session
        if self.looks.fitting:
            self.down.addWidget(small("Fitting…"))
        elif fitted and session is not None:
            again = QPushButton("Take the fit back")
            again.setToolTip("What the rules gave counts again; undo brings the fit back.")
            again.clicked.connect(lambda: self._drop_fit(thing.id))
            self.down.addWidget(again)
        elif drift >= 0.3:
            button = QPushButton("Fit it")
            button.setToolTip(
                "Move the target's values until its lobes answer like the source's; kept only if the drift falls."
            )
            button.clicked.connect(lambda: self.state.fit_wanted.emit([thing.id]))
            self.down.addWidget(button)

    def _drop_fit(self, thing: str) -> None:
        self.state.change("Take the fit back", TakeFit(thing=thing))

    # a value of the target, by hand

    def _edit(self, row: Row) -> None:
        """The target's values as lines to type in; what is typed becomes a note by hand."""
        for node, name in row.targets[:_PLACES]:
            self._edit_at(row, node, name)

    def _edit_at(self, row: Row, node_name: str, name: str) -> None:
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None:
            return
        translation = session.plan.translations.get(thing.id)
        node = translation.graph.nodes.get(node_name) if translation is not None else None
        pack = self.state.registry.packs[session.plan.choices.target]
        parameter = pack.parameter(node.kind, name) if node is not None else None
        if node is None or parameter is None or name in node.links or parameter.type not in EDITABLE:
            return
        value = node.values.get(name, parameter.default)
        self.down.addSpacing(4)
        self.down.addWidget(small(f"{name} in {pack.title}" + (f", {parameter.unit}" if parameter.unit else "")))
        line = ValueLine(value, parameter)
        line.setAccessibleName(f"{name} in the target")
        line.setToolTip(words.parameter_tip(pack, node.kind, name, row))
        self.down.addWidget(line)
        told = small("", wrap=True)
        self.down.addWidget(told)
        line.told.connect(told.setText)
        line.put.connect(lambda typed: self.state.put(thing.id, node_name, name, typed))
        place = (thing.id, node_name, name)
        if session.by_hand(*place) or session.rewiring_back(*place) is not None:
            back = link("Take it back", "What the rules gave counts again.")
            back.clicked.connect(lambda: self.state.take_back(*place))
            self.down.addWidget(back)

    # a thing, a cell, a finding

    def _thing(self, thing: Thing) -> None:
        rows = self.state.rows(thing.id)
        heading = title(spoken(thing.name))
        heading.setWordWrap(True)
        self.down.addWidget(heading)
        packs = self.state.registry.packs
        dialect = packs[thing.dialect].title if thing.dialect in packs else "no dialect"
        self.down.addWidget(small(f"{thing.kind.value} in {dialect}, {count(len(rows), 'value')}", wrap=True))
        self.down.addWidget(rule())
        if thing.kind is Kind.MATERIAL:
            Recognised(self.state).fill(self.down, thing)
            self._merged(thing)
        self._drift(thing)
        counts = Counter(row.fate for row in rows)
        for fate in SHOWN:
            if counts[fate]:
                across = QHBoxLayout()
                across.addWidget(Mark(fate))
                across.addWidget(label(fate.word))
                across.addStretch(1)
                across.addWidget(label(str(counts[fate]), bold=True))
                self.down.addLayout(across)
        self.down.addSpacing(6)
        self._choices(thing)
        self._rows([row for row in rows if row.fate in (Fate.HELD, Fate.LOST, Fate.FITTED)], "What to look at")
        self._left_out(thing)

    def _choices(self, thing: Thing) -> None:
        """What a hand set on it may go to others; and all that was chosen about it may be taken back."""
        session = self.state.session
        if session is None:
            return
        hand = sum(note.thing == thing.id and note.by is By.HAND for note in session.document.notes)
        kind = session.kind(thing.id)
        if hand and thing.kind is Kind.MATERIAL and kind is not MaterialKind.UNKNOWN:
            alike = [name for name in session.plan.translations if name != thing.id and session.kind(name) is kind]
            change = session.copy_notes(thing.id, alike)
            if change is not None:
                number = len({note.thing for note in change.notes})
                text = f"Copy {count(hand, 'value')} to {count(number, 'material')} like it"
                copy = link(text, f"What you set on it by hand goes to all that is {kind.value} and is built like it.")
                copy.clicked.connect(lambda: self.state.change(f"Copy the values of {thing.name}", change))
                self.down.addWidget(copy)
        if Forget(thing=thing.id).apply(session.document) != session.document:
            back = link("Back to how it was", "All that was chosen about it is taken back; undo brings it again.")
            back.clicked.connect(lambda: self.state.change(f"Take {thing.name} back", Forget(thing=thing.id)))
            self.down.addWidget(back)
            self.down.addSpacing(6)

    def _merged(self, thing: Thing) -> None:
        """Which equal materials it is worn in the place of, or which one is worn in its place."""
        session = self.state.session
        if session is None:
            return
        merged = session.plan.merged
        for other in [name for name, into in merged.items() if into == thing.id]:
            self.down.addWidget(small(f"It is worn in the place of {_named(session, other)} as well.", wrap=True))
        if thing.id in merged:
            into = merged[thing.id]
            self.down.addWidget(small(f"{_named(session, into)} is worn in its place, which is the same.", wrap=True))
            back = link("Wear it again", "It is carried as a material of its own again.")
            back.clicked.connect(lambda: self.state.change(f"Wear {thing.name} again", Merge(thing=thing.id, into="")))
            self.down.addWidget(back)

    def _left_out(self, thing: Thing) -> None:
        """What the preview does not show of a thing, on either side."""
        said = [
            note.removeprefix(f"{thing.name}: ")
            for _, _, _, notes in self.looks.views.values() for note in notes if note.startswith(f"{thing.name}: ")
        ]  # fmt: skip
        if not said:
            return
        self.down.addSpacing(6)
        self.down.addWidget(label("What the preview leaves out", bold=True))
        for note in dict.fromkeys(said):
            self.down.addWidget(small(f"{_begun(note)}.", wrap=True))

    def _cell(self, family: str, fate: Fate) -> None:
        session = self.state.session
        rows = [r for r in session.plan.ledger if r.family == family and r.fate is fate] if session else []
        self.down.addWidget(title(f"{words.FAMILY_NAMES.get(family, family).capitalize()}, {fate.word} {len(rows)}"))
        self._fate(fate, "")
        self.down.addWidget(rule())
        self._rows(rows, "")

    def _rows(self, rows: list[Row], head: str) -> None:
        session = self.state.session
        if not rows or session is None:
            return
        if head:
            self.down.addWidget(label(head, bold=True))
        for row in sorted(rows, key=lambda r: -r.fate)[:_MOST]:
            name = spoken(session.scene.things[row.thing].name)
            button = link(f"{name}: {row.parameter}" if row.thing != self.state.selection.thing else row.parameter)
            button.setFont(font(bold=False))
            button.clicked.connect(lambda _=False, r=row: self._go(r))
            across = QHBoxLayout()
            across.setSpacing(6)
            across.addWidget(button)
            across.addStretch(1)
            value = words.source_value(row) if row.node else words.target_value(row.target_values[0][0])
            across.addWidget(small(f"{value} {row.unit}".strip() if len(value) < 22 else ""))
            self.down.addLayout(across)
        if len(rows) > _MOST:
            self.down.addWidget(small(f"and {len(rows) - _MOST} more; the record lists all of them", wrap=True))

    def _go(self, row: Row) -> None:
        self.state.select(Selection(row.thing, row))
        self.state.station_wanted.emit("Facing")

    def _finding(self, finding: Finding) -> None:
        session = self.state.session
        heading = title(finding.title)
        heading.setWordWrap(True)
        self.down.addWidget(heading)
        self.down.addWidget(small(finding.level.word))
        self.down.addWidget(rule())
        self.down.addWidget(label(f"{_begun(finding.cause)}.".replace("..", "."), wrap=True))
        self.down.addWidget(label(f"So {finding.consequence}.", wrap=True))
        self._pairs([(name, said, "") for name, said in finding.evidence])
        accepted = session.accepted(finding) if session is not None else ""
        if accepted:
            self.down.addWidget(label("Accepted", bold=True))
            self.down.addWidget(label(accepted, wrap=True))
            again = QPushButton("Open it again")
            again.clicked.connect(lambda: self.state.reopen([finding]))
            self.down.addWidget(again)
            return
        for remedy in finding.remedies:
            button = QPushButton(remedy.label)
            button.setToolTip("Settles this one; undo takes it back.")
            button.clicked.connect(lambda _=False, r=remedy: self.state.apply([r]))
            self.down.addWidget(button)
            self._effect(finding, remedy)
        accept = QPushButton("Accept…")
        accept.setToolTip("Settle it with a reason; it opens again when its evidence changes.")
        accept.clicked.connect(lambda: self.state.accept_wanted.emit([finding]))
        self.down.addWidget(accept)
        if finding.file:
            there = link("Show it in Files")
            there.clicked.connect(lambda: self._to_file(finding))
            self.down.addSpacing(4)
            self.down.addWidget(there)
        if finding.thing:
            go = link("Show it in Facing")
            go.clicked.connect(lambda: self.state.station_wanted.emit("Facing"))
            self.down.addSpacing(4)
            self.down.addWidget(go)

    def _effect(self, finding: Finding, remedy: Remedy) -> None:
        """What a remedy was measured to do."""
        session = self.state.session
        if session is None or not measurable(remedy):
            return
        effect = effect_of(session, finding, remedy)
        if effect is not None:
            said = f"{effect.before:.2f} → {effect.after:.2f} {effect.unit}, measured"
            self.down.addWidget(small(said if effect.helps else f"{said}: no help", wrap=True))
        elif self.settling.trying == finding.key:
            self.down.addWidget(small("what it does is being measured", wrap=True))

    def _to_file(self, finding: Finding) -> None:
        self.state.select(Selection(finding.thing, file=finding.file))
        self.state.station_wanted.emit("Files")


def _breakable(text: str) -> str:
    """A formula that a narrow panel may break at its operators and after commas."""
    return text.replace("_", "_\u200b").replace("(", "(\u200b").replace("/", "/\u200b")


def _begun(sentence: str) -> str:
    """A sentence with a capital, unless it begins with a name of the file's."""
    first = sentence.split(" ", 1)[0]
    return sentence if any(sign in first for sign in "._/:") else f"{sentence[:1].upper()}{sentence[1:]}"


def _named(session: Session, thing: str) -> str:
    """A thing's name as people read it."""
    return spoken(session.scene.things[thing].name)
