"""How soon an edit is seen in Proof: a material is changed while both sides are being rendered, and the first picture of the target with it is
waited for, from the edit to the picture, planning and staging included.

    python bench/proof_edit.py [scene …]
"""

from __future__ import annotations

import queue
import sys
import tempfile
import time
from pathlib import Path

from durvan.crossing.job.session import Session, start
from durvan.crossing.looks import questions
from durvan.crossing.looks.client import Renderer
from durvan.crossing.looks.sittings import Sitting, sitting
from durvan.dialects.registry import registry
from durvan.scene.model import Kind

ROOT = Path(__file__).parent.parent / "demo"
SIZE, SAMPLES, EDITS = (960, 540), 64, 5


def side(session: Session, which: str) -> Sitting:
    """A side as it stands."""
    things = session.scene.own if which == "source" else session.plan.target_things
    return sitting(session.scene, which, things, session.camera, session.now.view.used_by)


def seconds(name: str) -> list[float]:
    """The times of some edits."""
    session = start(ROOT / name / f"{name}.usda", registry(), "pellune")
    session.look_at_shapes(always=True)
    answers: queue.Queue[object] = queue.Queue()
    renderer = Renderer(answers.put)
    renderer.ask(questions.Load(session.scene, session.registry.user))
    material = next(one for one in session.scene.of(Kind.MATERIAL) if one.id in session.plan.translations)
    translation = session.plan.translations[material.id]
    node = next(node for node in translation.graph.nodes.values() if "rough" in node.values)
    found = []
    with tempfile.TemporaryDirectory() as folder:

        def ask() -> None:
            sides = (side(session, "source"), side(session, "target"))
            renderer.ask(questions.Prove(session.camera, sides, SIZE, SAMPLES, Path(folder)))

        ask()
        wait(answers, "target", 1)
        for number in range(EDITS):
            begun = time.perf_counter()
            session.put(material.id, node.id, "rough", 0.3 + 0.05 * number)
            session.renew()
            ask()
            wait(answers, "target", 0)
            found.append(time.perf_counter() - begun)
            wait(answers, "target", 1)
        renderer.close()
    return found


def wait(answers: queue.Queue[object], which: str, samples: int) -> None:
    """Wait for a picture of a side with just so many samples."""
    while True:
        one = answers.get(timeout=300.0)
        if isinstance(one, questions.Trouble):
            raise RuntimeError(one.text)
        if isinstance(one, questions.Proving) and one.side == which and one.samples == samples:
            return


def main(words: list[str]) -> None:
    """Measure and print."""
    for name in words or ["lamproom", "boathouse"]:
        found = seconds(name)
        print(
            f"{name:12} {', '.join(f'{one:.2f}' for one in found)} s to the first picture of an edit; 0.5 s is wanted"
        )


if __name__ == "__main__":
    main(sys.argv[1:])
