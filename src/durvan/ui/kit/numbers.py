"""A box for a number with its unit."""

from __future__ import annotations

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QDoubleSpinBox


def number_box(name: str, bounds: tuple[float, float], decimals: int, step: float, unit: str) -> QDoubleSpinBox:
    """A box for a number with its unit."""
    box = QDoubleSpinBox()
    box.setLocale(QLocale.c())
    box.setRange(*bounds)
    box.setDecimals(decimals)
    box.setSingleStep(step)
    box.setSuffix(unit)
    box.setAccessibleName(name)
    box.setFixedWidth(104)
    box.lineEdit().setTextMargins(6, 0, 0, 0)
    return box
