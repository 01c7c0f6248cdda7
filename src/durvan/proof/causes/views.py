"""Whether both cameras see the same things, by the ids of what they see."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.proof.causes.cells import Cells, ids_in_blocks, means
from durvan.proof.picture import Ids, Picture

_PURE = 0.9  # of a block that shows one thing
_MOST = 3.0  # stops that a place may be apart
_SOME = 0.01  # of the picture, from which it is another view


@dataclass(frozen=True)
class Instead:
    """Blocks that show something else [n], and what most of them show: on the source's side and on the target's ("" for nothing)."""

    where: NDArray[np.bool_]
    source: str
    target: str
    side: int
    good: NDArray[np.bool_]  # which blocks of the picture are asked about

    def apart(self, source: Picture, target: Picture, floor: float) -> float:
        """The mean square of how far the places that show something else are apart, in stops, over the whole picture."""
        one, two = (means(picture.rgb, self.side)[0].reshape(-1, 3)[self.good] for picture in (source, target))
        stops = np.log2((np.maximum(one, 0.0) + floor) / (np.maximum(two, 0.0) + floor))
        return float((np.clip(stops, -_MOST, _MOST)[self.where] ** 2).sum() / max(stops.size, 1))

    def mask(self, size: tuple[int, int]) -> NDArray[np.bool_]:
        """The same by pixels of a picture [height, width]."""
        width, height = size
        rows, columns = height // self.side, width // self.side
        blocks = np.zeros(rows * columns, dtype=np.bool_)
        blocks[self.good] = self.where
        out = np.zeros((height, width), dtype=np.bool_)
        inner = blocks.reshape(rows, columns).repeat(self.side, axis=0).repeat(self.side, axis=1)
        out[: inner.shape[0], : inner.shape[1]] = inner
        return out

    @property
    def share(self) -> float:
        """Of the picture."""
        return float(self.where.mean())


def seen_instead(source: Picture, target: Picture, cells: Cells) -> Instead | None:
    """Where two pictures show other things, by objects where both know them, else by materials; None where they do not."""
    for one, two in ((source.objects, target.objects), (source.materials, target.materials)):
        if one is not None and two is not None:
            return _between(one, two, cells)
    return None


def _between(one: Ids, two: Ids, cells: Cells) -> Instead | None:
    names = {name: number for number, name in enumerate(dict.fromkeys([*one.names, *two.names]))}
    blocks = []
    for ids in (one, two):
        table = np.array([*(names[name] for name in ids.names), -1], dtype=np.int32)
        number, purity = ids_in_blocks(Ids(table[ids.numbers], tuple(names)), cells.side, cells.shape)
        blocks.append((number.reshape(-1)[cells.good], purity.reshape(-1)[cells.good]))
    (first, pure), (second, also) = blocks
    where = (first != second) & (pure > _PURE) & (also > _PURE)
    if not where.size or where.mean() < _SOME:
        return None
    shown = list(names)
    most = Counter(zip(first[where].tolist(), second[where].tolist(), strict=True)).most_common(1)[0][0]
    names_shown = [shown[number] if number >= 0 else "" for number in most]
    return Instead(where, names_shown[0], names_shown[1], cells.side, cells.good)
