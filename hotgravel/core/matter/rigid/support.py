"""Convex shapes as kernels see them: the farthest point in a direction, and the face that looks that way.

Every shape is a core and a margin: the core is the shape drawn in by the margin, so that two shapes that touch have
cores that do not, and the direction between the cores is well defined.
"""

import math

import numpy as np
from numba import njit

BALL, BLOCK, DRUM, HULL = range(4)

# Columns of a part: its kind, its sizes (a ball's radius; half a block's sides; a drum's radius and half its height),
# its margin, and where its corners and faces begin and how many there are (hulls only).
KIND, SIZE, MARGIN, CORNER, CORNERS, FACE, FACES, PART_WIDTH = 0, 1, 4, 5, 6, 7, 8, 9
MOST_CORNERS = 24  # of a face that contacts are clipped to
CAP = 8  # corners that stand for the round cap of a drum in a patch of contacts


@njit(cache=True, inline="always")
def support(part, corners, core, x, y, z):
    """The point of a part that lies farthest along a direction, in the part's own frame.

    part (PART_WIDTH,), corners (V, 3) of all hulls as they are, or of their cores; `core` says which is wanted.
    """
    kind, inset = int(part[KIND]), part[MARGIN] if core else 0.0
    if kind == BALL:
        if core:
            return 0.0, 0.0, 0.0
        share = part[SIZE] / (math.sqrt(x * x + y * y + z * z) + 1e-300)
        return share * x, share * y, share * z
    if kind == BLOCK:
        a, b, c = part[SIZE] - inset, part[SIZE + 1] - inset, part[SIZE + 2] - inset
        return math.copysign(a, x), math.copysign(b, y), math.copysign(c, z)
    if kind == DRUM:
        radius, half = part[SIZE] - inset, part[SIZE + 1] - inset
        rho = math.sqrt(x * x + z * z)
        share = radius / rho if rho > 1e-12 else 0.0
        return share * x, math.copysign(half, y), share * z
    first, count = int(part[CORNER]), int(part[CORNERS])
    best, at = -np.inf, first
    for i in range(first, first + count):
        reach = corners[i, 0] * x + corners[i, 1] * y + corners[i, 2] * z
        if reach > best:
            best, at = reach, i
    return corners[at, 0], corners[at, 1], corners[at, 2]


@njit(cache=True)
def face_towards(part, corners, face_of, normals, x, y, z, out):
    """The face of a part that looks most along a direction, in its own frame: its corners into `out`
    (MOST_CORNERS, 3), counter-clockwise seen from outside. Returns how many there are and the face's normal; one for a
    ball, two for a drum's side, whose normal is the direction itself.

    face_of (F, MOST_CORNERS) has the corners of each face of hulls, -1 after the last; normals (F, 3).
    """
    kind = int(part[KIND])
    if kind == BALL:
        out[0, 0], out[0, 1], out[0, 2] = support(part, corners, False, x, y, z)
        return 1, x, y, z
    if kind == BLOCK:
        ax, ay, az = abs(x), abs(y), abs(z)
        axis = 0 if ax >= ay and ax >= az else (1 if ay >= az else 2)
        u, v = (1, 2) if axis == 0 else ((2, 0) if axis == 1 else (0, 1))
        side = math.copysign(1.0, (x, y, z)[axis])
        for k in range(4):
            out[k, axis] = side * part[SIZE + axis]
            out[k, u] = part[SIZE + u] * (1.0 if k == 0 or k == 3 else -1.0) * side
            out[k, v] = part[SIZE + v] * (1.0 if k < 2 else -1.0)
        return 4, side * (axis == 0), side * (axis == 1), side * (axis == 2)
    if kind == DRUM:
        radius, half = part[SIZE], part[SIZE + 1]
        if abs(y) > 0.7:
            side = 1.0 if y > 0.0 else -1.0
            for k in range(CAP):
                turn = -side * 2.0 * math.pi * k / CAP
                out[k, 0], out[k, 1], out[k, 2] = radius * math.cos(turn), side * half, radius * math.sin(turn)
            return CAP, 0.0, side, 0.0
        rho = math.sqrt(x * x + z * z) + 1e-300
        for k in range(2):
            out[k, 0], out[k, 1], out[k, 2] = radius * x / rho, half * (1.0 - 2.0 * k), radius * z / rho
        return 2, x / rho, 0.0, z / rho
    first, count = int(part[FACE]), int(part[FACES])
    best, at = -np.inf, first
    for f in range(first, first + count):
        along = normals[f, 0] * x + normals[f, 1] * y + normals[f, 2] * z
        if along > best:
            best, at = along, f
    n = 0
    for k in range(MOST_CORNERS):
        corner = face_of[at, k]
        if corner < 0:
            break
        out[k, 0], out[k, 1], out[k, 2] = corners[corner, 0], corners[corner, 1], corners[corner, 2]
        n += 1
    return n, normals[at, 0], normals[at, 1], normals[at, 2]
