"""Where two convex parts touch, or will soon: a patch of a few points with one normal.

The direction comes from the distance between the cores; the patch is the face of one part clipped to the sides of the
other's (Sutherland and Hodgman 1974). Edges that cross have one point.
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.gjk import closest
from hotgravel.core.matter.rigid.leads import BY_A, BY_B, BY_NOTHING, EVEN, OUT_LEAD, lead, lead_edges
from hotgravel.core.matter.rigid.lines import along_lines
from hotgravel.core.matter.rigid.support import (
    BALL,
    BLOCK,
    DRUM,
    FACE,
    FACES,
    HULL,
    KIND,
    MARGIN,
    MOST_CORNERS,
    SIZE,
    face_towards,
    support,
)  # fmt: skip
from hotgravel.core.vectors import at, cross, dot, mixed, plus, put

MOST_POINTS, FEW = 8, 4  # of a patch, and of one of faces that lie flat on one another, which all press
FACING = 0.95  # the cosine from which on a face counts as what touches, not its edge
LEANING = 0.7  # the same, where nothing parts them better than that face
SAME = 0.05  # of the margins: gaps that differ by less are the same
WIDE = MOST_CORNERS + 8  # corners of a face that has been clipped
ROOM = 4 * WIDE  # rows of scratch, 4 wide; a simplex needs fewer


@njit(cache=True, inline="always")
def _in_a(r, x, y, z):
    """A direction of B's frame in A's."""
    return (r[0, 0] * x + r[0, 1] * y + r[0, 2] * z, r[1, 0] * x + r[1, 1] * y + r[1, 2] * z,
            r[2, 0] * x + r[2, 1] * y + r[2, 2] * z)  # fmt: skip


@njit(cache=True, inline="always")
def _in_b(r, x, y, z):
    """A direction of A's frame in B's."""
    return (r[0, 0] * x + r[1, 0] * y + r[2, 0] * z, r[0, 1] * x + r[1, 1] * y + r[2, 1] * z,
            r[0, 2] * x + r[1, 2] * y + r[2, 2] * z)  # fmt: skip


@njit(cache=True)
def _overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, x, y, z):
    """How far A and B overlap along a direction from A to B."""
    ax, ay, az = support(part_a, corners_a, False, x, y, z)
    lx, ly, lz = _in_b(r, x, y, z)
    bx, by, bz = support(part_b, corners_b, False, -lx, -ly, -lz)
    return (ax * x + ay * y + az * z) - (bx * lx + by * ly + bz * lz) - (px * x + py * y + pz * z)


@njit(cache=True)
def _way_out(part, normals, k, px, py, pz):
    """The k-th direction in which a part could be left: its faces' normals; for a drum also straight off its axis."""
    kind = int(part[KIND])
    if kind == BLOCK:
        side = 1.0 if k % 2 == 0 else -1.0
        return side * (k // 2 == 0), side * (k // 2 == 1), side * (k // 2 == 2)
    if kind == DRUM:
        if k < 2:
            return 0.0, (1.0 if k == 0 else -1.0), 0.0
        rho = math.sqrt(px * px + pz * pz)
        return (px / rho, 0.0, pz / rho) if rho > 1e-12 else (1.0, 0.0, 0.0)
    f = int(part[FACE]) + k
    return normals[f, 0], normals[f, 1], normals[f, 2]


@njit(cache=True)
def _ways(part):
    """In how many directions a part could be left."""
    kind = int(part[KIND])
    if kind == HULL:
        return int(part[FACES])
    return 0 if kind == BALL else (6 if kind == BLOCK else 3)


@njit(cache=True)
def _shallowest(part_a, corners_a, normals_a, part_b, corners_b, normals_b, r, px, py, pz, side):
    """The direction from A to B along which they overlap least, of those that their faces offer. `side` is 1 or -1
    where A is a sheet: only the way to that side of its first face is open."""
    best, nx, ny, nz = np.inf, 0.0, 1.0, 0.0
    if side != 0.0:
        f = int(part_a[FACE])
        return side * normals_a[f, 0], side * normals_a[f, 1], side * normals_a[f, 2]
    for k in range(_ways(part_a)):
        x, y, z = _way_out(part_a, normals_a, k, px, py, pz)
        o = _overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, x, y, z)
        if o < best:
            best, nx, ny, nz = o, x, y, z
    qx = -(r[0, 0] * px + r[1, 0] * py + r[2, 0] * pz)
    qz = -(r[0, 2] * px + r[1, 2] * py + r[2, 2] * pz)
    for k in range(_ways(part_b)):
        lx, ly, lz = _way_out(part_b, normals_b, k, qx, 0.0, qz)
        x, y, z = _in_a(r, -lx, -ly, -lz)
        o = _overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, x, y, z)
        if o < best:
            best, nx, ny, nz = o, x, y, z
    if best == np.inf:  # two balls: straight apart
        far = math.sqrt(px * px + py * py + pz * pz)
        if far > 1e-12:
            nx, ny, nz = px / far, py / far, pz / far
    return nx, ny, nz


@njit(cache=True)
def _clipped(poly, n, other, m, nx, ny, nz, spare):
    """The part of a polygon (n corners) that lies within the prism over another (m corners, counter-clockwise about its
    normal), in place. Returns its corners' count. All are (WIDE, 4); the last column is scratch."""
    for k in range(m):
        start = at(other, k)
        side = cross(plus(at(other, k + 1 if k + 1 < m else 0), -1.0, start), (nx, ny, nz))
        off, out = dot(side, start), 0
        for i in range(n):
            poly[i, 3] = dot(side, at(poly, i)) - off
            out += poly[i, 3] > 0.0
        if out == 0:
            continue
        kept = 0
        for i in range(n):
            h = i + 1 if i + 1 < n else 0
            d0, d1 = poly[i, 3], poly[h, 3]
            if d0 <= 0.0 and kept < WIDE:
                put(spare, kept, at(poly, i))
                kept += 1
            if d0 * d1 < 0.0 and kept < WIDE and not (n == 2 and i == 1):  # a line has no way back
                t = d0 / (d0 - d1)
                put(spare, kept, mixed(1.0 - t, at(poly, i), t, at(poly, h)))
                kept += 1
        n = kept
        for i in range(n):
            put(poly, i, at(spare, i))
    return n


@njit(cache=True)
def _to_the_front(points, n, most):
    """Moves so many of the points (n, 4; the last is the gap) to the front as say most: the deepest, the one farthest
    from it, and on, each farthest from those before it."""
    deep = 0
    for i in range(n):
        if points[i, 3] < points[deep, 3]:
            deep = i
    _swap(points, 0, deep)
    for place in range(1, most):
        best, at = -1.0, place
        for i in range(place, n):
            nearest = np.inf
            for j in range(place):
                d = 0.0
                for c in range(3):
                    d += (points[i, c] - points[j, c]) ** 2
                nearest = min(nearest, d)
            if nearest > best:
                best, at = nearest, i
        _swap(points, place, at)


@njit(cache=True)
def _swap(points, i, j):
    for c in range(4):
        points[i, c], points[j, c] = points[j, c], points[i, c]


@njit(cache=True, inline="always")
def _face_on_face(
    part_a, corners_a, faces_a, normals_a, part_b, corners_b, faces_b, normals_b, r, px, py, pz, nx, ny, nz,
    lx, ly, lz, gap, least, reach, out, room,
):  # fmt: skip
    """The patch of two faces of which one looks along the normal n from A to B (l in B's frame), into `out`. Returns
    how many points it has, none where no face does, and the normal of the face that the other was clipped to.

    A face counts that looks along n; one that leans from it counts where A and B, which are `gap` apart along n, are no
    nearer along its normal: then a face parts them, not an edge. `least` is the cosine of how far it may lean.
    """
    of_a, of_b, spare = room[:WIDE], room[WIDE : 2 * WIDE], room[2 * WIDE : 3 * WIDE]
    n_a, ax, ay, az = face_towards(part_a, corners_a, faces_a, normals_a, nx, ny, nz, of_a)
    n_b, bx, by, bz = face_towards(part_b, corners_b, faces_b, normals_b, lx, ly, lz, of_b)
    for i in range(n_b):
        x, y, z = _in_a(r, of_b[i, 0], of_b[i, 1], of_b[i, 2])
        of_b[i, 0], of_b[i, 1], of_b[i, 2] = x + px, y + py, z + pz
    gx, gy, gz = _in_a(r, bx, by, bz)
    leans = abs(ax * gx + ay * gy + az * gz) < EVEN
    along_a = ax * nx + ay * ny + az * nz if n_a > 2 else -1.0
    along_b = bx * lx + by * ly + bz * lz if n_b > 2 else -1.0
    apart_a = apart_b = -np.inf
    if along_a > least:
        apart_a = -_overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, ax, ay, az)
    if along_b > least:
        apart_b = -_overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, -gx, -gy, -gz)
    alike = SAME * (part_a[MARGIN] + part_b[MARGIN])
    if max(along_a, along_b) <= FACING and max(apart_a, apart_b) < gap - alike:
        if n_a > 2 and n_b > 2:
            lead_edges(out, of_a, n_a, of_b, n_b, (nx, ny, nz))
            return 0, 0.0, 0.0, 0.0
        count = along_lines(
            of_a, n_a, (ax, ay, az), part_a[SIZE], of_b, n_b, (gx, gy, gz), part_b[SIZE], (nx, ny, nz), reach, out
        )
        return count, nx, ny, nz
    if apart_a >= apart_b - alike:
        way, ref, m, cut, n, gx, gy, gz = 1.0, of_a, n_a, of_b, n_b, ax, ay, az
    else:
        way, ref, m, cut, n, gx, gy, gz = -1.0, of_b, n_b, of_a, n_a, -gx, -gy, -gz
    whole, many, own = room[3 * WIDE :], n if n > 2 and m > 2 and leans else 0, BY_A if way > 0.0 else BY_B
    for i in range(many):
        put(whole, i, at(cut, i))
    n, count = _clipped(cut, n, ref, m, way * gx, way * gy, way * gz, spare), 0
    for i in range(n):
        g = way * (gx * (cut[i, 0] - ref[0, 0]) + gy * (cut[i, 1] - ref[0, 1]) + gz * (cut[i, 2] - ref[0, 2]))
        if g > reach:
            continue
        half = 0.5 * way * g
        cut[count, 0], cut[count, 1] = cut[i, 0] - half * gx, cut[i, 1] - half * gy
        cut[count, 2], cut[count, 3] = cut[i, 2] - half * gz, g
        count += 1
    most = MOST_POINTS if leans else FEW
    if count > most:
        _to_the_front(cut, count, most)
        count = most
    for i in range(count):
        for c in range(4):
            out[i, c] = cut[i, c]
        out[i, OUT_LEAD] = own if leans else BY_NOTHING
        if many > 0:
            point = plus(at(cut, i), 0.5 * way * cut[i, 3], (gx, gy, gz))
            lead(out, i, point, ref, m, (way * gx, way * gy, way * gz), whole, many, (gx, gy, gz), own)
    return count, gx, gy, gz


@njit(cache=True)
def patch(
    part_a, corners_a, cores_a, faces_a, normals_a, part_b, corners_b, cores_b, faces_b, normals_b, r, px, py, pz,
    reach, side, out, room,
):  # fmt: skip
    """Points where A touches B or is nearer than `reach`, in A's frame, half way between both surfaces, with their gaps
    and what leads them, into `out` (MOST_POINTS, OUT_WIDTH). Returns how many, and the normal from A to B.

    B stands at (px, py, pz) in A's frame, turned by r. `side` is 0, or 1 or -1 for a sheet: the side of its first face
    that B is on. room (ROOM, 4) is scratch.
    """
    if side == 0.0:  # most that are too far apart are so along the way between them, which is soon found out
        far = math.sqrt(px * px + py * py + pz * pz) + 1e-300
        x, y, z = px / far, py / far, pz / far
        if -_overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, x, y, z) > reach:
            return 0, 0.0, 0.0, 0.0
    d, nx, ny, nz, qx, qy, qz = closest(part_a, cores_a, part_b, cores_b, True, r, px, py, pz, px, py, pz, room)
    deep = d <= 0.0
    if deep:
        nx, ny, nz = _shallowest(
            part_a, corners_a, normals_a, part_b, corners_b, normals_b, r, px, py, pz, side
        )  # fmt: skip
    # Along the normal, of the shapes themselves: edges and corners reach farther than a margin around their cores.
    gap = -_overlap(part_a, corners_a, part_b, corners_b, r, px, py, pz, nx, ny, nz)
    if gap > reach:
        return 0, 0.0, 0.0, 0.0
    lx, ly, lz = _in_b(r, -nx, -ny, -nz)
    out[0, OUT_LEAD] = BY_NOTHING
    if int(part_a[KIND]) != BALL and int(part_b[KIND]) != BALL:
        count, gx, gy, gz = _face_on_face(
            part_a, corners_a, faces_a, normals_a, part_b, corners_b, faces_b, normals_b, r, px, py, pz, nx, ny, nz,
            lx, ly, lz, gap, FACING if side != 0.0 else LEANING, reach, out, room,
        )  # fmt: skip
        if count > 0:
            return count, gx, gy, gz
    if deep:
        bx, by, bz = support(part_b, corners_b, False, lx, ly, lz)
        bx, by, bz = _in_a(r, bx, by, bz)
        qx, qy, qz = bx + px - gap * nx, by + py - gap * ny, bz + pz - gap * nz
    else:
        qx, qy, qz = qx + part_a[MARGIN] * nx, qy + part_a[MARGIN] * ny, qz + part_a[MARGIN] * nz
    out[0, 0], out[0, 1], out[0, 2], out[0, 3] = qx + 0.5 * gap * nx, qy + 0.5 * gap * ny, qz + 0.5 * gap * nz, gap
    return 1, nx, ny, nz
