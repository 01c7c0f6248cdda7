"""What MaterialX's nodes give, from the standard library's own definitions (MaterialX 1.39), and the surfaces that its packs share."""

from __future__ import annotations

import math
import operator
from collections.abc import Callable

from durvan.dialects import layers
from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared import preview_looks
from durvan.dialects.shared.looks import height, hsv_adjusted, laid, outputs, turned, uvs
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics.lobes import layout

NAMES = ("out", "outr", "outg", "outb", "outa", "outgrey")
FIRST_UVS, FIRST_COLOURS = "st", "displayColor"  # what the first set of each is called in USD


def surface(kind: str, get: Inputs) -> Surface:
    """Layers of surfaces, and one that only glows; of any other that is not a pack's own, a plain grey, which is said."""
    if kind.endswith(".layer"):
        below, top = get.surface("under") or Surface(), get.surface("top") or Surface()
        return layers.over(below, top, get("amount"))
    if kind.endswith(".two_sided"):
        return layers.two_sided(get.surface("front"), get.surface("back"))
    if kind.endswith(".surface_unlit"):
        return Surface([], opacity=get("opacity"), glow=get("emission") * get("emission_color"))
    if ".ND_convert_" in kind:  # numbers put where a surface belongs shine by themselves
        return Surface([], glow=_wide(get, "in"))
    get.tell(f"MaterialX's {kind.partition('.')[2]} has no look of its own; a plain grey is shown")
    return Surface([Lobe(layout.DIFFUSE, 0.18)])


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """The nodes that the common ground has a word for, or that are read as some of those."""
    category = kind.partition(".")[2]
    for table in (_ARITHMETIC, _CHANGED):
        if category in table:
            return _given(table[category](get))
    if category in _OTHERS:
        return _OTHERS[category](get)
    return None


def _given(found: Field) -> dict[str, Field]:
    """The outputs of what is a number, a place or a colour."""
    if len(found) != 2:
        return outputs(found, NAMES)
    return {"out": found, "outr": found[0], "outg": found[1], "outgrey": ex.grey(found)}


def _wide(get: Inputs, name: str) -> Field:
    """What goes into a port of any type: a colour's first three, a place's two; a number counts for all of them."""
    found = get(name)
    return ex.join(found[0], found[1], found[2]) if len(found) > 3 else found


def _pair(get: Inputs, first: str = "in1", second: str = "in2") -> tuple[Field, Field]:
    return _wide(get, first), _wide(get, second)


def _of_two(apply: Callable[[Field, Field], Field], get: Inputs) -> Field:
    a, b = _pair(get)
    return apply(a, b)


def _modulo(get: Inputs) -> Field:
    a, b = _pair(get)
    return a - b * ex.each("floor", a / b)


def _safe_power(get: Inputs) -> Field:
    a, b = _pair(get)
    return _sign(a) * ex.each("absolute", a) ** b


def _sign(a: Field) -> Field:
    return ex.below(0.0, a) - ex.below(a, 0.0)


def _dot(a: Field, b: Field) -> Field:
    product = ex.colour(a) * ex.colour(b) if len(a) == len(b) == 1 else a * b
    return ex.grey(product) * len(product)


def _cross(get: Inputs) -> Field:
    a, b = ex.colour(_wide(get, "in1")), ex.colour(_wide(get, "in2"))
    return ex.join(a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


def _length(a: Field) -> Field:
    return ex.each("root", _dot(a, a))


def _switched(get: Inputs) -> Field:
    which, said = get("which"), {*get.node.values, *get.node.links}
    last = max((number for number in range(1, 11) if f"in{number}" in said), default=1)
    found = _wide(get, "in1")
    for number in range(2, last + 1):
        found = ex.choose(ex.below(which, number - 1.0), found, _wide(get, f"in{number}"))
    return ex.choose(ex.below(which, float(last)), found, 0.0)  # what nothing was said of is black


_ARITHMETIC: dict[str, Callable[[Inputs], Field]] = {
    "add": lambda get: _of_two(operator.add, get),
    "subtract": lambda get: _of_two(operator.sub, get),
    "multiply": lambda get: _of_two(operator.mul, get),
    "divide": lambda get: _of_two(operator.truediv, get),
    "power": lambda get: _of_two(operator.pow, get),
    "max": lambda get: ex.most(*_pair(get)),
    "min": lambda get: ex.least(*_pair(get)),
    "modulo": _modulo,
    "safepower": _safe_power,
    "invert": lambda get: _wide(get, "amount") - _wide(get, "in"),
    "absval": lambda get: ex.each("absolute", _wide(get, "in")),
    "sign": lambda get: _sign(_wide(get, "in")),
    "floor": lambda get: ex.each("floor", _wide(get, "in")),
    "ceil": lambda get: -1.0 * ex.each("floor", -1.0 * _wide(get, "in")),
    "round": lambda get: ex.each("floor", _wide(get, "in") + 0.5),
    "fract": lambda get: _wide(get, "in") - ex.each("floor", _wide(get, "in")),
    "sqrt": lambda get: ex.each("root", _wide(get, "in")),
    "ln": lambda get: ex.each("log", _wide(get, "in")),
    "exp": lambda get: ex.each("exp", _wide(get, "in")),
    "sin": lambda get: ex.each("sine", _wide(get, "in")),
    "cos": lambda get: ex.each("cosine", _wide(get, "in")),
    "tan": lambda get: ex.each("sine", _wide(get, "in")) / ex.each("cosine", _wide(get, "in")),
    "asin": lambda get: _arc(_wide(get, "in")),
    "acos": lambda get: 0.5 * math.pi - _arc(_wide(get, "in")),
    "atan2": lambda get: ex.angle(*_pair(get, "iny", "inx")),
    "normalize": lambda get: _wide(get, "in") / _length(_wide(get, "in")),
    "magnitude": lambda get: _length(_wide(get, "in")),
    "distance": lambda get: _length(_of_two(operator.sub, get)),
    "dotproduct": lambda get: _dot(*_pair(get)),
    "crossproduct": _cross,
    "inside": lambda get: _wide(get, "in") * get("mask"),
    "outside": lambda get: _wide(get, "in") * (1.0 - get("mask")),
    "constant": lambda get: _wide(get, "value"),
    "combine2": lambda get: ex.join(get("in1"), get("in2")),
    "combine3": lambda get: ex.join(get("in1"), get("in2"), get("in3")),
    "ifgreater": lambda get: _chosen(get, ex.below(get("value2"), get("value1"))),
    "ifgreatereq": lambda get: _chosen(get, 1.0 - ex.below(get("value1"), get("value2"))),
    "ifequal": lambda get: _chosen(get, ex.below(ex.each("absolute", get("value1") - get("value2")), 1e-12)),
    "switch": _switched,
}


def _chosen(get: Inputs, condition: Field) -> Field:
    yes, no = _pair(get)
    return ex.choose(condition, yes, no)


def _arc(a: Field) -> Field:
    """The angle with this sine."""
    a = ex.clamp(a, -1.0, 1.0)
    return ex.angle(a, ex.each("root", 1.0 - a * a))


def _remapped(get: Inputs) -> Field:
    low, high = _pair(get, "outlow", "outhigh")
    start, end = _pair(get, "inlow", "inhigh")
    return low + (_wide(get, "in") - start) * (high - low) / (end - start)


def _ranged(get: Inputs) -> Field:
    start, end = _pair(get, "inlow", "inhigh")
    low, high = _pair(get, "outlow", "outhigh")
    share = (_wide(get, "in") - start) / (end - start)
    gamma = _wide(get, "gamma")
    if gamma.constant is None or not gamma.is_always(1.0):
        share = _sign(share) * ex.each("absolute", share) ** (1.0 / gamma)
    found = low + share * (high - low)
    return ex.least(ex.most(found, low), high) if get.flag("doclamp") else found


def _smooth(get: Inputs) -> Field:
    low, high = _pair(get, "low", "high")
    share = ex.clamp((_wide(get, "in") - low) / (high - low))
    return share * share * (3.0 - 2.0 * share)


def _saturated(three: Field, amount: Field, weights: Field) -> Field:
    grey = _dot(three, weights)
    return ex.mix(ex.colour(grey), three, amount)


def _corrected(get: Inputs) -> Field:
    found = hsv_adjusted(get("in"), get("hue"), 1.0, 1.0)
    found = _saturated(found, get("saturation"), ex.field((0.2722287, 0.6740818, 0.0536895)))
    gamma = get("gamma")
    if not gamma.is_always(1.0):
        found = _sign(found) * ex.each("absolute", found) ** (1.0 / gamma)
    found = (found * (1.0 - get("lift")) + get("lift")) * get("gain")
    found = (found - get("contrastpivot")) * get("contrast") + get("contrastpivot")
    return found * ex.field(2.0) ** get("exposure")


def _to_hsv(three: Field) -> Field:
    r, g, b = three[0], three[1], three[2]
    top, low = ex.largest(three), ex.least(ex.least(r, g), b)
    span = top - low
    safe = ex.most(span, 1e-12)
    red, green = ex.below(top - r, 1e-12), ex.below(top - g, 1e-12)
    sector = ex.choose(red, (g - b) / safe, ex.choose(green, (b - r) / safe + 2.0, (r - g) / safe + 4.0))
    hue = sector / 6.0
    return ex.join(hue - ex.each("floor", hue), span / ex.most(top, 1e-12), top)


def _from_hsv(hsv: Field) -> Field:
    place = (hsv[0] - ex.each("floor", hsv[0])) * 6.0

    def channel(shift: float) -> Field:
        at = place + shift
        at = at - 6.0 * ex.each("floor", at / 6.0)
        return hsv[2] - hsv[2] * hsv[1] * ex.clamp(ex.least(at, 4.0 - at))

    return ex.join(channel(5.0), channel(3.0), channel(1.0))


def _laid(get: Inputs, made: Callable[[Field, Field], Field]) -> Field:
    top, below = _pair(get, "fg", "bg")
    return ex.mix(below, made(below, top), get("mix"))


def _overlaid(below: Field, top: Field) -> Field:
    light, dark = 1.0 - 2.0 * (1.0 - top) * (1.0 - below), 2.0 * top * below
    return ex.choose(ex.below(below, 0.5), dark, light)


def _burnt(below: Field, top: Field) -> Field:
    return ex.choose(ex.below(ex.each("absolute", top), 1e-8), 0.0, 1.0 - (1.0 - below) / top)


def _dodged(below: Field, top: Field) -> Field:
    rest = 1.0 - top
    return ex.choose(ex.below(ex.each("absolute", rest), 1e-8), 0.0, below / rest)


def _hsv(get: Inputs) -> Field:
    amount = get("amount")
    return hsv_adjusted(ex.colour(_wide(get, "in")), amount[0], amount[1], amount[2])


_CHANGED: dict[str, Callable[[Inputs], Field]] = {
    "clamp": lambda get: ex.least(ex.most(_wide(get, "in"), _wide(get, "low")), _wide(get, "high")),
    "remap": _remapped,
    "range": _ranged,
    "smoothstep": _smooth,
    "contrast": lambda get: (_wide(get, "in") - _wide(get, "pivot")) * _wide(get, "amount") + _wide(get, "pivot"),
    "saturate": lambda get: _saturated(get("in"), get("amount"), get("lumacoeffs")),
    "rgbtohsv": lambda get: _to_hsv(get("in")),
    "hsvtorgb": lambda get: _from_hsv(get("in")),
    "colorcorrect": _corrected,
    "hsvadjust": _hsv,
    "mix": lambda get: _laid(get, lambda below, top: laid(below, top, get.word("how"))),
    "plus": lambda get: _laid(get, lambda below, top: below + top),
    "minus": lambda get: _laid(get, lambda below, top: below - top),
    "screen": lambda get: _laid(get, lambda below, top: laid(below, top, "screen")),
    "difference": lambda get: _laid(get, lambda below, top: laid(below, top, "difference")),
    "overlay": lambda get: _laid(get, _overlaid),
    "burn": lambda get: _laid(get, _burnt),
    "dodge": lambda get: _laid(get, _dodged),
    "ramplr": lambda get: ex.mix(_wide(get, "valuel"), _wide(get, "valuer"), ex.clamp(_texcoord(get)[0])),
    "ramptb": lambda get: ex.mix(_wide(get, "valueb"), _wide(get, "valuet"), ex.clamp(_texcoord(get)[1])),
    "splitlr": lambda get: ex.choose(ex.below(_texcoord(get)[0], get("center")), _wide(get, "valuel"), _wide(get, "valuer")),
    "splittb": lambda get: ex.choose(ex.below(_texcoord(get)[1], get("center")), _wide(get, "valueb"), _wide(get, "valuet")),
    "ramp4": lambda get: _four_corners(get),
    "checkerboard": lambda get: _chequered(get),
    "geompropvalue_color3": lambda get: ex.more(get.word("geomprop"), 3, get.numbers("default")),
    "UsdPrimvarReader_color": lambda get: ex.more(get.word("varname"), 3, get.numbers("fallback")[:3]),
    "geomcolor": lambda get: ex.more(_numbered(FIRST_COLOURS, get.number("index")), 3),
    "image": lambda get: _image(get, _texcoord(get)),
    "tiledimage": lambda get: _image(get, _tiled(get), repeats=True),
    "gltf_image": lambda get: _with_factor(get, "factor"),
    "noise2d_color": lambda get: ex.plane_noise(_texcoord(get), colour=True) * get("amplitude") + get("pivot"),
    "noise3d_color": lambda get: ex.noise(_where(get), 1, colour=True) * get("amplitude") + get("pivot"),
    "fractal2d_color": lambda get: ex.plane_noise(_texcoord(get), *_octaves(get), colour=True) * get("amplitude"),
    "fractal3d_color": lambda get: ex.noise(_where(get), *_octaves(get), colour=True) * get("amplitude"),
}  # fmt: skip


def _four_corners(get: Inputs) -> Field:
    place = ex.clamp(_texcoord(get))
    top = ex.mix(_wide(get, "valuetl"), _wide(get, "valuetr"), place[0])
    return ex.mix(ex.mix(_wide(get, "valuebl"), _wide(get, "valuebr"), place[0]), top, place[1])


def _chequered(get: Inputs) -> Field:
    place = _texcoord(get) * get("uvtiling") - get("uvoffset")
    odd = ex.each("floor", place[0]) + ex.each("floor", place[1])
    odd = odd - 2.0 * ex.each("floor", odd / 2.0)
    return ex.mix(get("color2"), get("color1"), odd)


def _normal(get: Inputs, picture: Field, strength: Field) -> dict[str, Field]:
    normal = picture * 2.0 - 1.0
    across, up = strength[0], strength[min(1, len(strength) - 1)]
    return {"out": ex.join(normal[0] * across, normal[1] * up, normal[2])}


def _coloured(get: Inputs) -> dict[str, Field]:
    """gltf_colorimage: the colour and its solidity by names of their own."""
    four = _image(get, _gltf_place(get)) * get("color") * get("geomcolor")
    found = outputs(four, NAMES)
    return {"outcolor": found["out"], **{name: one for name, one in found.items() if name != "out"}}


def _previewed(get: Inputs) -> dict[str, Field]:
    """UsdUVTexture: its channels by names of its own."""
    four = preview_looks.texture(get, _decoded(get))
    return {"rgba": ex.colour(four), **outputs(four, ("rgb", "r", "g", "b", "a", ""))}


_OTHERS: dict[str, Callable[[Inputs], dict[str, Field]]] = {
    "place2d": lambda get: {"out": _placed(get)},
    "rotate2d": lambda get: {"out": _turned(get("in"), get("amount"))},
    "geompropvalue": lambda get: {"out": uvs(get, "geomprop")},
    "texcoord": lambda get: {"out": _numbered_uvs(get)},
    "UsdUVTexture": _previewed,
    "UsdTransform2d": lambda get: {"out": preview_looks.moved(get)},
    "UsdPrimvarReader": lambda get: {"out": uvs(get, "varname")},
    "turned_tangent": lambda get: {"out": ex.join(-1.0 * get("amount"), 0.0, -3.0)},  # it turns clockwise
    "displacement": lambda get: {"out": get("displacement") * get("scale") * get.facts.metres_per_unit},
    "position": lambda get: {"out": _position(get)},
    "facingratio": lambda get: {"out": 1.0 - ex.point("facing") if get.flag("invert") else ex.point("facing")},
    "bump": lambda get: {"out": height(get("height") * get("scale") * get.facts.metres_per_unit)},
    "normalmap": lambda get: _normal(get, get("in"), get("scale")),
    "normalmap_vector2": lambda get: _normal(get, get("in"), get("scale")),
    "gltf_normalmap": lambda get: _normal(get, ex.colour(_image(get, _gltf_place(get))), ex.field(1.0)),
    "gltf_colorimage": _coloured,
    "noise2d": lambda get: {"out": ex.plane_noise(_texcoord(get)) * get("amplitude") + get("pivot")},
    "noise3d": lambda get: {"out": ex.noise(_where(get), 1) * get("amplitude") + get("pivot")},
    "fractal2d": lambda get: {"out": ex.plane_noise(_texcoord(get), *_octaves(get)) * get("amplitude")},
    "fractal3d": lambda get: {"out": ex.noise(_where(get), *_octaves(get)) * get("amplitude")},
    "cellnoise2d": lambda get: {"out": ex.cells(_texcoord(get))},
    "cellnoise3d": lambda get: {"out": ex.cells(_where(get))},
    "worleynoise2d": lambda get: {"out": ex.scattered(_texcoord(get), get("jitter"), int(get.number("style")))},
    "worleynoise3d": lambda get: {"out": ex.scattered(_where(get), get("jitter"), int(get.number("style")))},
}  # fmt: skip


def _octaves(get: Inputs) -> tuple[int, float, float]:
    return int(get.number("octaves")), get.number("lacunarity"), get.number("diminish")


def _numbered(name: str, number: float) -> str:
    return name if number < 0.5 else f"{name}{int(number)}"


def _numbered_uvs(get: Inputs) -> Field:
    number = get.number("index")
    return ex.uv() if number < 0.5 else ex.more(_numbered(FIRST_UVS, number), 2, uv=True)


def _where(get: Inputs) -> Field:
    return get("position") if get.linked("position") else _position(get)


def _position(get: Inputs) -> Field:
    """The place in the stage's own unit."""
    return ex.join(ex.point("x"), ex.point("y"), ex.point("z")) / get.facts.metres_per_unit


def _texcoord(get: Inputs) -> Field:
    return get("texcoord") if get.linked("texcoord") else ex.uv()


def _decoded(get: Inputs) -> str | float:
    return "srgb" if get.word("colorspace") == "srgb_texture" else 1.0


def _image(get: Inputs, place: Field, repeats: bool = False) -> Field:
    border = get.numbers("default")
    r, g, b = border[:3] if len(border) >= 3 else (border[0],) * 3
    outside = (r, g, b, 1.0)
    edges = ("periodic", "periodic") if repeats else (get.word("uaddressmode"), get.word("vaddressmode"))
    return ex.picture(Lookup(get.facts.find(get.word("file")), _decoded(get), *edges, outside), place)


def _with_factor(get: Inputs, name: str) -> Field:
    four, factor = _image(get, _gltf_place(get)), get(name)
    factor = factor if len(factor) == 4 else ex.join(ex.colour(factor), 1.0)
    return four * factor


def _gltf_place(get: Inputs) -> Field:
    """The placement of glTF's pictures: the factors and signs of place2d turned round (MaterialX 1.39, glTF library)."""
    offset = ex.field(get.numbers("offset")) * ex.field((-1.0, 1.0))
    return _moved(get, 1.0 / ex.field(get.numbers("scale")), -get.number("rotate"), offset)


def _tiled(get: Inputs) -> Field:
    place = _texcoord(get) * get("uvtiling") - get("uvoffset")
    return place / get("realworldimagesize") * get("realworldtilesize")


def _placed(get: Inputs) -> Field:
    """place2d: shift, turn and scale about a pivot (MaterialX 1.39, standard library)."""
    return _moved(get, ex.field(get.numbers("scale")), get.number("rotate"), ex.field(get.numbers("offset")))


def _moved(get: Inputs, scale: Field, angle: float, offset: Field) -> Field:
    pivot = ex.field(get.numbers("pivot"))
    place = _texcoord(get) - pivot
    if int(get.number("operationorder")) == 0:
        place = turned(place / scale, -angle) - offset
    else:
        place = turned(place - offset, -angle) / scale
    return place + pivot


def _turned(place: Field, degrees: Field) -> Field:
    """A place turned about the origin by an angle that may vary, clockwise."""
    radians = degrees * (math.pi / 180.0)
    c, s = ex.each("cosine", radians), ex.each("sine", radians)
    return ex.join(place[0] * c + place[1] * s, place[1] * c - place[0] * s)
