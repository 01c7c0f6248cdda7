"""The arrays that the kernels work on, and what stands where in them. Lengths are metres, light is nit, candela and lux."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import address, inner

F8 = NDArray[np.float64]
F4 = NDArray[np.float32]
I4 = NDArray[np.int32]
I8 = NDArray[np.int64]

# A light (and a solid shape that is one, or that has a material)
KIND = 0
RADIANCE = 1  # three channels; of a point candela, of a far light radiance, or lux when it has no size
ORIGIN = 4
AXIS_X = 7
AXIS_Y = 10
AXIS_Z = 13
SIZE = 16  # two numbers
AREA = 18
INNER = 19  # half angles in radians; π for no cone
OUTER = 20
PROFILE = 21  # 0 smooth, 1 linear in the angle
FOCUS = 22
DECAY = 23
SHADOWS = 24
CHANCE = 25  # of being chosen
GROUP = 26
TRIANGLE = 27
COS_DISC = 28  # of a far light: cosine of its half angle
LIGHT = 32

# A solid shape
S_KIND = 0
S_LIGHT = 1
S_MATERIAL = 2
S_ORIGIN = 3
S_X = 6
S_Y = 9
S_Z = 12
S_SIZE = 15
SHAPE = 18

# A camera
C_ORIGIN = 0
C_X = 3  # to the right, times half the width of the picture at one metre
C_Y = 6  # upwards, the same
C_Z = 9  # forwards
C_SHIFT = 12  # of the picture's middle, in half widths and half heights
C_LENS = 14  # radius in metres
C_FOCUS = 15
C_NEAR = 16
C_FAR = 17
C_RIGHT = 18
C_UP = 21
CAMERA = 24

# A picture
P_OFFSET, P_WIDTH, P_HEIGHT, P_WRAP_U, P_WRAP_V = range(5)
WRAPS = ("periodic", "mirror", "clamp", "constant")

# A material: where its programs and their constants lie
M_CODE, M_CODE_COUNT, M_START, M_START_COUNT, M_OUT, M_OUT_COUNT = range(6)
M_BUMP, M_BUMP_COUNT, M_BUMP_START, M_BUMP_START_COUNT, M_BUMP_OUT = range(6, 11)
M_LOBES = 11  # how many numbers of the record are in use
M_PLAIN = 12  # 1: solid everywhere, so that shadows need no look-up
M_FRAME = 13  # 1: it needs to know how the UVs lie, for relief or for a stretched lobe
MATERIAL = 14


# Whose a triangle is
O_MATERIAL, O_LIGHT, O_OBJECT, OWNER = range(4)

# Where each table begins, in the array of its kind; these places stand at the front of the whole numbers
A_BOXES = 0  # f4: [nodes, 48] least x, y, z and largest x, y, z of eight children
A_CHILDREN = 1  # i4: [nodes, 8] a node, or −1 − leaf
A_SOLIDS = 2  # i4: solid shapes in the order of the leaves
A_CORNER = 3  # f4: [triangles, 9] a corner and two edges
A_NORMAL = 4  # f4: [triangles, 9]
A_UV = 5  # f4: [triangles, 6]
A_OWNER = 6  # i4: [triangles, OWNER] material, light or −1, object
A_SHAPES = 7  # f8: [shapes, SHAPE]
A_BASE = 8  # f8: [materials, RECORD]
A_MATERIAL = 9  # i4: [materials, MATERIAL]
A_CODE = 10  # i4: [instructions, 6]
A_START = 11  # f8: register contents
A_OUT = 12  # i4: [outputs, 2] place in the record, register
A_PICTURE = 13  # i4: [pictures, 5]
A_BORDER = 14  # f8: [pictures, 4]
A_PIXELS = 15  # f4: four a pixel
A_LIGHT = 16  # f8: [lights, LIGHT]
A_LIGHT_SUM = 17  # f8: [lights + 1] chances summed
A_FAR = 18  # i4: lights that are seen where nothing else is
A_DOME = 19  # f4: [height, width, 3] radiance, top row first
A_DOME_ROWS = 20  # f8: [height + 1] summed
A_DOME_COLUMNS = 21  # f8: [height, width + 1] summed
A_DOME_FRAME = 22  # f8: [9] its axes in the world, as rows
A_LEAVES = 23  # i4: [leaves, 4] first triangle and how many, first of the solids and how many
A_BLOCKS = 24  # f4: [leaves, 72] corners and edges of up to eight triangles, row by row
N_NODES, N_LIGHTS, N_FAR, N_DOME_HEIGHT, N_DOME_WIDTH = range(25, 30)  # how many there are
HEAD = 32


class World(NamedTuple):
    """Everything that a path meets, in one array of each kind of number: handing twenty arrays on would cost more
    than a look-up does. `tables` are those of `durvan.optics.lobes`.
    """

    f8: F8
    f4: F4
    i4: I4
    tables: F8


@inner
def bare(w: World) -> World:
    """The same as pointers, which is how all kernels hand it on."""
    return World(address(w.f8), address(w.f4), address(w.i4), address(w.tables))


def pack(tables_of_numbers: dict[int, NDArray[np.generic]], counts: dict[int, int], tables: F8) -> World:
    """Put tables by the name of their place (`A_…`) and counts (`N_…`) into one array of each kind."""
    parts: dict[str, list[NDArray[np.generic]]] = {"f8": [], "f4": [], "i4": [np.zeros(HEAD, np.int32)]}
    length = {"f8": 0, "f4": 0, "i4": HEAD}
    head = parts["i4"][0]
    for place, table in tables_of_numbers.items():
        kind = {"float64": "f8", "float32": "f4", "int32": "i4"}[str(table.dtype)]
        head[place] = length[kind]
        parts[kind].append(np.ascontiguousarray(table).reshape(-1))
        length[kind] += table.size
    for place, count in counts.items():
        head[place] = count
    joined = {kind: np.concatenate([*some, np.zeros(8, {"f8": np.float64, "f4": np.float32, "i4": np.int32}[kind])])
              for kind, some in parts.items()}  # fmt: skip
    joined["i4"][:HEAD] = head
    return World(joined["f8"], joined["f4"], joined["i4"], tables)  # type: ignore[arg-type]
