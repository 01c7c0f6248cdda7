"""`make screenshots`: the pictures in this folder, taken from the demo scene at 1280×800.

`python take.py FOLDER WIDTH HEIGHT` takes them into another folder, at another size.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["DURVAN_PROOF"] = tempfile.mkdtemp(prefix="durvan-proof-")

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import registry
from durvan.scene.model import Kind
from durvan.ui.followers.proving import Setting
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress
from durvan.ui.shared.state import Selection
from durvan.ui.stations.facing.walking import Spot
from durvan.ui.stations.proof.showing import SPLIT, Line
from durvan.ui.stations.proof.view import Proof

HERE = Path(__file__).parent
OUT = Path(sys.argv[1]) if len(sys.argv) > 1 else HERE
SIZE = (int(sys.argv[2]), int(sys.argv[3])) if len(sys.argv) > 3 else (1280, 800)
sys.path.insert(0, str(HERE.parent.parent / "demo"))

from build_moved import build

LOOKS = "/LampRoom/Looks"
SCENE = HERE.parent.parent / "demo" / "lamproom" / "lamproom.usda"


def wait(milliseconds: int) -> None:
    """Turn the event loop for a while."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def until_seen(window: Window, thing: str) -> None:
    """Wait until a material's swatches are finished."""
    window.looks.closely.pop(thing, None)
    window.looks._asked = ""
    window.looks._look()
    while thing not in window.looks.closely or not window.looks.closely[thing].done:
        wait(50)


def facing(window: Window) -> None:
    """Two networks with what their nodes give, and a colour that is set in place."""
    state, looks, paint, brass = window.state, window.looks, f"{LOOKS}/RailPaint", f"{LOOKS}/PedestalBrass"
    window.go("Facing")
    state.select(Selection(paint))
    until_seen(window, paint)
    while (paint, "target") not in looks.inside:
        wait(50)
    state.select(Selection(paint, next(row for row in state.rows(paint) if row.parameter == "polish")))
    wait(300)
    window.grab().save(str(OUT / "facing.png"))
    state.select(Selection(brass))
    until_seen(window, brass)
    hands = window.stations["Facing"].hands
    hands.edit(Spot("target", "finish", "color"))
    before = looks.closely[brass]
    hands.editor.control.boxes[1].setValue(0.42)
    while looks.closely[brass] is before or not looks.closely[brass].done:
        wait(50)
    wait(1500)
    window.grab().save(str(OUT / "set.png"))
    hands.editor.leave()


def files(window: Window) -> None:
    """The Files station, with the moved variant of the scene, and a repair that is shown before it is applied."""
    folder = Path(tempfile.gettempdir()) / "skerry"
    shutil.rmtree(folder, ignore_errors=True)
    scene = build(folder)
    window.state.session = None  # nothing to ask about
    window.open(scene)
    settled(window)
    window.go("Files")
    window.stations["Files"].roots.add(folder / "library")
    settled(window)
    window.findings.tree.setCurrentItem(None)
    slate = next(one.written for one in window.state.session.scene.files.values() if "slate_normal" in one.written)
    window.state.select(Selection("/LampRoom/Looks/WetSlate", file=slate))
    wait(1200)
    window.grab().save(str(OUT / "files.png"))
    plaster = next(one.written for one in window.state.session.scene.files.values() if "plaster_height" in one.written)
    window.state.select(Selection("/LampRoom/Looks/RoughPlaster", file=plaster))
    window.findings.here.setChecked(True)
    window.stations["Files"].repairs.way.setCurrentText("Change the beginning")
    window.stations["Files"].repairs.fields[1].setText(str(folder / "library"))
    window.stations["Files"].repairs.try_it()
    settled(window)
    wait(800)
    window.grab().save(str(OUT / "repair.png"))
    shutil.rmtree(folder, ignore_errors=True)


def light(window: Window) -> None:
    """The Light station, with the boat house at noon."""
    window.state.session = None
    window.looks.views.clear()
    window.open(SCENE.parent.parent / "boathouse" / "boathouse.usda")
    state, looks = window.state, window.looks
    while state.session is None or state.job is not None or looks.preparing or state.session.light is None:
        wait(50)
    window.go("Light")
    while looks.views.get("target", (0, 0, 1, 0))[1] < 64:
        wait(100)
    state.select(Selection("/BoatHouse/Lights/HullLight"))
    wait(800)
    window.grab().save(str(OUT / "light.png"))


def settle(window: Window) -> None:
    """What measurably helps the lamp room."""
    window.settle()
    wait(300)
    while window.settling.running or window.state.job is not None:
        wait(100)
    panel = window.settle_panel
    panel.helps.setCurrentItem(panel.helps.topLevelItem(0))
    wait(300)
    panel.grab().save(str(OUT / "settle.png"))
    panel.close()


def ready(window: Window) -> None:
    """Copper on the pedestal, before it is taken."""
    brass = "/LampRoom/Looks/PedestalBrass"
    window.state.select(Selection(brass))
    window.ready_values()
    panel = window.ready_panel
    panel.list.setCurrentItem(panel.list.findItems("copper", Qt.MatchFlag.MatchExactly, 1)[0])
    while not window.looks.trying:  # it is asked for a moment later
        wait(50)
    window.looks.closely.pop(brass, None)
    while panel.picture.image is None or not (seen := window.looks.closely.get(brass)) or not seen.done:
        wait(50)
    panel.grab().save(str(OUT / "ready.png"))
    panel.close()


def store(window: Window) -> None:
    """The oil store by kind."""
    window.state.session = None  # nothing to ask about
    window.looks.left = 1
    window.open(SCENE.parent.parent / "oilstore" / "oilstore.usda")
    while window.state.session is None or window.state.job is not None:
        wait(50)
    window.go("Survey")
    while (
        window.looks.left
        or window.looks.views.get("target", (0, 0, 1, 0))[1] < 64
        or not window.state.session.evidence.traits
    ):
        wait(100)
    window.stations["Survey"].order.click()
    window.state.select(Selection("/OilStore/Looks/WindowPane"))
    wait(1500)
    window.grab().save(str(OUT / "kinds.png"))


def settled(window: Window) -> None:
    """Wait until nothing runs and every picture is judged."""
    wait(300)
    while window.state.session is None or window.state.job is not None or window.outside.busy:
        wait(50)
    wait(600)


def dialects(window: Window) -> None:
    """The packs that there are, with Skarn's page."""
    window.show_dialects()
    panel = window.dialects_panel
    assert panel is not None
    while panel.job is not None:
        wait(100)
    panel.packs.setCurrentItem(panel.packs.topLevelItem(2))
    wait(100)
    panel.grab().save(str(OUT / "dialects.png"))
    panel.close()


def judged(window: Window) -> None:
    """Both sides of the fog-signal house by the preview, and by Mitsuba below."""
    window.open(HERE.parent.parent / "demo" / "foghouse" / "foghouse.usda", "pellune")
    settled(window)
    window.larger_view()
    panel = window.larger
    assert panel is not None
    looks = window.looks
    while looks.left or looks.views.get("target", (0, 0, 1, 0))[1] < 64:
        wait(100)
    panel.render_or_stop()
    while window.judging.running:
        wait(200)
    wait(300)
    panel.grab().save(str(OUT / "judged.png"))
    panel.close()


def proof(window: Window) -> None:
    """Both renders of the lamp room, split, with the worst cause chosen; and where both differ in stops."""
    session, proofs, view = window.state.session, window.proofs, window.stations["Proof"]
    assert session is not None and isinstance(view, Proof)
    window.state.apply([one.remedies[0] for one in session.open if one.code == "near-clip" and one.remedies])
    settled(window)
    window.go("Proof")
    proofs.render(Setting("picture", (640, 360), 64, ""))
    while (
        proofs.asked is not None
        or proofs.comparing.reading
        or proofs.comparing.analysis is None
        or proofs.comparing.errands.busy
    ):
        wait(100)
    view.showing.arrange(SPLIT)
    view.showing.put(line=Line(0.52, 0.5, 18.0))
    view._choose_cause(0)
    while proofs.comparing.errands.busy:
        wait(100)
    wait(300)
    window.grab().save(str(OUT / "proof.png"))
    view.showing.go("stops")
    view.showing.beyond_noise(True)
    while not proofs.comparing.want("stops", view.showing.look):
        wait(100)
    wait(300)
    window.grab().save(str(OUT / "stops.png"))


def main() -> None:
    """Take them all."""
    app = QApplication([])
    dress(app)
    window = Window(registry())
    window.resize(*SIZE)
    window.show()
    wait(100)
    window.grab().save(str(OUT / "start.png"))
    dialects(window)
    window.open(SCENE)
    while window.state.session is None or window.state.job is not None:
        wait(50)
    state, looks = window.state, window.looks

    def measured() -> bool:
        return all(state.session.drift(thing.id) is not None for thing in state.session.scene.of(Kind.MATERIAL))

    while looks.left or not measured() or looks.views.get("target", (0, 0, 1, 0))[1] < 64:
        wait(100)
    wait(800)
    window.grab().save(str(OUT / "survey.png"))
    facing(window)
    cloth = "/LampRoom/Looks/Oilskin"
    state.fit_wanted.emit([cloth])
    while looks.fitting or state.job is not None:
        wait(50)
    state.select(Selection(cloth))
    until_seen(window, cloth)
    wait(800)
    window.grab().save(str(OUT / "fit.png"))
    tree = window.findings.tree
    tops = [tree.topLevelItem(place) for place in range(tree.topLevelItemCount())]
    tree.setCurrentItem(next(item for item in tops if "faked" in item.text(2)))
    thing = state.selection.thing
    until_seen(window, thing)
    wait(300)
    window.grab().save(str(OUT / "finding.png"))
    settle(window)
    ready(window)
    light(window)
    proof(window)
    files(window)
    store(window)
    state.session = None
    judged(window)
    state.session = None
    window.close()
    print(f"took {len(list(OUT.glob('*.png')))} pictures")


if __name__ == "__main__":
    main()
