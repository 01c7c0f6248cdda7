"""A box for a number with its unit."""

from __future__ import annotations

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QDoubleSpinBox


class _Short(QDoubleSpinBox):
    """A box that writes no zeros at the end."""

    def textFromValue(self, value: float) -> str:
        text = f"{value:.{self.decimals()}f}"
        return text.rstrip("0").rstrip(".") if "." in text else text


def number_box(
    name: str, bounds: tuple[float, float], decimals: int, step: float, unit: str, short: bool = False
) -> QDoubleSpinBox:  # fmt: skip
    """A box for a number with its unit; a `short` one writes no zeros at the end."""
    box = _Short() if short else QDoubleSpinBox()
    box.setLocale(QLocale.c())
    box.setRange(*bounds)
    box.setDecimals(decimals)
    box.setSingleStep(step)
    box.setSuffix(unit)
    box.setAccessibleName(name)
    box.setFixedWidth(104)
    box.lineEdit().setTextMargins(6, 0, 0, 0)
    return box
