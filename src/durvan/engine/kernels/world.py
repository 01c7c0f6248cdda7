"""The arrays that the kernels work on, and what stands where in them. Lengths are metres, light is nit, candela and lux."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from durvan.graph.expression import POINT_SIZE
from durvan.optics.jit import address, inner
from durvan.optics.lobes.layout import MOST, RECORD

F8 = NDArray[np.float64]
F4 = NDArray[np.float32]
I4 = NDArray[np.int32]
I8 = NDArray[np.int64]
U1 = NDArray[np.uint8]

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
LIGHTING = 29  # which lighting it belongs to
START = 30  # metres from which a light that does not weaken with the square does as it does; nearer it is as bright as there
REACH = 31  # metres past which nothing comes; 0 for no end
ASKED = 32  # 1: it gives what it gives only to who asks for it, as one without shadows does, and one with lists
SEEN = 33  # 0: the camera looks past it
TABLE = 34  # of its profile in A_PROFILES, from 1; 0 for none
I_AT, I_WIDTH, I_HEIGHT = 35, 36, 37  # of the picture on a panel, among those of domes; width 0 for none
LIT, BARS = (
    38,
    39,
)  # the first words of its lists in A_LISTS: what it lights, what throws its shadows; −1 for everything
OWN = 40  # of a triangle: 1 for a mesh that is a light, whose radiance stands here
WHOLE = 41  # of a triangle: 1 for a glow that lights as if it were solid, however much of it is cut out; 2 where the camera sees it so too
FRONT = 43  # of a triangle: 1 where it shines to its front alone
MEAN = 42  # of a picture on a panel, of a profile: the mean factor on its radiance
LIGHT = 44
# Of a dome its axes in the world stand as those of other lights do, and where its picture lies in place of the origin:
D_PICTURE, D_ROWS, D_COLUMNS = ORIGIN, ORIGIN + 1, ORIGIN + 2  # in the tables of domes
D_HEIGHT, D_WIDTH = SIZE, SIZE + 1

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

# Fog: the ball that it fills, and what it does there
F_MIDDLE = 0
F_RADIUS = 3
F_DENSITY = 4  # of what is scattered and taken away, per metre
F_ALBEDO = 5
F_FORWARD = 8  # mean cosine of the angle of scattering (Henyey and Greenstein 1941)
FOG = 9

# A picture
P_OFFSET, P_WIDTH, P_HEIGHT, P_WRAP_U, P_WRAP_V = range(5)
P_TILES = 5  # of one of tiles: where its table of them begins in A_TILES, from 1; 0 for none
PICTURE_SIZE = 6
WRAPS = ("periodic", "mirror", "clamp", "constant")

# A material: where its programs and their constants lie
M_CODE, M_CODE_COUNT, M_START, M_START_COUNT, M_OUT, M_OUT_COUNT = range(6)
M_BUMP, M_BUMP_COUNT, M_BUMP_START, M_BUMP_START_COUNT, M_BUMP_OUT = range(6, 11)
M_LOBES = 11  # how many numbers of the record are in use
M_PLAIN = 12  # 1: solid everywhere, so that shadows need no look-up
M_FRAME = 13  # 1: it needs to know how the UVs lie, for relief or for a stretched lobe
M_FIXED = 14  # 1: its record is the same everywhere, and is read where it lies
M_BACK = 15  # the material of its other side, −1 for none
M_REACH = 16  # how far it looks about for how open a place is: place among the register contents, −1 for nowhere
M_STRAND = 17  # 1: it is a fibre, whose inside is passed over
MATERIAL = 18

# A triangle: everything about it in one piece of 128 bytes; numbers of things are whole ones in single precision
T_CORNER = 0  # a corner and two edges
T_NORMAL = 9  # of each corner
T_UV = 18
T_FLAT = 24  # the normal of its plane, at unit length
T_MATERIAL, T_LIGHT, T_OBJECT = 27, 28, 29  # light −1: none
T_SMOOTH = 30  # 1: its corners have normals of their own
T_UNSEEN = 31  # 1: cameras look through it
TRIANGLE_SIZE = 32

# Where each table begins, in the array of its kind; these places stand at the front of the whole numbers
A_TRIANGLE = 0  # f4: [triangles, TRIANGLE_SIZE]
A_SHAPES = 1  # f8: [shapes, SHAPE]
A_BASE = 2  # f8: [materials, RECORD]
A_MATERIAL = 3  # i4: [materials, MATERIAL]
A_CODE = 4  # i4: [instructions, 6]
A_START = 5  # f8: register contents
A_OUT = 6  # i4: [outputs, 2] place in the record, register
A_PICTURE = 7  # i4: [pictures, 5]
A_BORDER = 8  # f8: [pictures, 4]
A_PIXELS = 9  # f4: four a pixel
A_LIGHT = 10  # f8: [lights, LIGHT], those of a lighting side by side, the glowing triangles first
A_LIGHT_SUM = 11  # f8: [lights + lightings] chances summed, of each lighting from 0 to 1
A_LIGHTINGS = 12  # i4: [lightings, 2] the first of its lights and the one after its last
A_FAR = 13  # i4: lights that are seen where nothing else is
A_DOME = 14  # f4: pictures of domes, three numbers a pixel, top row first
A_DOME_SUMS = 15  # f8: of each dome its rows [height + 1] and columns [height, width + 1] summed
A_PROFILES = 17  # f8: of each how many planes and angles, the angles, the planes, and a row of factors for each plane
A_LISTS = 18  # i4: a bit for each object, from the lowest of each word
A_FOG = 19  # f8: FOG numbers
A_MORE = 24  # f4: [triangles, 3 corners, N_MORE] what meshes carry besides
A_MORE_KIND = 25  # f8: [N_MORE, 2] what stands in on a body: 1 u, 2 v, 0 a number; and that number
A_TILES = 26  # i4: of each picture of tiles [100 rows, 10 columns] the pictures, −1 where there is none
A_FIRST = 16  # i4: the number of the first triangle or body of each of the tree's geometries
N_CUT_OUTS, N_LIGHTINGS, N_FAR, N_FOG = range(20, 24)  # how many there are
N_MORE = 27
HEAD = 32

# The room of a call: the point, the hit, room for kernels of their own, chances of lobes, starts of the lattice, two records,
# and the registers
R_POINT = 0
R_HIT = R_POINT + POINT_SIZE
R_SPARE = R_HIT + 26
R_CHANCES = R_SPARE + 26
R_STARTS = R_CHANCES + MOST
R_RECORD = R_STARTS + 64
R_OTHER = R_RECORD + RECORD
R_REGISTERS = R_OTHER + RECORD


class World(NamedTuple):
    """Everything that a path meets, in one array of each kind of number: handing twenty arrays on would cost more
    than a look-up does. `tables` are those of `durvan.optics.lobes`; `scene`, `meet` and `block` are the addresses of
    the tree and of what looks for the first thing on a ray, and for anything.
    """

    f8: F8
    f4: F4
    i4: I4
    tables: F8
    scene: int
    meet: int
    block: int


@inner
def bare(w: World) -> World:
    """The same as pointers, which is how all kernels hand it on."""
    return World(address(w.f8), address(w.f4), address(w.i4), address(w.tables), w.scene, w.meet, w.block)


def pack(
    tables_of_numbers: dict[int, NDArray[np.generic]], counts: dict[int, int], tables: F8, tree: tuple[int, int, int]
) -> World:
    """Put tables by the name of their place (`A_…`) and counts (`N_…`) into one array of each kind; `tree` is the address
    of the tree and of its two functions.
    """
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
    joined = {kind: _lined_up(some) for kind, some in parts.items()}
    joined["i4"][:HEAD] = head
    return World(joined["f8"], joined["f4"], joined["i4"], tables, *tree)  # type: ignore[arg-type]


def _lined_up(parts: list[NDArray[np.generic]]) -> NDArray[np.generic]:
    """Arrays one after the other from an address that 128 divides, so that a triangle lies in two lines of the cache."""
    kind = parts[0].dtype
    count = sum(part.size for part in parts) + 8
    room = np.zeros(count * kind.itemsize + 128, dtype=np.uint8)
    start = -room.ctypes.data % 128
    made = room[start : start + count * kind.itemsize].view(kind)
    np.concatenate(parts, out=made[: count - 8])
    return made
