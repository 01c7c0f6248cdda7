"""What a station is to the window: an entry of the table, and what its view may have."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from PySide6.QtWidgets import QVBoxLayout, QWidget

from durvan.scene.model import Thing
from durvan.ui.followers.looks import Looks
from durvan.ui.followers.outside import Outside
from durvan.ui.followers.proving import Proofs
from durvan.ui.shared.state import Selection, State


@dataclass(frozen=True)
class Bench:
    """What a station works with: what all views share, what follows the crossing, and the action to carry or stop."""

    state: State
    looks: Looks
    outside: Outside
    proofs: Proofs
    carry: Callable[[], None]


class Action(NamedTuple):
    """An entry that a station puts into a menu."""

    menu: str
    text: str
    keys: str
    do: Callable[[], object]


class View(QWidget):
    """A station's view. What it does not say is as here."""

    def arrive(self) -> None:
        """The station was gone to: the keyboard is its own now."""

    def menu_entries(self) -> list[Action]:
        """What it adds to the menus."""
        return []

    def take_folder(self, folder: Path) -> bool:
        """A folder was dropped on the window; whether that is something for this station."""
        del folder
        return False


class Explained:
    """What a station puts into Evidence for a selection of its own kind."""

    def about(self, selection: Selection) -> bool:
        """Whether it explains such a selection."""
        raise NotImplementedError

    def fill(self, down: QVBoxLayout, selection: Selection) -> None:
        """Put it into a column."""
        raise NotImplementedError

    def more(self, down: QVBoxLayout, thing: Thing) -> None:
        """Add to what is said of a thing that nobody else explains."""


@dataclass(frozen=True)
class Station:
    """One entry: its name, its view, and what it explains of its own selections, if anything."""

    name: str
    make: Callable[[Bench], View]
    explain: Callable[[Bench], Explained] | None = None
