"""What wears a material, counted at once and told when it is first asked for: most of it never is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple, overload


class Wearer(NamedTuple):
    """What wears a material: its path, by what word it says so, and whether another file may say otherwise."""

    path: str
    by: str
    free: bool = True


class Wearers(Sequence[Wearer]):
    """`count` of them, which `tell` makes, in their order, once."""

    def __init__(self, count: int, tell: Callable[[], Iterable[Wearer]]) -> None:
        self._count = count
        self._tell: Callable[[], Iterable[Wearer]] | None = tell
        self._told: tuple[Wearer, ...] = ()

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, index: int) -> Wearer: ...

    @overload
    def __getitem__(self, index: slice) -> Sequence[Wearer]: ...

    def __getitem__(self, index: int | slice) -> Wearer | Sequence[Wearer]:
        return self._all()[index]

    def __reduce__(self) -> tuple[type[tuple[Wearer, ...]], tuple[tuple[Wearer, ...]]]:
        """For another process they are told."""
        return tuple, (self._all(),)

    def _all(self) -> tuple[Wearer, ...]:
        if self._tell is not None:
            self._told, self._tell = tuple(self._tell()), None
        return self._told
