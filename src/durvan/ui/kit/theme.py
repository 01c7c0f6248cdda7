"""The look of a viewing booth: neutral greys, near-black ink, three sizes of type, one accent."""

from __future__ import annotations

from functools import cache

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from durvan.scene.fate import Fate

# Neutral to the last digit: R = G = B wherever a picture may stand near.
BOOTH = QColor(150, 150, 150)  # L* 62, round pictures and networks
PANEL = QColor(196, 196, 196)  # L* 79
BRIGHT = QColor(220, 220, 220)  # strips and tables
SLIP = QColor(230, 230, 230)
SLIP_HEAD = QColor(211, 211, 211)
RULE = QColor(170, 170, 170)
STRONG_RULE = QColor(120, 120, 120)
INK = QColor(22, 22, 22)
SOFT = QColor(82, 82, 82)
ACCENT = QColor(12, 84, 92)
ACCENT_WASH = QColor(184, 205, 207)

INKS = {
    Fate.KEPT: INK,
    Fate.RECAST: QColor(38, 38, 38),
    Fate.FITTED: QColor(34, 60, 140),
    Fate.BAKED: QColor(106, 76, 4),
    Fate.ADDED: INK,
    Fate.LOST: QColor(142, 30, 24),
    Fate.HELD: QColor(98, 36, 116),
}
LEVEL_INKS = {0: QColor(142, 30, 24), 1: INK, 2: SOFT}
TITLE, BODY, SMALL = 15, 13, 12


@cache
def _family() -> str:
    """Asking for all families takes longer than drawing a cell, so it is done once."""
    return "Inter" if "Inter" in QFontDatabase.families() else "DejaVu Sans"


@cache
def font(size: int = BODY, bold: bool = False, mono: bool = False) -> QFont:
    """The interface's type at one of its three sizes (pixels), with figures of equal width. Not to be changed by who asks."""
    made = QFont("DejaVu Sans Mono" if mono else _family())
    made.setPixelSize(size)
    made.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def _css() -> str:
    name = {
        "booth": BOOTH.name(), "panel": PANEL.name(), "bright": BRIGHT.name(), "rule": RULE.name(), "ink": INK.name(),
        "soft": SOFT.name(), "accent": ACCENT.name(), "wash": ACCENT_WASH.name(), "slip": SLIP.name(),
        "strong": STRONG_RULE.name(),
    }  # fmt: skip
    text = """
    QWidget { color: %(ink)s; }
    QMainWindow, QDialog { background: %(panel)s; }
    QToolTip { background: %(slip)s; color: %(ink)s; border: 1px solid %(strong)s; padding: 6px; }
    QLabel[soft="true"] { color: %(soft)s; }
    QPushButton { background: %(slip)s; border: 1px solid %(strong)s; padding: 5px 12px; border-radius: 0; }
    QPushButton:hover { background: %(bright)s; border-color: %(ink)s; }
    QPushButton:focus { border: 2px solid %(accent)s; padding: 4px 11px; }
    QPushButton:disabled { color: %(rule)s; border-color: %(rule)s; }
    QPushButton[main="true"] { background: %(ink)s; color: %(slip)s; border-color: %(ink)s; padding: 9px 12px; }
    QPushButton[main="true"]:hover { background: #3a3a3a; }
    QPushButton[main="true"]:focus { border: 2px solid %(accent)s; padding: 8px 11px; }
    QPushButton[main="true"]:disabled { background: %(rule)s; border-color: %(rule)s; color: %(bright)s; }
    QPushButton[link="true"] { background: transparent; border: none; border-bottom: 1px solid %(strong)s; padding: 1px 0; text-align: left; }
    QPushButton[link="true"]:hover { border-bottom: 1px solid %(ink)s; }
    QPushButton[link="true"]:focus { border: none; border-bottom: 2px solid %(accent)s; }
    QComboBox { background: %(slip)s; border: 1px solid %(rule)s; padding: 4px 8px; border-radius: 0; }
    QComboBox:focus { border: 2px solid %(accent)s; padding: 3px 7px; }
    QComboBox QAbstractItemView { background: %(slip)s; selection-background-color: %(wash)s; selection-color: %(ink)s; outline: 0; }
    QLineEdit { background: %(slip)s; border: 1px solid %(rule)s; padding: 4px 8px; selection-background-color: %(accent)s; }
    QLineEdit:focus { border: 2px solid %(accent)s; padding: 3px 7px; }
    QAbstractSpinBox { background: %(slip)s; border: 1px solid %(rule)s; border-radius: 0; min-height: 26px; selection-background-color: %(accent)s; }
    QAbstractSpinBox:focus { border: 2px solid %(accent)s; }
    QAbstractSpinBox::up-button { subcontrol-origin: border; subcontrol-position: top right; width: 1px; border: none; }
    QAbstractSpinBox::down-button { subcontrol-origin: border; subcontrol-position: bottom right; width: 1px; border: none; }
    QAbstractSpinBox QLineEdit, QAbstractSpinBox QLineEdit:focus { border: none; background: transparent; padding: 0 6px; }
    QAbstractSpinBox:disabled { color: %(strong)s; }
    QSlider { min-height: 22px; }
    QSlider::groove:horizontal { height: 1px; background: %(ink)s; }
    QSlider::handle:horizontal { width: 9px; margin: -8px 0; background: %(ink)s; border-radius: 0; }
    QSlider::handle:horizontal:hover, QSlider::handle:horizontal:focus { background: %(accent)s; }
    QTreeView, QTableView, QListView { background: %(bright)s; border: none; outline: 0; selection-background-color: %(wash)s; selection-color: %(ink)s; alternate-background-color: %(bright)s; }
    QTreeView::item, QTableView::item { padding: 2px 6px; border-bottom: 1px solid #cdcdcd; }
    QTreeView::item:selected, QTableView::item:selected { background: %(wash)s; color: %(ink)s; }
    QHeaderView::section { background: %(bright)s; color: %(soft)s; border: none; border-bottom: 1px solid %(rule)s; padding: 3px 6px; }
    QScrollBar:vertical { background: transparent; width: 8px; margin: 0; } QScrollBar:horizontal { background: transparent; height: 8px; margin: 0; }
    QScrollBar::handle { background: #8c8c8c; min-height: 24px; min-width: 24px; margin: 0 2px; } QScrollBar::handle:hover { background: %(strong)s; }
    QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; } QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
    QScrollArea { border: none; background: transparent; }
    QProgressBar { background: %(rule)s; border: none; height: 3px; } QProgressBar::chunk { background: %(ink)s; }
    QMenuBar { background: %(bright)s; } QMenuBar::item { padding: 4px 10px; background: transparent; } QMenuBar::item:selected { background: %(wash)s; }
    QMenu { background: %(slip)s; border: 1px solid %(strong)s; } QMenu::item { padding: 5px 26px 5px 14px; } QMenu::item:selected { background: %(wash)s; } QMenu::item:disabled { color: %(rule)s; }
    QMenu::separator { height: 1px; background: %(rule)s; margin: 4px 0; }
    """
    return text % name


def dress(app: QApplication) -> None:
    """Give an application the booth's look."""
    app.setStyle("Fusion")
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, PANEL), (QPalette.ColorRole.Base, BRIGHT), (QPalette.ColorRole.AlternateBase, BRIGHT),
        (QPalette.ColorRole.Text, INK), (QPalette.ColorRole.WindowText, INK), (QPalette.ColorRole.Button, SLIP),
        (QPalette.ColorRole.ButtonText, INK), (QPalette.ColorRole.Highlight, ACCENT_WASH),
        (QPalette.ColorRole.HighlightedText, INK), (QPalette.ColorRole.PlaceholderText, SOFT),
    ):  # fmt: skip
        palette.setColor(role, colour)
    app.setPalette(palette)
    app.setFont(font())
    app.setStyleSheet(_css())
