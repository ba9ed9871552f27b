"""Which bodies are near one another or an obstacle, and where they touch."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.leads import BY_EDGES, OUT_A, OUT_B, OUT_LEAD, OUT_WIDTH
from hotgravel.core.matter.rigid.patch import MOST_POINTS, ROOM, patch
from hotgravel.core.matter.rigid.support import CORNERS, FACE, FACES, HULL, KIND, MOST_CORNERS, PART_WIDTH
from hotgravel.core.shape.bvh import COUNT, FIRST

SLOTS = 8  # points of contact between two bodies, or a body and an obstacle
# Columns of a point: its place and normal (from A to B) in the world, the gap, what leads it (see `leads.py`), and the
# edges of A and B that cross there, if they do.
AT, NORMAL, GAP, LEAD, EDGE_A, EDGE_B, POINT_WIDTH = 0, 3, 6, 7, 8, 11, 14
FEW_TRIANGLES = 96  # of a mesh, that most bodies are near to
LOT, FEW_PAIRS = 64, 4  # pairs that share their scratch: of bodies; with obstacles, which may have many triangles
SEAM = 0.05  # the sine from which a contact leans over a triangle's edge


class Touches(NamedTuple):
    """Points between pairs (p, 2), in slots (p, SLOTS, POINT_WIDTH) of which as many are filled as `counts` (p,) has
    it."""

    pairs: NDArray[np.int64]
    slots: Array
    counts: NDArray[np.int64]


def room_for(pairs: NDArray[np.int64]) -> Touches:
    """Slots for pairs (p, 2), none of them filled."""
    return Touches(pairs, np.empty((len(pairs), SLOTS, POINT_WIDTH)), np.zeros(len(pairs), np.int64))


@njit(cache=True)
def sweep_pairs(low, high, order, awake, axis, most):
    """Pairs i < j of boxes that overlap, of which at least one is awake: (most, 2) and how many there are, which may be
    more than fit. low, high (n, 3); order (n,) sorts `low[:, axis]`."""
    pairs, found, n = np.empty((most, 2), np.int64), 0, len(order)
    box = np.empty((n, 6))  # in order, as most of all are looked at one after the other
    for a in range(n):
        for c in range(3):
            box[a, c], box[a, 3 + c] = low[order[a], (axis + c) % 3], high[order[a], (axis + c) % 3]
    for a in range(n):
        i, end, y0, z0, y1, z1 = order[a], box[a, 3], box[a, 1], box[a, 2], box[a, 4], box[a, 5]
        for b in range(a + 1, n):
            if box[b, 0] > end:
                break
            if (box[b, 1] <= y1) & (box[b, 4] >= y0) & (box[b, 2] <= z1) & (box[b, 5] >= z0):
                j = order[b]
                if awake[i] or awake[j]:
                    if found < most:
                        pairs[found, 0], pairs[found, 1] = min(i, j), max(i, j)
                    found += 1
    return pairs, found


@njit(cache=True)
def may_touch(pairs, lump, supported, ahead, slop):
    """Those pairs (p, 2) of bodies that are not of one lump (n,) nor both kept in place, in order; and how far apart
    (p,) their points count, metres, as they go `ahead` (n, 3) and count by themselves, `slop` (n,)."""
    left, reach, k = np.empty(pairs.shape, np.int64), np.empty(len(pairs)), 0
    for p in range(len(pairs)):
        i, j = pairs[p, 0], pairs[p, 1]
        if lump[i] != lump[j] and (supported[i] == 0 or supported[j] == 0):
            x, y, z = ahead[i, 0] - ahead[j, 0], ahead[i, 1] - ahead[j, 1], ahead[i, 2] - ahead[j, 2]
            left[k, 0], left[k, 1] = i, j
            reach[k] = math.sqrt(x * x + y * y + z * z) + slop[i] + slop[j]
            k += 1
    return left[:k], reach[:k]


@njit(cache=True)
def _relative(turn_a, place_a, turn_b, place_b, r, p):
    """B's turn r (3, 3) and place p (3,) in A's frame."""
    for c in range(3):
        p[c] = 0.0
        for k in range(3):
            p[c] += turn_a[k, c] * (place_b[k] - place_a[k])
            r[c, k] = turn_a[0, c] * turn_b[0, k] + turn_a[1, c] * turn_b[1, k] + turn_a[2, c] * turn_b[2, k]


@njit(cache=True, inline="always")
def _turned(turn, c, of, i, first):
    """How far a vector goes along the c-th axis of the world: three columns of a row, in a frame that is turned so."""
    return turn[c, 0] * of[i, first] + turn[c, 1] * of[i, first + 1] + turn[c, 2] * of[i, first + 2]


@njit(cache=True)
def _to_world(out, count, turn, place, nx, ny, nz, slots, filled):
    """Points of a patch from A's frame into the slots of its pair. Returns how many slots are filled."""
    for i in range(count):
        if filled == len(slots):
            filled = _make_room(slots, out[i, 3])
            if filled == len(slots):
                continue
        for c in range(3):
            slots[filled, AT + c] = place[c] + _turned(turn, c, out, i, 0)
            slots[filled, NORMAL + c] = turn[c, 0] * nx + turn[c, 1] * ny + turn[c, 2] * nz
            if out[i, OUT_LEAD] == BY_EDGES:
                slots[filled, EDGE_A + c] = _turned(turn, c, out, i, OUT_A)
                slots[filled, EDGE_B + c] = _turned(turn, c, out, i, OUT_B)
        slots[filled, GAP], slots[filled, LEAD] = out[i, 3], out[i, OUT_LEAD]
        filled += 1
    return filled


@njit(cache=True)
def _make_room(slots, gap):
    """Frees a slot for a point of that gap: of the two points that lie nearest to one another and face alike, the
    shallower goes; none goes if all are deeper and apart. Returns how many remain, the last slot being free."""
    n = len(slots)
    best, at = np.inf, -1
    for i in range(n):
        for j in range(i):
            facing, d = 0.0, 0.0
            for c in range(3):
                facing += slots[i, NORMAL + c] * slots[j, NORMAL + c]
                d += (slots[i, AT + c] - slots[j, AT + c]) ** 2
            d += 1e6 * max(0.0, 0.9 - facing)
            if d < best:
                best, at = d, (i if slots[i, GAP] > slots[j, GAP] else j)
    if at < 0 or (best > 1e5 and gap > slots[:, GAP].max()):
        return n
    for c in range(POINT_WIDTH):
        slots[at, c] = slots[n - 1, c]
    return n - 1


@njit(cache=True, parallel=True, nogil=True)
def touch_bodies(
    pairs, position, turn, first, count, parts, corners, cores, faces, normals, reach, slots, counts
):  # fmt: skip
    """Points between bodies, into slots (pairs, SLOTS, POINT_WIDTH), and how many, into `counts` (pairs,).

    position (n, 3), turn (n, 3, 3); first, count (n,) the parts of each.
    reach (pairs,) is how far apart points count.
    """
    lots = (len(pairs) + LOT - 1) // LOT
    for lot in prange(lots):
        r, p, room, out = np.empty((3, 3)), np.empty(3), np.empty((ROOM, 4)), np.empty((MOST_POINTS, OUT_WIDTH))
        a, b = np.empty(PART_WIDTH), np.empty(PART_WIDTH)
        for k in range(lot * LOT, min(len(pairs), (lot + 1) * LOT)):
            i, j, filled = pairs[k, 0], pairs[k, 1], 0
            _relative(turn[i], position[i], turn[j], position[j], r, p)
            for u in range(first[i], first[i] + count[i]):
                a[:] = parts[u]
                for v in range(first[j], first[j] + count[j]):
                    b[:] = parts[v]
                    m, nx, ny, nz = patch(
                        a, corners, cores, faces, normals, b, corners, cores, faces, normals, r, p[0], p[1], p[2],
                        reach[k], 0.0, out, room,
                    )  # fmt: skip
                    filled = _to_world(out, m, turn[i], position[i], nx, ny, nz, slots[k], filled)
            counts[k] = filled


@njit(cache=True)
def _triangles(tree, root, low, high, found):
    """Rows of the triangles of a mesh that a box overlaps, into `found`. Returns how many there are, which may be more
    than fit."""
    stack, top, n = np.empty(64, np.int64), 1, 0
    stack[0] = root
    while top > 0:
        top -= 1
        node = stack[top]
        apart = False
        for c in range(3):
            apart = apart or tree[node, c] > high[c] or tree[node, 3 + c] < low[c]
        if apart:
            continue
        start = int(tree[node, FIRST])
        if start >= 0:
            stack[top], stack[top + 1] = start, start + 1
            top += 2
            continue
        for row in range(-start, -start + int(tree[node, COUNT])):
            out = False
            for c in range(3):
                out = out or min(tree[row, c], tree[row, 3 + c], tree[row, 6 + c]) > high[c]
                out = out or max(tree[row, c], tree[row, 3 + c], tree[row, 6 + c]) < low[c]
            if not out:
                if n < len(found):
                    found[n] = row
                n += 1
    return n


@njit(cache=True)
def _seamless(triangle, nx, ny, nz, fx, fy, fz):
    """Whether a contact whose normal leans over an edge of a triangle is the edge's own: not where the mesh goes on
    there, flat or hollow, for then the neighbour has it. n is the contact's normal, f the triangle's."""
    for e in range(3):
        i, j = 3 * e, 3 * ((e + 1) % 3)
        ex, ey, ez = triangle[j] - triangle[i], triangle[j + 1] - triangle[i + 1], triangle[j + 2] - triangle[i + 2]
        sx, sy, sz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        long = math.sqrt(sx * sx + sy * sy + sz * sz) + 1e-300
        lean = (nx * sx + ny * sy + nz * sz) / long
        if lean < SEAM:
            continue
        at = 9 + 3 * (1 + e)
        mx, my, mz = triangle[at] - fx, triangle[at + 1] - fy, triangle[at + 2] - fz  # the neighbour's own
        if mx * mx + my * my + mz * mz < 0.25:
            continue  # no neighbour: a rim
        over, up = (mx * sx + my * sy + mz * sz) / long, mx * fx + my * fy + mz * fz
        if lean > over + 1e-3 and (over < SEAM or lean * up > over * (nx * fx + ny * fy + nz * fz) + 1e-3):
            return False
    return True


@njit(cache=True)
def _body_box(turn, place, reach, low, high, turn_o, place_o):
    """The box of a ball about a body, in an obstacle's frame."""
    for c in range(3):
        middle = 0.0
        for k in range(3):
            middle += turn_o[k, c] * (place[k] - place_o[k])
        low[c], high[c] = middle - reach, middle + reach


@njit(cache=True)
def _touch_part(
    a, b, sheet, turn_o, place_o, r, p, first, count, parts, corners, cores, faces, normals, reach, out, room, slots,
):  # fmt: skip
    """Points between an obstacle that is one part, or a sheet, and a body's parts; r and p are its pose in the
    obstacle's frame. Returns how many slots are filled."""
    side, filled = 0.0, 0
    if sheet:
        side = 1.0 if p[1] >= 0.0 else -1.0
    for v in range(first, first + count):
        b[:] = parts[v]
        n, nx, ny, nz = patch(
            a, corners, cores, faces, normals, b, corners, cores, faces, normals, r, p[0], p[1], p[2], reach, side,
            out, room,
        )  # fmt: skip
        if sheet and ny * side < -0.1:
            continue
        filled = _to_world(out, n, turn_o, place_o, nx, ny, nz, slots, filled)
    return filled


@njit(cache=True)
def _touch_triangles(
    rows, many, tree, s, outside, size, turn_o, place_o, r, p, first, count, parts, corners, cores, faces, normals,
    reach, out, room, slots,
):  # fmt: skip
    """Points between triangles, each a part with two faces, and a body's parts; s is the scale of their mesh. Returns
    how many slots are filled."""
    filled, a, b, corner, face, normal = (
        0, np.zeros(PART_WIDTH), np.empty(PART_WIDTH), np.empty((3, 3)), np.full((2, MOST_CORNERS), -1),
        np.empty((2, 3)),
    )  # fmt: skip
    a[KIND], a[CORNERS], a[FACE], a[FACES] = HULL, 3, 0, 2
    for c in range(3):
        face[0, c], face[1, c] = c, 2 - c
    for t in range(many):
        triangle = tree[rows[t]]
        fx, fy, fz = triangle[9], triangle[10], triangle[11]
        for c in range(9):
            corner[c // 3, c % 3] = s * triangle[c]
        above = fx * (p[0] - corner[0, 0]) + fy * (p[1] - corner[0, 1]) + fz * (p[2] - corner[0, 2])
        side = 1.0 if outside or above >= 0.0 else -1.0
        if outside and above < -size:
            continue
        normal[0, 0], normal[0, 1], normal[0, 2] = fx, fy, fz
        normal[1, 0], normal[1, 1], normal[1, 2] = -fx, -fy, -fz
        for v in range(first, first + count):
            b[:] = parts[v]
            n, nx, ny, nz = patch(
                a, corner, corner, face, normal, b, corners, cores, faces, normals, r, p[0], p[1], p[2], reach, side,
                out, room,
            )  # fmt: skip
            if n == 0 or side * (nx * fx + ny * fy + nz * fz) < 0.05:
                continue
            if outside and not _seamless(triangle, nx, ny, nz, fx, fy, fz):
                continue
            filled = _to_world(out, n, turn_o, place_o, nx, ny, nz, slots, filled)
    return filled


@njit(cache=True, parallel=True, nogil=True)
def touch_obstacles(
    pairs, position, turn, size, first, count, parts, corners, cores, faces, normals, obstacles, place_o, turn_o,
    scale_o, part_o, tree, reach, slots, counts,
):  # fmt: skip
    """Points between obstacles (A) and bodies (B), into slots (pairs, SLOTS, POINT_WIDTH), and how many, into `counts`
    (pairs,). pairs (k, 2) has an obstacle and a body.

    obstacles (M, 4): the kind of obstacle (0 a convex part, 1 a sheet, 2 triangles met from outside, 3 triangles met
    from either side), and the row of its mesh's root in `tree`. place_o (M, 3), turn_o (M, 3, 3) and scale_o (M,) are
    its pose, part_o (M,) its part. size (n,) is a body's reach.
    """
    lots = (len(pairs) + FEW_PAIRS - 1) // FEW_PAIRS
    for lot in prange(lots):
        r, p, room, out = np.empty((3, 3)), np.empty(3), np.empty((ROOM, 4)), np.empty((MOST_POINTS, OUT_WIDTH))
        a, b = np.empty(PART_WIDTH), np.empty(PART_WIDTH)
        low, high, rows = np.empty(3), np.empty(3), np.empty(FEW_TRIANGLES, np.int64)
        for k in range(lot * FEW_PAIRS, min(len(pairs), (lot + 1) * FEW_PAIRS)):
            m, i = pairs[k, 0], pairs[k, 1]
            _relative(turn_o[m], place_o[m], turn[i], position[i], r, p)
            kind = int(obstacles[m, 0])
            if kind <= 1:
                a[:] = parts[part_o[m]]
                counts[k] = _touch_part(
                    a, b, kind == 1, turn_o[m], place_o[m], r, p, first[i], count[i], parts, corners, cores, faces,
                    normals, reach[k], out, room, slots[k],
                )  # fmt: skip
                continue
            _body_box(turn[i], position[i], size[i] + reach[k], low, high, turn_o[m], place_o[m])
            for c in range(3):
                low[c], high[c] = low[c] / scale_o[m], high[c] / scale_o[m]
            many = _triangles(tree, int(obstacles[m, 1]), low, high, rows)
            if many > len(rows):  # a large body on a fine mesh
                rows = np.empty(many, np.int64)
                _triangles(tree, int(obstacles[m, 1]), low, high, rows)
            counts[k] = _touch_triangles(
                rows, many, tree, scale_o[m], kind == 2, size[i], turn_o[m], place_o[m], r, p, first[i], count[i],
                parts, corners, cores, faces, normals, reach[k], out, room, slots[k],
            )  # fmt: skip
