"""Exact signed distance to each primitive, with its gradient, in the shape's own frame.

Negative inside; a plane and a disc are sheets and have no inside. Distances in metres.
Closed forms follow from projecting onto the nearest face, edge or corner.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.shape.bvh import mesh_distance

SPHERE, HEMISPHERE, BOX, PLANE, DISC, CYLINDER, CONE, TORUS, MESH = range(9)
TORUS_OR_MESH = TORUS  # kinds from here on are not convex


@njit(cache=True)
def _towards(dx, dy, length):
    """The unit vector along (dx, dy); up where it has no length."""
    if length > 0.0:
        return dx / length, dy / length
    return 0.0, 1.0


@njit(cache=True)
def _hemisphere(rho, y, radius):
    middle = math.sqrt(rho * rho + y * y)
    if y >= 0.0:
        if middle >= radius or radius - middle < y:
            gr, gy = _towards(rho, y, middle)
            return middle - radius, gr, gy
        return -y, 0.0, -1.0
    if rho <= radius:
        return -y, 0.0, -1.0
    dx = rho - radius
    d = math.sqrt(dx * dx + y * y)
    return d, dx / d, y / d


@njit(cache=True)
def _cylinder(rho, y, radius, height):
    dx = rho - radius
    dy = abs(y) - 0.5 * height
    up = 1.0 if y >= 0.0 else -1.0
    if dx > 0.0 and dy > 0.0:
        d = math.sqrt(dx * dx + dy * dy)
        return d, dx / d, up * dy / d
    if dx > dy:
        return dx, 1.0, 0.0
    return dy, 0.0, up


@njit(cache=True)
def _segment(px, py, ax, ay, bx, by):
    ex, ey = bx - ax, by - ay
    t = ((px - ax) * ex + (py - ay) * ey) / (ex * ex + ey * ey)
    t = min(1.0, max(0.0, t))
    dx, dy = px - ax - t * ex, py - ay - t * ey
    return math.sqrt(dx * dx + dy * dy), dx, dy


@njit(cache=True)
def _cone(rho, y, radius, height):
    half = 0.5 * height
    slant = math.sqrt(radius * radius + height * height)
    nx, ny = height / slant, radius / slant
    d1, dx1, dy1 = _segment(rho, y, 0.0, -half, radius, -half)
    d2, dx2, dy2 = _segment(rho, y, radius, -half, 0.0, half)
    above_slant = rho * nx + (y - half) * ny
    inside = y > -half and above_slant < 0.0
    if inside:
        if d1 < d2:
            return -d1, 0.0, -1.0
        return -d2, nx, ny
    if d1 < d2:
        if d1 > 0.0:
            return d1, dx1 / d1, dy1 / d1
        return 0.0, 0.0, -1.0
    if d2 > 0.0:
        return d2, dx2 / d2, dy2 / d2
    return 0.0, nx, ny


@njit(cache=True)
def _box(x, y, z, hx, hy, hz):
    qx, qy, qz = abs(x) - hx, abs(y) - hy, abs(z) - hz
    sx = 1.0 if x >= 0.0 else -1.0
    sy = 1.0 if y >= 0.0 else -1.0
    sz = 1.0 if z >= 0.0 else -1.0
    if qx <= 0.0 and qy <= 0.0 and qz <= 0.0:
        if qx >= qy and qx >= qz:
            return qx, sx, 0.0, 0.0
        if qy >= qz:
            return qy, 0.0, sy, 0.0
        return qz, 0.0, 0.0, sz
    ox, oy, oz = max(qx, 0.0), max(qy, 0.0), max(qz, 0.0)
    d = math.sqrt(ox * ox + oy * oy + oz * oz)
    return d, sx * ox / d, sy * oy / d, sz * oz / d


@njit(cache=True)
def distance(kind, a, b, c, tree, x, y, z):
    """Signed distance and gradient (d, gx, gy, gz) at a point in the shape's frame.

    a, b, c are the shape's sizes in metres as `kinds.Shaped` states; for a mesh a is its
    root's row in `tree` and b is 1 if it is closed.
    """
    if kind == MESH:
        return mesh_distance(tree, int(a), b, x, y, z)
    return _simple(kind, a, b, c, x, y, z)


@njit(cache=True)
def _simple(kind, a, b, c, x, y, z):
    """`distance` for all but meshes, whose trees take longer to hand over than these to reckon."""
    if kind == PLANE:
        d, gx, gy, gz = _box(x, y, z, 0.5 * a, 0.0, 0.5 * b)
        return d, gx, gy, gz
    if kind == BOX:
        return _box(x, y, z, 0.5 * a, 0.5 * b, 0.5 * c)
    if kind == SPHERE:
        d = math.sqrt(x * x + y * y + z * z)
        if d > 0.0:
            return d - a, x / d, y / d, z / d
        return -a, 0.0, 1.0, 0.0
    rho = math.sqrt(x * x + z * z)
    if kind == HEMISPHERE:
        d, gr, gy = _hemisphere(rho, y, a)
    elif kind == CYLINDER:
        d, gr, gy = _cylinder(rho, y, a, b)
    elif kind == DISC:
        d, gr, gy = _cylinder(rho, y, a, 0.0)
    elif kind == CONE:
        d, gr, gy = _cone(rho, y, a, b)
    else:
        dx = rho - a
        d = math.sqrt(dx * dx + y * y)
        gr, gy = _towards(dx, y, d)
        d -= b
    if rho > 0.0:
        return d, gr * x / rho, gy, gr * z / rho
    return d, gr, gy, 0.0


@njit(cache=True, parallel=True, nogil=True)
def distances(kind, sizes, tree, points):
    """`distance` of many points (n, 3). Returns (n, 4): distance and gradient."""
    out = np.empty((len(points), 4))
    for i in prange(len(points)):
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        # a tuple taken as a row would compile the text of its errors too: 5 s
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = distance(kind, sizes[0], sizes[1], sizes[2], tree, x, y, z)
    return out


@njit(cache=True, parallel=True, nogil=True)
def gaps(kind, sizes, tree, points, rotation, place, scale):
    """Signed distances (n,) of points (n, 3) in the world from a shape that stands turned by a rotation
    (3, 3), at a place (3,), so many times its size."""
    out, share = np.empty(len(points)), 1.0 / scale
    if kind == SPHERE:  # a fifth of the time: no turning, no branches, no gradient
        for i in prange(len(points)):
            x, y, z = points[i, 0] - place[0], points[i, 1] - place[1], points[i, 2] - place[2]
            out[i] = math.sqrt(x * x + y * y + z * z) - scale * sizes[0]
        return out
    for i in prange(len(points)):
        x, y, z = points[i, 0] - place[0], points[i, 1] - place[1], points[i, 2] - place[2]
        lx = share * (rotation[0, 0] * x + rotation[1, 0] * y + rotation[2, 0] * z)
        ly = share * (rotation[0, 1] * x + rotation[1, 1] * y + rotation[2, 1] * z)
        lz = share * (rotation[0, 2] * x + rotation[1, 2] * y + rotation[2, 2] * z)
        if kind == MESH:
            d, _gx, _gy, _gz = mesh_distance(tree, int(sizes[0]), sizes[1], lx, ly, lz)
        else:
            d, _gx, _gy, _gz = _simple(kind, sizes[0], sizes[1], sizes[2], lx, ly, lz)
        out[i] = scale * d
    return out
