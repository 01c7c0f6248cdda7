"""What a dialect's words look like: the form in which a pack's `looks.py` says it.

A look is written from the dialect's own definition and never from its mapping, so that a mistake in the mapping
shows up as drift. Surfaces are lobes over fields (`durvan.graph.expression`); lights, cameras and settings are
plain numbers in metres, degrees, nit, candela and lux.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import ModuleType
from typing import Protocol, cast

import numpy as np
from numpy.typing import NDArray

from durvan.errors import PackError
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lane
from durvan.optics.frame import EXPAND
from durvan.optics.lobes import layout
from durvan.optics.profile import Globe
from durvan.scene.baking import Bake
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.vocabulary import NodeType, Vocabulary

Array = NDArray[np.float64]
Numbers = Field | float
WHITE = (1.0, 1.0, 1.0)
LOWER = ("base", "under", "front")  # inputs by which a surface says what it lies on


@dataclass(eq=False)
class Lobe:
    """One lobe; what the numbers mean stands in `durvan.optics.lobes.layout`. `under` is the lobe right on top of it."""

    kind: int
    weight: Numbers = 1.0
    alpha: Numbers = 0.0
    alpha_across: Numbers | None = None
    turn: Numbers = 0.0
    facets: int = layout.GGX
    fresnel: int = layout.CONSTANT
    first: Numbers = 1.0
    second: Numbers = 1.0
    under: Lobe | None = None
    cover: int = layout.BARE
    amount: Numbers = 1.0
    absorb: Numbers = 1.0
    film: Numbers = 0.0
    film_index: Numbers = 1.4
    full: bool = False
    within: Numbers = 1.0


@dataclass
class Surface:
    """A surface at a point. `glow` in nit; `murk` and `reach` per metre and in metres; `relief` is ("normal", colour
    from −1 to 1, green up) or ("height", metres). `notes` are what the dialect would print of it. `glow_whole`: its glow lights as
    if nothing of it were cut out, and with `glow_bare` the camera too sees it so; `glow_front`: it shines to its front alone. `rounding` is a radius in metres by which edges look rounded, `looks_about` how far (in metres) the
    surroundings count for how open a place is (both as its nodes ask for them), `back` the look of its other side where that is another one,
    `moved` how far it is moved along its normal in metres, where the surface itself says so. `soft_relief`: what relief bends away
    from the eye is bent the other way, and steep relief is shadowed softly (Estevez et al. 2019), instead of staying as it was.
    """

    lobes: list[Lobe] = field(default_factory=list)
    opacity: Numbers = 1.0
    glow: Numbers = 0.0
    glow_lights: bool = True
    glow_whole: bool = False
    glow_bare: bool = False
    glow_front: bool = False
    murk: Numbers = 0.0
    relief: tuple[str, Field] | None = None
    reach: Numbers = 0.0
    deep: Numbers = 0.0
    notes: list[str] = field(default_factory=list)
    rounding: float = 0.0
    looks_about: float = 0.0
    back: Surface | None = None
    moved: Numbers = 0.0
    soft_relief: bool = False


@dataclass(frozen=True)
class Lists:
    """Which objects a light is about, as paths that stand for all below them: those that it lights, those that throw its
    shadows. None is everything; `not_…` are taken away again.
    """

    lit: tuple[str, ...] | None = None
    not_lit: tuple[str, ...] = ()
    bars: tuple[str, ...] | None = None
    not_bars: tuple[str, ...] = ()


@dataclass(frozen=True)
class Lamp:
    """A light in absolute units, in its own axes: it shines along −Z, a cylinder lies along X.

    `shape` is rect, disk, sphere, cylinder, point, far, dome or mesh. `radiance` is in nit per channel; of a point it is
    candela, of a far light lux. `size` is in metres: width and height, radius, or radius and length; of a far light the
    apparent diameter in degrees. `inner` and `outer` are half angles in degrees; between them it fades as `profile` says
    ("smooth" or "linear"). `decay` is what it weakens by with distance: 2, 1 or 0, equal to 2 at one metre.
    `lux` scales a dome so that its upper half puts as much on level ground; None leaves it alone. `total` says that its
    light is stated as a whole: where its prim is scaled, it is spread over more or less of a surface.

    A `profile_of` multiplies the radiance by direction (candela of a globe, so that 1 is the radiance itself); a
    `picture` on a rect does so by place. `start` is where another decay than the square begins, and past `reach` nothing
    comes, both in metres (0: no end). `seen` says whether the camera sees its body. `lists` say whom it lights and what
    throws its shadows. `towards` is where a far light stands in the sky, azimuth and elevation in degrees, when its own
    axes do not say it. A mesh is lit by the triangles of its prim, on the side that its normals point to.
    """

    shape: str
    radiance: tuple[float, float, float]
    size: tuple[float, float] = (0.0, 0.0)
    inner: float = 180.0
    outer: float = 180.0
    profile: str = "smooth"
    focus: float = 0.0
    decay: int = 2
    shadows: bool = True
    picture: ex.Lookup | None = None
    turn: float = 0.0
    lux: float | None = None
    own_axes: bool = True
    total: bool = False
    notes: tuple[str, ...] = ()
    profile_of: Globe | None = None
    start: float = 1.0
    reach: float = 0.0
    seen: bool = True
    lists: Lists = Lists()
    towards: tuple[float, float] | None = None


@dataclass(frozen=True)
class Fog:
    """An even medium about the scene: density per metre (of what is scattered and taken away), the part that is
    scattered, and the mean cosine of the angle by which.
    """

    density: float
    albedo: tuple[float, float, float] = WHITE
    forward: float = 0.0


@dataclass(frozen=True)
class View:
    """A camera: film and shift in millimetres, lengths in metres; `scale` turns luminance in nit into picture value. A film
    without a height is bound by its width.
    """

    film_width: float
    focal: float
    shift: tuple[float, float] = (0.0, 0.0)
    f_number: float = 0.0
    focus: float = 0.0
    near: float = 0.0
    far: float = 0.0
    scale: float = 1.0
    white: tuple[float, float, float] = WHITE
    notes: tuple[str, ...] = ()
    fog: Fog | None = None
    vignetting: float = 0.0  # how much of the fourth power of the cosine darkens the corners
    film_height: float = 0.0


@dataclass(frozen=True)
class Sampling:
    """How a picture is computed: samples a pixel, bounces, the largest value of a sample (0: none), the response, the width of
    a pixel over its height, how a film of another aspect fits the picture (see `optics.frame`), and its width and height in pixels (0: unsaid).
    """

    samples: int = 64
    bounces: int = 16
    clamp: float = 0.0
    indirect: bool = True
    response: str = ""
    notes: tuple[str, ...] = ()
    pixel_aspect: float = 1.0
    fits: str = EXPAND
    size: tuple[int, int] = (0, 0)


def in_pixels(size: Sequence[float], percent: float = 100.0) -> tuple[int, int]:
    """Width and height as a setting says them, of which a picture has so much; none where that is no size."""
    width, height = (round(part * percent / 100.0) if math.isfinite(part * percent) else 0 for part in size[:2])
    return (width, height) if min(width, height) > 0 else (0, 0)


@dataclass
class Facts:
    """What a look may know besides the values: the unit of the file in metres, how a path becomes a file, what a light
    profile measures, the mean luminance of a picture, and where a baked picture is once it is painted.
    """

    metres_per_unit: float = 0.01
    find: Callable[[str], str] = lambda path: path
    profile: Callable[[str], Globe | None] = lambda path: None
    mean: Callable[[str], float] = lambda path: 1.0
    paint: Callable[[Bake], str] = lambda bake: ""

    def with_bakes(self, bakes: Mapping[str, Bake]) -> Facts:
        """The same, where the paths of baked pictures lead to what is painted for them."""
        if not bakes:
            return self
        return replace(self, find=lambda path: self.paint(bakes[path]) if path in bakes else self.find(path))


class Inputs:
    """A node's inputs by name: as fields where they may vary, as plain values where they may not."""

    def __init__(
        self,
        node: Node,
        kind: NodeType,
        linked: Callable[[str], Field | None],
        facts: Facts,
        notes: list[str],
        surfaces: Callable[[str], Surface | None] = lambda _: None,
    ) -> None:
        self.node, self.kind, self.facts = node, kind, facts
        self._linked, self._notes, self._surfaces = linked, notes, surfaces
        self.looks_about = self.rounding = 0.0

    def with_words_of(self, below: NodeType) -> Inputs:
        """The same, where what this node's type does not have is that of another one."""
        parameters = {**below.parameters, **self.kind.parameters}
        kind = self.kind.model_copy(update={"parameters": parameters})
        return Inputs(self.node, kind, self._linked, self.facts, self._notes, self._surfaces)

    def surface(self, name: str) -> Surface | None:
        """The surface that feeds an input; None where none does."""
        return self._surfaces(name)

    def openness(self, reach: float) -> Field:
        """How open the surroundings of a place are, within so many metres: 1 for nothing in the way of anything."""
        self.looks_about = max(self.looks_about, reach)
        return ex.point("open")

    def round_edges(self, radius: float) -> None:
        """Have edges look rounded by a radius, in metres."""
        self.rounding = max(self.rounding, radius)

    def tell(self, what: str) -> None:
        """Say of the look what it does not show."""
        if what not in self._notes:
            self._notes.append(what)

    def linked(self, name: str) -> bool:
        """Whether a map or another node feeds it."""
        return name in self.node.links

    def raw(self, name: str) -> Value | None:
        """The value that was set, or the default."""
        if name in self.node.values:
            return self.node.values[name]
        return cast("Value | None", self.kind.parameters[name].default)

    def __call__(self, name: str) -> Field:
        """A number or colour as a field, held within the parameter's range, as wide as the parameter is."""
        parameter = self.kind.parameters[name]
        found = self._linked(name)
        if found is None:
            found = ex.field(self._numbers(name, self.raw(name)))
        if parameter.type in ("color", "vector3", "normal"):
            found = ex.colour(found)
        elif parameter.type in ("float", "int"):
            found = ex.grey(found)
        elif parameter.type == "vector2":  # whatever feeds it: a number stands for both
            found = ex.join(found[0], found[min(1, len(found) - 1)])
        if parameter.range is not None:
            found = ex.clamp(found, *parameter.range)
        return found

    def _still(self, name: str) -> Value | None:
        """What does not vary here; a map that does is told of."""
        found = self._linked(name) if name in self.node.links else None
        if found is None:
            return self.raw(name)
        if found.constant is not None:
            return found.constant
        self.tell(f"a map on {name.replace('_', ' ')} is not shown; its own value is")
        return self.raw(name)

    def number(self, name: str) -> float:
        """A number that does not vary."""
        value = self._still(name)
        if isinstance(value, tuple):
            value = sum(value) / len(value)
        if isinstance(value, str) or value is None:
            return 0.0
        low, high = self.kind.parameters[name].range or (-1e30, 1e30)
        return min(max(float(value), low), high)

    def numbers(self, name: str) -> tuple[float, ...]:
        """Several numbers that do not vary."""
        return self._numbers(name, self._still(name))

    def _numbers(self, name: str, value: Value | None) -> tuple[float, ...]:
        """A value as numbers; 0 for a text, which is told."""
        if isinstance(value, str) and value:
            self.tell(f"the {name.replace('_', ' ')} of {self.node.id} is no number that a look can use")
        if isinstance(value, tuple):
            return value
        return (float(value) if isinstance(value, bool | int | float) else 0.0,)

    def word(self, name: str) -> str:
        """A text that does not vary."""
        return str(self._still(name) or "")

    def flag(self, name: str) -> bool:
        """Yes or no, when it does not vary."""
        return bool(self._still(name))


class Looks(Protocol):
    """What a pack's `looks.py` has."""

    def surface(self, kind: str, get: Inputs) -> Surface:
        """The look of a surface node."""

    def node(self, kind: str, get: Inputs) -> dict[str, Field] | None:
        """The outputs of any other node, by name; None for one that is not known."""

    def light(self, kind: str, get: Inputs) -> Lamp | tuple[Lamp, ...] | None:
        """The look of a light; None when it gives none, several where one word stands for a sun and its sky."""

    def camera(self, kind: str, get: Inputs) -> View:
        """The look of a camera."""

    def settings(self, kind: str, get: Inputs) -> Sampling:
        """The look of render settings."""


def checked(module: ModuleType, pack: str) -> Looks:
    """A pack's looks module, when it has all that `Looks` asks for. Raises PackError."""
    wanted = ("surface", "node", "light", "camera", "settings")
    missing = [name for name in wanted if not callable(getattr(module, name, None))]
    if missing:
        raise PackError(f"looks.py has no function {', '.join(missing)}.", file=f"{pack}/looks.py")
    return cast(Looks, module)


class Tracer:
    """Works a network of one dialect out, node by node, each once. `outputs` are what nodes give, by node and name, `surfaces` the
    looks of those that are surfaces, but for the last one; both once the surface was asked for."""

    def __init__(
        self, graph: Graph, vocabulary: Vocabulary, looks: Looks, facts: Facts, turned: tuple[str, ...] = ()
    ) -> None:
        self.graph, self.vocabulary, self.looks, self.facts = graph, vocabulary, looks, facts
        self.turned = turned
        self.notes: list[str] = []
        self.looks_about = self.rounding = 0.0
        self.outputs: dict[str, dict[str, Field]] = {}
        self.surfaces: dict[str, Surface] = {}
        self._moved: Field | None = None
        self._closing: set[tuple[str, str]] = set()

    def _linked(self, node: Node) -> Callable[[str], Field | None]:
        def find(port: str) -> Field | None:
            link = node.links.get(port)
            if link is None or (node.id, port) in self._closing:
                return None
            outputs = self.outputs.get(link.node)
            if not outputs:
                return None
            first = next(iter(outputs.values()))
            found = outputs.get(link.output, first)
            return _green_round(found, first) if link.node in self.turned else found

        return find

    def inputs(self, node: Node) -> Inputs | None:
        """A node's inputs, or None for a node of no known type."""
        kind = self.vocabulary.types.get(node.kind)
        if kind is None:
            return None

        def surface(port: str) -> Surface | None:
            link = node.links.get(port)
            closes = (node.id, port) in self._closing
            return self.surfaces.get(link.node) if link is not None and not closes else None

        return Inputs(node, kind, self._linked(node), self.facts, self.notes, surface)

    def _surface_of(self, node: Node, get: Inputs) -> None:
        self.surfaces[node.id] = self.looks.surface(node.kind, get)

    def surface(self) -> Surface:
        """The look of the surface; a plain grey when the network has none that is known."""
        link = self.graph.outputs.get("surface")
        root = self.graph.nodes.get(link.node) if link else None
        sequence, closing = self.graph.order()
        self._closing = set(closing)
        needed = self.graph.reachable()
        if any(name in needed for name, _ in closing):
            self.notes.append("nodes feed themselves in a circle; it is cut")
        for name in sequence:
            node = self.graph.nodes[name]
            if node is root or name not in needed:
                continue
            get = self.inputs(node)
            if get is not None and get.kind.role == "surface":
                self._surface_of(node, get)
                continue
            outputs = self.looks.node(node.kind, get) if get is not None else None
            if outputs is None:
                self.notes.append(f"{name}: {node.written or node.kind} is not known; what it feeds has its own value")
                continue
            self.outputs[name] = outputs
            if get is not None:
                self.looks_about, self.rounding = (
                    max(self.looks_about, get.looks_about),
                    max(self.rounding, get.rounding),
                )
        get = self.inputs(root) if root is not None else None
        if root is None or get is None or get.kind.role != "surface":
            self.notes.append("no surface that is known; a plain grey is shown")
            return Surface([Lobe(layout.DIFFUSE, 0.18)], notes=self.notes)
        made = self.looks.surface(root.kind, get)
        made.notes = list(dict.fromkeys((*self.notes, *made.notes)))
        made.looks_about, made.rounding = self.looks_about, self.rounding
        lowest = self._lowest(root)
        moved = ex.field(lowest.moved if lowest is not None else made.moved)
        self._moved = None if moved.is_always(0.0) else moved
        return made

    def _lowest(self, node: Node) -> Surface | None:
        """The surface that everything else lies on, where it is another one than the node's: that one says how far it is moved."""
        seen: set[str] = set()
        found = None
        while node.id not in seen:
            seen.add(node.id)
            onward = next((node.links[name] for name in LOWER if name in node.links), None)
            if onward is None or onward.node not in self.surfaces:
                break
            node, found = self.graph.nodes[onward.node], self.surfaces[onward.node]
        return found

    def field(self, link: Link) -> Field | None:
        """What a link gives; None where it comes from nothing that is known."""
        sequence, closing = self.graph.order()
        self._closing = set(closing)
        needed = Graph(self.graph.nodes, {"": link}).reachable()
        for name in sequence:
            node = self.graph.nodes[name]
            get = self.inputs(node) if name in needed else None
            outputs = self.looks.node(node.kind, get) if get is not None else None
            if outputs is not None:
                self.outputs[name] = outputs
        found = self.outputs.get(link.node)
        return found.get(link.output, next(iter(found.values()))) if found else None

    def displacement(self) -> Field | None:
        """How far the surface is moved along its normal, in metres; to be asked after the surface. None where it stays."""
        link = self.graph.outputs.get("displacement")
        found = self.outputs.get(link.node) if link is not None else None
        if link is None or not found:
            return self._moved
        moved = ex.grey(found.get(link.output, next(iter(found.values()))))
        return None if moved.is_always(0.0) else moved


def _green_round(found: Field, colour: Field) -> Field:
    """A picture's output with its green turned round; `colour` is what it gives as a whole."""
    if len(found) >= 3:
        return ex.join(found[0], 1.0 - found[1], *(found[n] for n in range(2, len(found))))
    is_green = len(colour) >= 3 and len(found) == 1 and found.lanes[0] is colour.lanes[1]
    return 1.0 - found if is_green else found


def _lanes(numbers: Numbers, width: int) -> tuple[Lane, ...]:
    lanes = ex.field(numbers).lanes
    return lanes if len(lanes) == width else (lanes[0],) * width


@dataclass
class Record:
    """A surface as the renderer takes it: the record where nothing varies, and the lanes of what does.

    `base` [RECORD]; `lanes` by place in the record; `relief` 0, 1 or 2 as the layout says. `moved` is how far the surface is moved
    along its normal, in metres; the rest is as that of a `Surface`.
    """

    base: Array
    lanes: dict[int, Lane]
    glow_lights: bool
    notes: list[str]
    glow_whole: bool = False
    looks_about: float = 0.0
    back: Record | None = None
    moved: Lane | None = None
    glow_bare: bool = False
    glow_front: bool = False

    @property
    def varies(self) -> bool:
        """Whether anything differs from point to point."""
        return bool(self.lanes)


def record(surface: Surface) -> Record:
    """Put a surface into the layout. Lobes of no weight are left out; more than `MOST` are cut, and said."""
    lobes = [lobe for lobe in surface.lobes if not ex.field(lobe.weight).is_always(0.0)]
    # always in the order of their kinds, so that looks that are alike are sampled alike in every dialect
    lobes.sort(key=lambda lobe: lobe.kind)
    notes = list(surface.notes)
    if len(lobes) > layout.MOST:
        notes.append(f"{len(lobes)} lobes; the renderer takes {layout.MOST}, and the weakest are left out")
        strongest = sorted(lobes, key=lambda lobe: -_strength(lobe))[: layout.MOST]
        lobes = [lobe for lobe in lobes if lobe in strongest]
    base = np.zeros(layout.RECORD)
    lanes: dict[int, Lane] = {}

    def put(place: int, numbers: Numbers, width: int = 1, otherwise: float = 0.0) -> None:
        for offset, lane in enumerate(_lanes(numbers, width)):
            if lane.value is None:
                lanes[place + offset] = lane
                base[place + offset] = otherwise
            else:
                base[place + offset] = ex.finite(lane.value, otherwise)

    base[layout.COUNT] = len(lobes)
    base[layout.INSIDE] = float(any(lobe.kind == layout.REFRACT for lobe in lobes))
    put(layout.OPACITY, surface.opacity, 1, 1.0)
    put(layout.GLOW, surface.glow, 3)
    put(layout.MURK, surface.murk, 3)
    put(layout.REACH, surface.reach, 3)
    put(layout.DEEP, surface.deep, 3)
    put(layout.ROUND, surface.rounding)
    if surface.relief is not None:
        how, what = surface.relief
        base[layout.RELIEF] = (layout.BY_NORMAL if how == "normal" else layout.BY_HEIGHT)[surface.soft_relief]
        put(layout.NORMAL if how == "normal" else layout.HEIGHT, what, 3 if how == "normal" else 1)
    for number, lobe in enumerate(lobes):
        _put_lobe(base, put, layout.HEADER + number * layout.LOBE, lobe, lobes)
    # a side has no other side of its own: which one is met says which look counts
    back = record(replace(surface.back, back=None)) if surface.back is not None else None
    notes += [f"its back: {note}" for note in (back.notes if back is not None else ()) if note not in notes]
    return Record(
        base, lanes, surface.glow_lights, notes, surface.glow_whole, surface.looks_about, back,
        glow_bare=surface.glow_bare, glow_front=surface.glow_front,
    )  # fmt: skip


def _strength(lobe: Lobe) -> float:
    """How much a lobe counts; one that varies counts as half of what it may come to."""
    values = [0.5 if lane.value is None else lane.value for lane in ex.field(lobe.weight).lanes]
    return sum(values) / len(values)


def _put_lobe(base: Array, put: Callable[..., None], b: int, lobe: Lobe, lobes: list[Lobe]) -> None:
    base[b + layout.KIND] = lobe.kind
    put(b + layout.WEIGHT, lobe.weight, 3)
    put(b + layout.ALPHA_X, lobe.alpha)
    put(b + layout.ALPHA_Y, lobe.alpha if lobe.alpha_across is None else lobe.alpha_across)
    put(b + layout.TURN, lobe.turn)
    base[b + layout.FACETS] = lobe.facets
    base[b + layout.FRESNEL] = lobe.fresnel
    put(b + layout.FIRST, lobe.first, 3)
    put(b + layout.SECOND, lobe.second, 3)
    over = lobe.under
    while over is not None and over not in lobes:  # one that was left out lets the next one through
        over = over.under
    base[b + layout.PARENT] = float(lobes.index(over)) if over is not None else -1.0
    base[b + layout.COVER] = lobe.cover
    put(b + layout.AMOUNT, lobe.amount)
    put(b + layout.ABSORB, lobe.absorb, 3, 1.0)
    put(b + layout.FILM, lobe.film)
    put(b + layout.FILM_INDEX, lobe.film_index, 1, 1.4)
    base[b + layout.FULL] = float(lobe.full)
    put(b + layout.WITHIN, lobe.within, 1, 1.0)


def resolve(made: Record, points: dict[str, Array], pixels: ex.Pixels) -> Array:
    """The record at each of n points, [n, RECORD]: the reference for what the renderer works out by itself."""
    count = len(next(iter(points.values()))) if points else 1
    out = np.tile(made.base, (count, 1))
    places = list(made.lanes)
    values = ex.evaluate([Field([made.lanes[place]]) for place in places], points, pixels)
    for place, value in zip(places, values, strict=True):
        out[:, place] = np.where(np.abs(value[:, 0]) < layout.BEYOND, value[:, 0], made.base[place])
    return out


def trace(graph: Graph, vocabulary: Vocabulary, looks: Looks, facts: Facts, turned: tuple[str, ...] = ()) -> Record:
    """A material's network as a record; `turned` are nodes of pictures whose green is turned round."""
    tracer = Tracer(graph, vocabulary, looks, facts, turned)
    made = record(tracer.surface())
    moved = tracer.displacement()
    made.moved = moved.lanes[0] if moved is not None else None
    made.notes = list(dict.fromkeys((*made.notes, *tracer.notes)))
    return made


def each(graph: Graph, vocabulary: Vocabulary, looks: Looks, facts: Facts) -> Iterator[tuple[str, Inputs]]:
    """The nodes of a light: one, or those that one became; each with its type and inputs, where it is known."""
    for link in graph.outputs.values():
        node = graph.nodes.get(link.node)
        get = Tracer(graph, vocabulary, looks, facts).inputs(node) if node is not None else None
        if node is not None and get is not None:
            yield node.kind, get


def single(graph: Graph, vocabulary: Vocabulary, looks: Looks, facts: Facts) -> tuple[str, Inputs] | None:
    """The only node of a light, a camera or settings: its type and inputs, or None when it has none that is known."""
    return next(each(graph, vocabulary, looks, facts), None)
