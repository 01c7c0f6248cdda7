"""The list of dialects in the window: every pack with what it can do, and what the check says of those in one's own folder."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from durvan.dialects.registry import Registry, read
from durvan.dialects.summary import summaries
from durvan.ui.frame.dialects import Dialects

BRACK = Path(__file__).parent.parent.parent / "examples" / "brack"


@pytest.fixture
def own(tmp_path: Path) -> Registry:
    """Packs with three of one's own: one that conforms, one that gives back too much light, one that cannot be loaded."""
    for name, old, new in (
        ("brack", "", ""),
        ("gannet", "weight: diffuse, under", "weight: 2 * diffuse, under"),
        ("sleet", "ours: gloss, common", "ours: glos, common"),
    ):
        shutil.copytree(BRACK, tmp_path / name)
        for file in (tmp_path / name).iterdir():
            text = file.read_text(encoding="utf-8").replace("brack", name).replace("Brack", name.capitalize())
            file.write_text(text.replace(old, new) if old else text, encoding="utf-8")
    return read(tmp_path)


@pytest.fixture
def panel(own, qtbot, window, kernels: None):
    made = Dialects(own, window)
    made.show()
    qtbot.waitUntil(lambda: made.job is None, timeout=60_000)
    yield made
    made.close()


def shown(panel, name: str) -> str:
    """What the page says of a pack."""
    for number in range(panel.packs.topLevelItemCount()):
        item = panel.packs.topLevelItem(number)
        if item.text(0).split()[0].lower() == name:
            panel.packs.setCurrentItem(item)
    QTest.qWait(30)  # what stood there before is gone only then
    return " ".join(one.text().replace("\u200b", "") for one in panel.body.findChildren(QLabel))


def test_every_pack_is_listed_with_what_the_check_says(panel, own) -> None:
    rows = {
        panel.packs.topLevelItem(n).text(0).split("  ")[0].lower(): panel.packs.topLevelItem(n).text(1)
        for n in range(panel.packs.topLevelItemCount())
    }
    assert len(rows) == len(own.packs) + 1
    assert rows["brack"] == "conforms" and rows["skarn"] == "conforms"
    assert rows["gannet"].endswith("to mend") and rows["sleet"] == "left out"


def test_a_page_says_what_a_pack_can_do_and_what_is_to_be_mended(panel) -> None:
    said = shown(panel, "skarn")
    assert "Lays up to 64 finishes" in said and "Knows no colour temperatures." in said and "comes with Durvan" in said
    said = shown(panel, "sleet")
    assert "mapping.yaml, line" in said and "no parameter 'glos'" in said
    said = shown(panel, "gannet")
    assert "times the light that it gets" in said and "looks.yaml, line" in said and "has looks, so" in said.lower()


def test_what_was_mended_conforms_when_it_is_checked_again(panel, own, qtbot) -> None:
    file = next(one.folder for one in summaries(own) if one.name == "gannet") / "looks.yaml"
    file.write_text(file.read_text(encoding="utf-8").replace("2 * diffuse", "diffuse"), encoding="utf-8")
    panel.again.click()
    assert not panel.again.isEnabled()
    qtbot.waitUntil(lambda: panel.job is None, timeout=60_000)
    assert "times the light" not in shown(panel, "gannet") and panel.again.isEnabled()


def test_it_opens_by_its_keys(window, qtbot) -> None:
    action = next(
        one
        for one in window.actions()
        + [a for menu in window.menuBar().findChildren(type(window.menuBar().addMenu("x"))) for a in menu.actions()]
        if one.text() == "Dialects…"
    )
    action.trigger()
    panel = window.dialects_panel
    qtbot.waitUntil(lambda: panel.job is None, timeout=60_000)
    assert panel.isVisible() and panel.packs.topLevelItemCount() == len(window.state.registry.packs)
    panel.close()
