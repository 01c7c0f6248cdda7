"""Where the slips of one page stand: in columns outward from the surface, in an order in which their links cross as little as
can be, each near what it feeds.

Pure geometry of boxes and links, in points; nothing here knows what is drawn in a box. Links go outward from the port of a
consumer to the inlet of what feeds it. The order is found as for any layered drawing (K. Sugiyama, S. Tagawa, M. Toda, Methods
for Visual Understanding of Hierarchical System Structures, 1981): links over several columns pass each by a place of their
own, columns are put in order by the means of their neighbours, to and fro, and then neighbours change places while that
helps. Of a tree nothing crosses.
"""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

GAP, LANE = 14.0, 8.0  # between slips of a column, and what a passing link takes
STRAIGHT = 1e-6  # what a link may be off a straight one
STACKED = 6  # slips that stand below each other as one chain
_SWEEPS, _EXCHANGES, _MANY = 12, 6, 6000
_SETTLES = 4


@dataclass(frozen=True, slots=True)
class Box:
    """Something to be placed: its height, where its inlet is below its top, and its ports from top to bottom, each with
    how far below its top it is and what feeds it."""

    height: float
    inlet: float
    ports: tuple[tuple[float, str], ...] = ()


@dataclass(eq=False, slots=True)
class Item:
    """What has a place in a column: a stack of boxes, or a place by which a link passes."""

    names: tuple[str, ...]
    height: float
    inlet: float
    ports: list[tuple[float, Item]] = field(default_factory=list)
    feeds: list[Item] = field(default_factory=list)
    column: int = 0
    rank: int = 0
    y: float = 0.0

    @property
    def gap(self) -> float:
        """What it keeps free below itself."""
        return GAP if self.names else 0.0


@dataclass(frozen=True, slots=True)
class Run:
    """A piece of a link between two columns: from a port to an inlet, with its track between them (0 is the nearest)."""

    column: int
    start: float
    end: float
    track: int


@dataclass(slots=True)
class Arranged:
    """Columns of boxes by name with their tops, links as runs from consumer to feeder by (consumer, place of its port), how many
    tracks lie outward of each column, and how many pairs of runs cross."""

    column: dict[str, int] = field(default_factory=dict)
    top: dict[str, float] = field(default_factory=dict)
    runs: dict[tuple[str, int], list[Run]] = field(default_factory=dict)
    tracks: list[int] = field(default_factory=list)
    crossings: int = 0


def arrange(boxes: Mapping[str, Box], roots: Sequence[str], top: float = 0.0) -> Arranged:
    """Arrange what the roots reach. There must be no circle; a port whose feeder has no box counts for nothing."""
    boxes = {name: boxes[name] for name in _sequence(boxes, roots)}
    stacks = _stacks(boxes, roots)
    items = _items(boxes, stacks)
    columns, ways = _columns(boxes, items, roots)
    crossings = _order(columns)
    _settle(columns, top)
    out = Arranged(crossings=crossings)
    for name, item in items.items():
        place = item.y
        for one in item.names:
            if one == name:
                out.column[name], out.top[name] = item.column, place
            place += boxes[one].height + GAP
    _route(columns, ways, out)
    return out


# stacks and columns


def _consumers(boxes: Mapping[str, Box], roots: Sequence[str]) -> dict[str, int]:
    """How many ports each box feeds; a root counts as one more."""
    counts = dict.fromkeys(boxes, 0)
    for name in roots:
        counts[name] += 1
    for box in boxes.values():
        for _, feeder in box.ports:
            if feeder in counts:
                counts[feeder] += 1
    return counts


def _stacks(boxes: Mapping[str, Box], roots: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """Chains that stand as one stack, by their first: each of them but the last is fed by the next one alone, which feeds nothing
    else."""
    counts, below = _consumers(boxes, roots), {}
    for name, box in boxes.items():
        feeders = [feeder for _, feeder in box.ports if feeder in boxes]
        if name not in roots and len(feeders) == 1 and counts[feeders[0]] == 1:
            below[name] = feeders[0]
    inner = set(below.values())
    out: dict[str, tuple[str, ...]] = {}
    for name in boxes:
        if name in inner:
            continue
        chain = [name]
        while chain[-1] in below:
            chain.append(below[chain[-1]])
        for first in range(0, len(chain), STACKED):
            out[chain[first]] = tuple(chain[first : first + STACKED])
    return out


def _items(boxes: Mapping[str, Box], stacks: Mapping[str, tuple[str, ...]]) -> dict[str, Item]:
    """The item that each box stands in."""
    out: dict[str, Item] = {}
    for names in stacks.values():
        height = sum(boxes[name].height for name in names) + GAP * (len(names) - 1)
        item = Item(names, height, boxes[names[0]].inlet)
        out.update(dict.fromkeys(names, item))
    return out


def _sequence(boxes: Mapping[str, Box], roots: Sequence[str]) -> list[str]:
    """Every box that is reached, before all that feed it."""
    done: set[str] = set()
    out: list[str] = []
    for root in roots:
        stack = [(root, iter(boxes[root].ports))] if root not in done else []
        done.add(root)
        while stack:
            name, ports = stack[-1]
            for _, feeder in ports:
                if feeder in boxes and feeder not in done:
                    done.add(feeder)
                    stack.append((feeder, iter(boxes[feeder].ports)))
                    break
            else:
                out.append(name)
                stack.pop()
    return out[::-1]


def _columns(
    boxes: Mapping[str, Box], items: Mapping[str, Item], roots: Sequence[str]
) -> tuple[list[list[Item]], dict[tuple[str, int], list[tuple[Item, int]]]]:  # fmt: skip
    """Items by column in the order in which they are come to, and each link's way: the item and the place of its port there, from
    column to column."""
    for name in _sequence(boxes, roots):
        own = items[name]
        for _, feeder in boxes[name].ports:
            if feeder in items and items[feeder] is not own:
                items[feeder].column = max(items[feeder].column, own.column + 1)
    columns: list[list[Item]] = [[] for _ in range(max((item.column for item in items.values()), default=0) + 1)]
    ways: dict[tuple[str, int], list[tuple[Item, int]]] = {}
    seen: set[int] = set()
    waiting = [items[name] for name in reversed(list(dict.fromkeys(roots)))]
    while waiting:
        item = waiting.pop()
        if id(item) in seen:
            continue
        seen.add(id(item))
        columns[item.column].append(item)
        onward = _link_up(item, boxes, items, columns, ways)
        waiting.extend(reversed(onward))
    return columns, ways


def _link_up(
    item: Item, boxes: Mapping[str, Box], items: Mapping[str, Item], columns: list[list[Item]],
    ways: dict[tuple[str, int], list[tuple[Item, int]]],
) -> list[Item]:  # fmt: skip
    """Link an item to what feeds it, by way of a place in each column between; gives what feeds it."""
    onward: list[Item] = []
    offset = 0.0
    for name in item.names:
        for number, (below, feeder) in enumerate(boxes[name].ports):
            other = items.get(feeder)
            if other is None or other is item:
                continue
            at, place, way = item, offset + below, []
            for column in range(item.column + 1, other.column):
                passing = Item((), LANE, LANE / 2.0, column=column)
                columns[column].append(passing)
                way.append((at, _join(at, place, passing)))
                at, place = passing, LANE / 2.0
            way.append((at, _join(at, place, other)))
            ways[name, number] = way
            onward.append(other)
        offset += boxes[name].height + GAP
    return onward


def _join(consumer: Item, below: float, feeder: Item) -> int:
    consumer.ports.append((below, feeder))
    feeder.feeds.append(consumer)
    return len(consumer.ports) - 1


# their order


def _rank(column: list[Item]) -> None:
    for rank, item in enumerate(column):
        item.rank = rank


def _crossings(column: Sequence[Item]) -> int:
    """How many of the links outward of a column cross."""
    ends: list[int] = []
    out = 0
    for item in column:
        for _, feeder in item.ports:
            out += len(ends) - bisect_right(ends, feeder.rank)
            insort(ends, feeder.rank)
    return out


def _order(columns: list[list[Item]]) -> int:
    """Put columns in an order in which little crosses; gives how much does."""
    for column in columns:
        _rank(column)
    best = sum(map(_crossings, columns))
    kept = [list(column) for column in columns]
    size = sum(map(len, columns))
    for sweep in range(_SWEEPS if size <= _MANY else 2):
        if not best:
            break
        outward = sweep % 2 == 0
        for number in range(1, len(columns)) if outward else range(len(columns) - 2, 0, -1):
            _by_means(columns[number], outward, median=sweep % 4 >= 2)
        if size <= _MANY:
            _exchange(columns)
        now = sum(map(_crossings, columns))
        if now < best:
            best, kept = now, [list(column) for column in columns]
    for column, order in zip(columns, kept, strict=True):
        column[:] = order
        _rank(column)
    return best


def _port_ranks(item: Item, feeder: Item) -> list[float]:
    """Where in its column the ports of an item stand that one thing feeds."""
    many = len(item.ports)
    return [item.rank + (k + 1) / (many + 1) for k, (_, other) in enumerate(item.ports) if other is feeder]


def _by_means(column: list[Item], outward: bool, median: bool) -> None:
    """Put a column in the order of the means (or medians) of its neighbours' places; what has none keeps its place."""
    keys: dict[int, float] = {}
    for item in column:
        near = (
            [rank for other in dict.fromkeys(item.feeds) for rank in _port_ranks(other, item)]
            if outward
            else [float(feeder.rank) for _, feeder in item.ports]
        )
        if near:
            near.sort()
            keys[id(item)] = near[len(near) // 2] if median else sum(near) / len(near)
    moving = sorted((item for item in column if id(item) in keys), key=lambda item: keys[id(item)])
    fresh = iter(moving)
    column[:] = [next(fresh) if id(item) in keys else item for item in column]
    _rank(column)


def _between(upper: Item, lower: Item) -> tuple[int, int]:
    """How many links of two neighbours cross as they stand, and the other way round."""
    now = other = 0
    for one in upper.ports:
        for two in lower.ports:
            a, b = one[1].rank, two[1].rank
            now += a > b
            other += b > a
    ones = [rank for consumer in dict.fromkeys(upper.feeds) for rank in _port_ranks(consumer, upper)]
    twos = [rank for consumer in dict.fromkeys(lower.feeds) for rank in _port_ranks(consumer, lower)]
    for a_rank in ones:
        for b_rank in twos:
            now += a_rank > b_rank
            other += b_rank > a_rank
    return now, other


def _exchange(columns: list[list[Item]]) -> None:
    """Let neighbours change places while fewer links cross for it."""
    for _ in range(_EXCHANGES):
        better = False
        for column in columns[1:]:
            for place in range(len(column) - 1):
                now, other = _between(column[place], column[place + 1])
                if other < now:
                    column[place], column[place + 1] = column[place + 1], column[place]
                    column[place].rank, column[place + 1].rank = place, place + 1
                    better = True
        if not better:
            return


# their heights


def _settle(columns: list[list[Item]], top: float) -> None:
    """Give every item a height near what it is linked with, none above the top."""
    for column in columns:
        y = top
        for item in column:
            item.y = y
            y += item.height + item.gap
    for number in range(_SETTLES):
        inward = number % 2 == 1
        for column in columns[-1:0:-1] if inward else columns[1:]:
            _spread(column, [_wish(item, inward and number < _SETTLES - 1) for item in column], top)


def _wish(item: Item, both: bool) -> float:
    """Where an item would like to stand: level with what it feeds, and (or) with what feeds it."""
    wishes = [
        consumer.y + below - item.inlet
        for consumer in dict.fromkeys(item.feeds)
        for below, feeder in consumer.ports
        if feeder is item
    ]
    if both or not wishes:
        wishes += [feeder.y + feeder.inlet - below for below, feeder in item.ports]
    return sum(wishes) / len(wishes) if wishes else item.y


def _spread(column: list[Item], wishes: list[float], top: float) -> None:
    """Heights as near to the wishes as can be (least squares) where all keep their order and their gaps."""
    blocks: list[list[float]] = []  # sum of wishes, how many, mean
    before, passed = [], 0.0
    for item in column:
        before.append(passed)
        passed += item.height + item.gap
    for wish, past in zip(wishes, before, strict=True):
        blocks.append([wish - past, 1.0])
        while len(blocks) > 1 and blocks[-2][0] / blocks[-2][1] >= blocks[-1][0] / blocks[-1][1]:
            last = blocks.pop()
            blocks[-1][0] += last[0]
            blocks[-1][1] += last[1]
    place = 0
    for total, many in blocks:
        level = max(total / many, top)
        for _ in range(int(many)):
            column[place].y = level + before[place]
            place += 1


# their links


def _route(
    columns: list[list[Item]], ways: Mapping[tuple[str, int], list[tuple[Item, int]]], out: Arranged
) -> None:  # fmt: skip
    """Give every piece of a link a track between its columns, so that only those cross that have to."""
    track: dict[tuple[int, int], int] = {}
    for column in columns:
        out.tracks.append(_tracks(column, track))
    for link, way in ways.items():
        runs = []
        for item, port in way:
            below, feeder = item.ports[port]
            start, end = item.y + below, feeder.y + feeder.inlet
            runs.append(Run(item.column, start, end, track[id(item), port]))
        out.runs[link] = runs


def _tracks(column: list[Item], track: dict[tuple[int, int], int]) -> int:
    """Tracks outward of a column. All that goes to one inlet shares one. What goes down has to turn off before what goes down above
    it, what goes up before what goes up below it; what comes to an inlet from both sides before either."""
    nets: dict[int, list[tuple[int, int, float]]] = {}
    ends: dict[int, float] = {}
    for item in column:
        for port, (below, feeder) in enumerate(item.ports):
            nets.setdefault(id(feeder), []).append((id(item), port, item.y + below))
            ends[id(feeder)] = feeder.y + feeder.inlet
    turns: list[tuple[int, float, float, float, int]] = []
    for net, parts in nets.items():
        starts, end = [start for _, _, start in parts], ends[net]
        low, high = min(*starts, end), max(*starts, end)
        if high - low < STRAIGHT:
            kind, key = 0, low
        elif low < end < high:
            kind, key = 1, low
        else:
            kind, key = (2, -min(starts)) if end == high else (3, min(starts))
        turns.append((kind, key, low, high, net))
    taken: list[tuple[float, float, int]] = []
    most = 0
    for kind, _, low, high, net in sorted(turns):
        number = 0
        if kind:
            number = 1 + max((t for a, b, t in taken if a <= high + 2.0 and b >= low - 2.0), default=-1)
            taken.append((low, high, number))
            most = max(most, number + 1)
        for place, port, _ in nets[net]:
            track[place, port] = number
    return most
