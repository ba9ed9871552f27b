"""Turns of many things at once, as quaternions x, y, z, w, by kernels: for the few hundred that a shot has, making
objects for them takes longer than all of their numbers."""

import math

import numpy as np
from numba import njit


@njit(cache=True)
def turn_matrix(q, out):
    """The rotation (3, 3) of a unit quaternion."""
    x, y, z, w = q[0], q[1], q[2], q[3]
    out[0, 0], out[0, 1], out[0, 2] = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
    out[1, 0], out[1, 1], out[1, 2] = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
    out[2, 0], out[2, 1], out[2, 2] = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)


@njit(cache=True)
def turned_after(p, q):
    """The quaternion of a turn `p` after another, `q`."""
    return (
        p[3] * q[0] + p[0] * q[3] + p[1] * q[2] - p[2] * q[1],
        p[3] * q[1] - p[0] * q[2] + p[1] * q[3] + p[2] * q[0],
        p[3] * q[2] + p[0] * q[1] - p[1] * q[0] + p[2] * q[3],
        p[3] * q[3] - p[0] * q[0] - p[1] * q[1] - p[2] * q[2],
    )


@njit(cache=True, nogil=True)
def matrices(turns):
    """The rotations (n, 3, 3) of unit quaternions (n, 4)."""
    made = np.empty((len(turns), 3, 3))
    for n in range(len(turns)):
        turn_matrix(turns[n], made[n])
    return made


@njit(cache=True, nogil=True)
def spins(start, end, dt):
    """Spins (n, 3), radians a second, that lead from unit quaternions (n, 4) to others the short way in dt seconds."""
    made = np.empty((len(start), 3))
    for n in range(len(start)):
        p = start[n]
        x, y, z, w = turned_after(end[n], (-p[0], -p[1], -p[2], p[3]))
        half = math.sqrt(x * x + y * y + z * z)
        share = 2.0 * math.atan2(half, abs(w)) / half if half > 1e-12 else 2.0
        share *= (1.0 if w >= 0.0 else -1.0) / dt
        made[n, 0], made[n, 1], made[n, 2] = share * x, share * y, share * z
    return made


@njit(cache=True, nogil=True)
def frames_of(place, turn, scale, which, back, centre):
    """Where the frames of things stand, origins (n, 3) and quaternions (n, 4), of which bodies are at places (n, 3),
    turned (n, 4) and so large (n,): by kind (n,), a body's frame turned `back` (K, 4) is the thing's, in which its
    centre is at `centre` (K, 3)."""
    origin, made, m = np.empty((len(place), 3)), np.empty((len(place), 4)), np.empty((3, 3))
    for n in range(len(place)):
        kind = which[n]
        made[n, 0], made[n, 1], made[n, 2], made[n, 3] = turned_after(turn[n], back[kind])
        turn_matrix(made[n], m)
        for e in range(3):
            away = m[e, 0] * centre[kind, 0] + m[e, 1] * centre[kind, 1] + m[e, 2] * centre[kind, 2]
            origin[n, e] = place[n, e] - scale[n] * away
    return origin, made
