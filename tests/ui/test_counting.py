"""The interpreter's own objects are counted rightly by Qt's binding; a version that does not aborts after a while."""

from __future__ import annotations

import sys

from PySide6.QtCore import QAbstractTableModel, QIdentityProxyModel, QModelIndex, QObject, Signal


class Empty(QAbstractTableModel):
    def rowCount(self, parent=QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 1

    def columnCount(self, parent=QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 1

    def data(self, index, role=0):
        return None


class Speaker(QObject):
    said = Signal(object)


def test_none_and_true_are_not_given_away(qtbot) -> None:
    model, through = Empty(), QIdentityProxyModel()
    through.setSourceModel(model)
    speaker = Speaker()
    heard = []
    speaker.said.connect(heard.append)
    through.data(through.index(0, 0), 5)
    none, true = sys.getrefcount(None), sys.getrefcount(True)
    for _ in range(500):
        through.data(through.index(0, 0), 5)
        speaker.said.emit(1)
    assert sys.getrefcount(None) > none - 250 and sys.getrefcount(True) > true - 250
    assert len(heard) == 500
