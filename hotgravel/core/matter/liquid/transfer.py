"""Between drops and the grid: affine particles in cells (Jiang, Schroeder, Selle, Teran and Stomakhin 2015), with a
share of the particles' own motion (Brackbill and Ruppel 1986; Zhu and Bridson 2005).

Places are in cells from the grid's low corner. A drop weighs on a face or a middle by how near it is along each axis,
none from a cell on. Drops are sorted into slabs of cells along x: slabs of even numbers, and then of odd ones, are laid
side by side, so that any number of threads adds up the same numbers in the same order.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Grid = NDArray[np.float32]
SLAB = 4  # cells: what a drop of one slab reaches, no drop of the next but one does
RADIUS = 0.56  # cells: a drop counts as so large where the surface is looked for
FAR = 3.0  # cells
BESIDE = 1.5  # cells: the middle of a cell is as near to what its drops may reach
OFF = 0.02  # cells: how far drops are kept off obstacles


@njit(cache=True)
def sorted_in(place, slabs, order, starts):
    """The rows of drops by slabs, in `order` (n,), and where each slab begins, in `starts` (s + 1,)."""
    starts[:] = 0
    for n in range(len(place)):
        starts[min(max(int(place[n, 0]) // SLAB, 0), slabs - 1) + 1] += 1
    for s in range(slabs):
        starts[s + 1] += starts[s]
    at = starts[:-1].copy()
    for n in range(len(place)):
        s = min(max(int(place[n, 0]) // SLAB, 0), slabs - 1)
        order[at[s]] = n
        at[s] += 1


@njit(cache=True, parallel=True, nogil=True)
def laid(place, velocity, affine, thick, order, starts, u, v, w, mu, mv, mw, tu, tv, tw, fill, near):
    """Lay drops on the grid, in place: momenta u, v, w over their weights mu, mv, mw; viscosities tu, tv, tw if they
    have room; how full each cell is, `fill`, 1 at rest, and how far its middle is from the nearest drop, `near`."""
    nx, ny, nz = fill.shape
    thickens = tu.size > 1
    for parity in range(2):
        for row in prange((len(starts) - parity) // 2):
            s = 2 * np.int64(row) + parity
            for at in range(starts[s], starts[s + 1]):
                n = order[at]
                x, y, z = place[n, 0], place[n, 1], place[n, 2]
                for axis in range(3):
                    ox, oy, oz = 0.5 * (axis != 0), 0.5 * (axis != 1), 0.5 * (axis != 2)
                    i, j, k = math.floor(x - ox), math.floor(y - oy), math.floor(z - oz)
                    fx, fy, fz = x - ox - i, y - oy - j, z - oz - k
                    flow = u if axis == 0 else (v if axis == 1 else w)
                    mass = mu if axis == 0 else (mv if axis == 1 else mw)
                    stiff = tu if axis == 0 else (tv if axis == 1 else tw)
                    for a in range(2):
                        for b in range(2):
                            for c in range(2):
                                p, q, r = i + a, j + b, k + c
                                if not (0 <= p < flow.shape[0] and 0 <= q < flow.shape[1] and 0 <= r < flow.shape[2]):
                                    continue
                                share = (fx if a else 1 - fx) * (fy if b else 1 - fy) * (fz if c else 1 - fz)
                                way = (
                                    affine[n, 3 * axis] * (a - fx)
                                    + affine[n, 3 * axis + 1] * (b - fy)
                                    + affine[n, 3 * axis + 2] * (c - fz)
                                )
                                flow[p, q, r] += share * (velocity[n, axis] + way)
                                mass[p, q, r] += share
                                if thickens:
                                    stiff[p, q, r] += share * thick[n]
                i, j, k = math.floor(x - 0.5), math.floor(y - 0.5), math.floor(z - 0.5)
                fx, fy, fz = x - 0.5 - i, y - 0.5 - j, z - 0.5 - k
                for a in range(2):
                    for b in range(2):
                        for c in range(2):
                            if 0 <= i + a < nx and 0 <= j + b < ny and 0 <= k + c < nz:
                                share = (fx if a else 1 - fx) * (fy if b else 1 - fy) * (fz if c else 1 - fz)
                                fill[i + a, j + b, k + c] += 0.125 * share
                ci, cj, ck = math.floor(x), math.floor(y), math.floor(z)
                for p in range(max(ci - 1, 0), min(ci + 2, nx)):
                    for q in range(max(cj - 1, 0), min(cj + 2, ny)):
                        for r in range(max(ck - 1, 0), min(ck + 2, nz)):
                            away = math.sqrt((p + 0.5 - x) ** 2 + (q + 0.5 - y) ** 2 + (r + 0.5 - z) ** 2) - RADIUS
                            if away < near[p, q, r]:
                                near[p, q, r] = away


@njit(cache=True, parallel=True, nogil=True)
def shared_out(flow, mass, known):
    """Momenta over weights become velocities, in place; `known` tells where there are any."""
    for i in prange(flow.shape[0]):
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                known[i, j, k] = mass[i, j, k] > 0.0
                if mass[i, j, k] > 0.0:
                    flow[i, j, k] /= mass[i, j, k]


@njit(cache=True, parallel=True, nogil=True)
def _spread(flow, known, out, out_known):
    nx, ny, nz = flow.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k], out_known[i, j, k] = flow[i, j, k], known[i, j, k]
                if known[i, j, k]:
                    continue
                total, many = np.float32(0.0), 0
                for side in range(6):
                    a, way = side // 2, 2 * (side % 2) - 1
                    p, q, r = i + way * (a == 0), j + way * (a == 1), k + way * (a == 2)
                    if 0 <= p < nx and 0 <= q < ny and 0 <= r < nz and known[p, q, r]:
                        total += flow[p, q, r]
                        many += 1
                if many:
                    out[i, j, k], out_known[i, j, k] = total / many, True


def extended(flow: Grid, known: NDArray[np.bool_], cells: int) -> Grid:
    """Velocities that go on for so many cells beyond where they are known."""
    there, other, told, other_told = flow, np.empty_like(flow), known, np.empty_like(known)
    for _ in range(cells):
        _spread(there, told, other, other_told)
        there, told, other, other_told = other, other_told, np.empty_like(flow), np.empty_like(known)
    return there


@njit(cache=True, inline="always")
def _along(flow, axis, x, y, z):
    """A velocity along an axis at a place, between the eight faces about it."""
    x, y, z = x - 0.5 * (axis != 0), y - 0.5 * (axis != 1), z - 0.5 * (axis != 2)
    x = min(max(x, 0.0), flow.shape[0] - 1.001)
    y = min(max(y, 0.0), flow.shape[1] - 1.001)
    z = min(max(z, 0.0), flow.shape[2] - 1.001)
    i, j, k = int(x), int(y), int(z)
    fx, fy, fz = x - i, y - j, z - k
    near = (flow[i, j, k] * (1 - fz) + flow[i, j, k + 1] * fz) * (1 - fy)
    near += (flow[i, j + 1, k] * (1 - fz) + flow[i, j + 1, k + 1] * fz) * fy
    far = (flow[i + 1, j, k] * (1 - fz) + flow[i + 1, j, k + 1] * fz) * (1 - fy)
    far += (flow[i + 1, j + 1, k] * (1 - fz) + flow[i + 1, j + 1, k + 1] * fz) * fy
    return near * (1 - fx) + far * fx


@njit(cache=True, parallel=True, nogil=True)
def taken(place, velocity, affine, u, v, w, u0, v0, w0, lively):
    """Give drops, in place, the motion of the grid: by the share `lively` what has been added to it since u0, v0, w0,
    else all of it."""
    for n in prange(len(place)):
        x, y, z = place[n, 0], place[n, 1], place[n, 2]
        now = (_along(u, 0, x, y, z), _along(v, 1, x, y, z), _along(w, 2, x, y, z))
        was = (_along(u0, 0, x, y, z), _along(v0, 1, x, y, z), _along(w0, 2, x, y, z))
        for axis in range(3):
            own = velocity[n, axis] + now[axis] - was[axis]
            velocity[n, axis] = lively * own + (1.0 - lively) * now[axis]
        for axis in range(3):
            flow = u if axis == 0 else (v if axis == 1 else w)
            ox, oy, oz = 0.5 * (axis != 0), 0.5 * (axis != 1), 0.5 * (axis != 2)
            i = min(max(math.floor(x - ox), 0), flow.shape[0] - 2)
            j = min(max(math.floor(y - oy), 0), flow.shape[1] - 2)
            k = min(max(math.floor(z - oz), 0), flow.shape[2] - 2)
            fx, fy, fz = x - ox - i, y - oy - j, z - oz - k
            gx, gy, gz = 0.0, 0.0, 0.0
            for a in range(2):
                for b in range(2):
                    for c in range(2):
                        value = flow[i + a, j + b, k + c]
                        wx, wy, wz = (fx if a else 1 - fx), (fy if b else 1 - fy), (fz if c else 1 - fz)
                        gx += (1.0 if a else -1.0) * wy * wz * value
                        gy += (1.0 if b else -1.0) * wx * wz * value
                        gz += (1.0 if c else -1.0) * wx * wy * value
            affine[n, 3 * axis] = gx
            affine[n, 3 * axis + 1] = gy
            affine[n, 3 * axis + 2] = gz


@njit(cache=True, parallel=True, nogil=True)
def carried(place, u, v, w, steps, moved):
    """Where drops are carried, into `moved` (n, 3), within `steps` cells per m/s, by the velocity half way."""
    for n in prange(len(place)):
        x, y, z = place[n, 0], place[n, 1], place[n, 2]
        mx = x + 0.5 * steps * _along(u, 0, x, y, z)
        my = y + 0.5 * steps * _along(v, 1, x, y, z)
        mz = z + 0.5 * steps * _along(w, 2, x, y, z)
        moved[n, 0] = x + steps * _along(u, 0, mx, my, mz)
        moved[n, 1] = y + steps * _along(v, 1, mx, my, mz)
        moved[n, 2] = z + steps * _along(w, 2, mx, my, mz)


@njit(cache=True, parallel=True, nogil=True)
def close_by(place, moved, distance, near):
    """Which drops are so near to obstacles that they may reach them on their way, into `near` (n,)."""
    nx, ny, nz = distance.shape
    for n in prange(len(place)):
        i = min(max(int(place[n, 0]), 0), nx - 1)
        j = min(max(int(place[n, 1]), 0), ny - 1)
        k = min(max(int(place[n, 2]), 0), nz - 1)
        x, y, z = moved[n, 0] - place[n, 0], moved[n, 1] - place[n, 1], moved[n, 2] - place[n, 2]
        near[n] = distance[i, j, k] < math.sqrt(x * x + y * y + z * z) + BESIDE


@njit(cache=True, parallel=True, nogil=True)
def kept_out(moved, distance):
    """Move drops that lie in obstacles, or closer to them than `OFF`, out of them, in place; `distance` is that of
    middles, in cells."""
    nx, ny, nz = distance.shape
    for n in prange(len(moved)):
        x = min(max(moved[n, 0] - 0.5, 0.0), nx - 1.001)
        y = min(max(moved[n, 1] - 0.5, 0.0), ny - 1.001)
        z = min(max(moved[n, 2] - 0.5, 0.0), nz - 1.001)
        i, j, k = int(x), int(y), int(z)
        fx, fy, fz = x - i, y - j, z - k
        deep, gx, gy, gz = 0.0, 0.0, 0.0, 0.0
        for a in range(2):
            for b in range(2):
                for c in range(2):
                    value = distance[i + a, j + b, k + c]
                    wx, wy, wz = (fx if a else 1 - fx), (fy if b else 1 - fy), (fz if c else 1 - fz)
                    deep += wx * wy * wz * value
                    gx += (1.0 if a else -1.0) * wy * wz * value
                    gy += (1.0 if b else -1.0) * wx * wz * value
                    gz += (1.0 if c else -1.0) * wx * wy * value
        if deep < OFF:
            deep -= OFF
            size = math.sqrt(gx * gx + gy * gy + gz * gz)
            if size > 1e-6:
                moved[n, 0] -= deep * gx / size
                moved[n, 1] -= deep * gy / size
                moved[n, 2] -= deep * gz / size
