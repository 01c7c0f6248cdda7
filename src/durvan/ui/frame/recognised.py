"""What a material is, how sure that is and why; to be corrected by hand, and to choose what is done with it or its kind."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from durvan.crossing.document.changes import SayKind, SetPolicy
from durvan.crossing.job.session import Session
from durvan.crossing.translation.making import NEEDED, NEVER, TO_MAPS
from durvan.crossing.translation.policies import EVERYTHING, KIND, WAYS, Kinds, Matter, Policies, matters
from durvan.scene.model import Thing
from durvan.scene.traits import MaterialKind
from durvan.ui.kit.parts import Choice, label, link, rule, small
from durvan.ui.kit.words import count
from durvan.ui.shared.state import State

_ASKED = {
    Matter.SEE_THROUGH: "what is cut out", Matter.PANES: "flat panes", Matter.BAKE: "its maps",
    Matter.PROCEDURALS: "procedurals", Matter.LAYERS: "its layers", Matter.REMNANTS: "what has no counterpart",
}  # fmt: skip
_TOLD = {
    Matter.SEE_THROUGH: {"coverage": "as coverage, soft", "stencil": "as a stencil, hard at a half"},
    Matter.PANES: {"as they are": "as it is", "simplified": "simplified, light passes straight"},
    Matter.BAKE: {
        NEEDED: "baked where there is no word",
        NEVER: "never baked",
        TO_MAPS: "reduced to maps",
    },
    Matter.PROCEDURALS: {"as themselves": "as themselves, where it has them", "baked": "baked"},
    Matter.LAYERS: {"as many as it takes": "as many as the target takes", "two": "two at most", "one": "one"},
    Matter.REMNANTS: {"removed": "left behind", "kept": "kept, switched off"},
}


class Recognised:
    """The part of Evidence about a material's kind, and about the ways that are chosen for it."""

    def __init__(self, state: State) -> None:
        self.state = state

    def fill(self, down: QVBoxLayout, thing: Thing) -> None:
        """Show it for one material."""
        session = self.state.session
        if session is None:
            return
        self._kind(down, session, thing)
        self._ways(down, session, thing)
        down.addWidget(rule())

    def _kind(self, down: QVBoxLayout, session: Session, thing: Thing) -> None:
        found = session.evidence.traits.get(thing.id)
        said = any(one.thing == thing.id for one in session.document.kinds)
        box = Choice()
        for kind in MaterialKind:
            box.addItem(kind.value, kind.value)
        box.setCurrentIndex(box.findData(session.kind(thing.id).value))
        box.setAccessibleName("what it is")
        box.setToolTip("What it is; choose another where this is wrong. Undo takes it back.")
        box.activated.connect(lambda: self._say(thing, MaterialKind(box.currentData())))
        _line(down, "it is", box)
        if said:
            told = f"as you say; it was recognised as {found.told}" if found is not None else "as you say"
            down.addWidget(small(told, wrap=True))
            back = link("As it was recognised", "What was found out by looking counts again.")
            back.clicked.connect(lambda: self._say(thing, None))
            down.addWidget(back)
        elif found is not None:
            down.addWidget(small(f"{100 * found.sure:.0f} % sure: {found.because}", wrap=True))
        else:
            down.addWidget(small("It is being looked at.", wrap=True))

    def _say(self, thing: Thing, kind: MaterialKind | None) -> None:
        name = f"Say that it is {kind.value}" if kind is not None else "Take it as it was recognised"
        self.state.change(name, SayKind(thing=thing.id, kind=kind))

    def _ways(self, down: QVBoxLayout, session: Session, thing: Thing) -> None:
        kinds = Kinds(session.document, session.evidence.traits)
        policies = Policies(session.document, kinds)
        packs, traits = self.state.registry.packs, session.evidence.traits.get(thing.id)
        done = session.plan.translations.get(thing.id)
        asked = set(matters(thing, done, traits, packs.get(thing.dialect), packs[session.document.target]))
        asked |= {matter for matter in Matter if policies.of(thing.id, matter) != WAYS[matter][0]}
        for matter in [matter for matter in _ASKED if matter in asked]:
            box = Choice()
            for way in WAYS[matter]:
                box.addItem(_TOLD[matter][way], way)
            box.setCurrentIndex(box.findData(policies.of(thing.id, matter)))
            box.setAccessibleName(_ASKED[matter])
            box.activated.connect(lambda _=0, m=matter, b=box: self._set(thing.id, m, b.currentData()))
            down.addSpacing(2)
            down.addWidget(small(_ASKED[matter]))
            down.addWidget(box)
            self._wider(down, session, thing, matter, policies)

    def _wider(self, down: QVBoxLayout, session: Session, thing: Thing, matter: Matter, policies: Policies) -> None:
        """The same for its kind and for everything, where that is done otherwise."""
        way = policies.of(thing.id, matter)
        if (matter.value, thing.id) not in policies.ways:
            return
        kind = session.kind(thing.id)
        alike = sum(session.kind(other) == kind for other in session.plan.translations)
        offers = [(EVERYTHING, "For everything", "Every material goes this way, but for what is chosen otherwise.")]
        if kind is not MaterialKind.UNKNOWN:
            told = f"For all that is {kind.value} ({count(alike, 'material')})"
            offers.insert(0, (f"{KIND}{kind.value}", told, "Every material of this kind goes this way."))
        for subject, text, tip in offers:
            if policies.ways.get((matter.value, subject)) == way:
                continue
            button = link(text, tip)
            button.clicked.connect(lambda _=False, s=subject, m=matter, w=way: self._set(s, m, w))
            down.addWidget(button)

    def _set(self, subject: str, matter: Matter, way: str) -> None:
        shown = _TOLD[matter][way]
        self.state.change(
            f"{_ASKED[matter].capitalize()}: {shown}", SetPolicy(subject=subject, what=matter.value, how=way)
        )


def _line(down: QVBoxLayout, name: str, box: Choice) -> None:
    across = QHBoxLayout()
    across.addWidget(label(name, bold=True))
    across.addSpacing(8)
    across.addWidget(box, 1)
    down.addLayout(across)
