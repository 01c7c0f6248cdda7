"""Where everything stands in a record: the flat array of numbers that a surface is at one point.

A record is a header and then up to `MOST` lobes. Lobes are listed with what lies on top first.
"""

from __future__ import annotations

# The header
COUNT = 0  # how many lobes
OPACITY = 1  # 1 is solid
GLOW = 2  # radiance in nit, three channels
MURK = 5  # absorption inside, per metre, three channels
INSIDE = 8  # 1 where light may get in and be bent, so that it can also be met from within
RELIEF = 9  # 0 none, 1 a tangent-space normal, 2 a height; 3 and 4 the same, softly: see `SOFT` in the kernels
NORMAL = 10  # the tangent-space normal, green up, three channels from −1 to 1
HEIGHT = 13  # metres
REACH = 14  # mean free path below the surface in metres, three channels
DEEP = 17  # albedo of what scatters below, three channels
ROUND = 20  # radius in metres by which edges are rounded
HEADER = 21

BY_NORMAL, BY_HEIGHT = (1.0, 3.0), (2.0, 4.0)  # of the relief

# A lobe
KIND = 0
WEIGHT = 1  # three channels
ALPHA_X = 4
ALPHA_Y = 5
TURN = 6  # of the lobe's x about the normal, radians
FACETS = 7
FRESNEL = 8
FIRST = 9  # index, or F0, or the real part of the index; three channels
SECOND = 12  # what the edge is tinted with, or the imaginary part; three channels
PARENT = 15  # the lobe that lies directly on top, −1 for none
COVER = 16  # how this lobe takes light from those under it
AMOUNT = 17  # and how much of it: its coverage
ABSORB = 18  # what is left of white light that went down and up at right angles; three channels
FILM = 21  # thickness in nanometres, 0 for none
FILM_INDEX = 22
FULL = 23  # 1: energy lost between facets is given back (Turquin 2019)
WITHIN = 24  # the share of the surface that this lobe and those under it have to themselves
LOBE = 25
MOST = 24
RECORD = HEADER + MOST * LOBE
BEYOND = 1e30  # what a lane comes to from here on, or to no number, leaves the value of the record as it stands

# Kinds of lobes
# DEEP_WALK is DEEP_DIFFUSE where the renderer follows light below the surface: a way in, without a value of its own
# FIBRE has its roughness along, around and of what was inside in ALPHA_X, ALPHA_Y and TURN, its absorption in FIRST, its index in SECOND
NONE, DIFFUSE, THROUGH, REFLECT, REFRACT, STRAIGHT, SHEEN, DEEP_DIFFUSE, DEEP_WALK, FIBRE = range(10)
# Shapes of facets; BURLEY marks a matt lobe, or a sheen, by the laws of Burley 2012 instead
GGX, BECKMANN, BLINN, BURLEY = range(4)
# Laws of reflection
CONSTANT, DIELECTRIC, CONDUCTOR, SCHLICK, WALL = range(5)
# How a lobe covers: not; by its albedo towards the eye; by both directions, reciprocally
BARE, SCALED, RECIPROCAL = range(3)

MIRROR = 1e-3  # below this alpha a facet lobe is a mirror: one direction, no density


def set_walking(rec: object) -> None:
    """Have light walk below the surface wherever a lobe scatters there and it flies some way. Compiled by the kernels."""
    if max(rec[REACH], max(rec[REACH + 1], rec[REACH + 2])) > 1e-5:
        for n in range(int(rec[COUNT])):
            b = HEADER + n * LOBE
            if rec[b + KIND] == DEEP_DIFFUSE and rec[b + WEIGHT] + rec[b + WEIGHT + 1] + rec[b + WEIGHT + 2] > 0.0:
                rec[b + KIND] = DEEP_WALK
