"""Carrying what adds up, by what goes through each face, so that none of it is made or lost on the way.

One axis after the other, to and fro (Strang 1968). The value at a face is of third order (Leonard 1979), limited so
that nothing new is made (Sweby 1984). Air goes through the same faces, so that what is even stays even while a cell
has gained along one axis what it will lose along another (Easter 1993).

Fields (m, nx, ny, nz) stand in the middles of cells. Courant numbers stand on faces as velocities do: which share of a
cell's room goes through each.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.fluid.project import Faces, Grid

EMPTIED = 0.9  # of a cell, at most, that flows out of it before what flows in is seen
NONE, ONE, TWO, SIXTH = np.float32(0.0), np.float32(1.0), np.float32(2.0), np.float32(1.0 / 6.0)


@njit(cache=True)
def _at_face(far, up, down, share):
    """The mean of what goes through a face, from the two cells up the flow and the one down it, of which it takes a
    share of the nearer one."""
    ahead, behind, stays = down - up, up - far, ONE - share
    lean = SIXTH * stays * abs((TWO - share) * ahead + (ONE + share) * behind)
    step = min(lean, min(abs(ahead), TWO * stays * abs(behind)))
    step = step if ahead > NONE else -step
    return up + (step if ahead * behind > NONE else NONE)


@njit(cache=True, parallel=True, nogil=True)
def _across(fields, room, courant, axis, beyond, through, row, out, left):
    """Fields carried along the first axis or the second one, into out; and how much room is left (nx, ny, nz), of how
    much there was. beyond (m, 3, 2) is what they are past the ends of the box. through (rows, 2, m, nz) and row
    (rows, nz) are for use: no row is another's."""
    many, nx, ny, nz = fields.shape
    cells, rows = (nx, ny) if axis == 0 else (ny, nx)
    for task in prange(rows):
        r = np.int64(task)
        for face in range(cells + 1):
            new, old = face & 1, 1 - (face & 1)
            a, b, c, d = max(face - 2, 0), max(face - 1, 0), min(face, cells - 1), min(face + 1, cells - 1)
            ia, ib, ic, id_ = (a, b, c, d) if axis == 0 else (r, r, r, r)
            ja, jb, jc, jd = (r, r, r, r) if axis == 0 else (a, b, c, d)
            i, j = (face, r) if axis == 0 else (r, face)
            for k in range(nz):
                behind, ahead = room[ib, jb, k], room[ic, jc, k]
                row[r, k] = abs(courant[i, j, k]) / (behind if courant[i, j, k] >= NONE else ahead)
            for m in range(many):
                if 0 < face < cells:
                    for k in range(nz):
                        go = courant[i, j, k]
                        p, q = fields[m, ia, ja, k], fields[m, ib, jb, k]
                        s, t = fields[m, ic, jc, k], fields[m, id_, jd, k]
                        up, down, far = (q, s, p) if go >= NONE else (s, q, t)
                        through[r, new, m, k] = go * _at_face(far, up, down, row[r, k])
                else:
                    outside = beyond[m, axis, min(face, 1)]
                    for k in range(nz):
                        go, here = courant[i, j, k], fields[m, ic, jc, k]
                        low, high = (outside, here) if face == 0 else (here, outside)
                        through[r, new, m, k] = max(go, NONE) * low + min(go, NONE) * high
            if face == 0:
                continue
            for k in range(nz):
                left[ib, jb, k] = room[ib, jb, k] + courant[ib, jb, k] - courant[i, j, k]
                row[r, k] = ONE / left[ib, jb, k]
            for m in range(many):
                for k in range(nz):
                    had = room[ib, jb, k] * fields[m, ib, jb, k]
                    out[m, ib, jb, k] = (had + through[r, old, m, k] - through[r, new, m, k]) * row[r, k]


@njit(cache=True, parallel=True, nogil=True)
def _along(fields, room, courant, beyond, through, row, out, left):
    """The same along the last axis; through (nx, nz + 1) and row (nx, nz) are for use."""
    many, nx, ny, nz = fields.shape
    for i in prange(nx):
        for j in range(ny):
            for k in range(nz - 1):
                behind, ahead = room[i, j, k], room[i, j, k + 1]
                row[i, k] = abs(courant[i, j, k + 1]) / (behind if courant[i, j, k + 1] >= NONE else ahead)
            for k in range(nz):
                left[i, j, k] = room[i, j, k] + courant[i, j, k] - courant[i, j, k + 1]
            for m in range(many):
                low, high = courant[i, j, 0], courant[i, j, nz]
                through[i, 0] = max(low, NONE) * beyond[m, 2, 0] + min(low, NONE) * fields[m, i, j, 0]
                through[i, nz] = max(high, NONE) * fields[m, i, j, nz - 1] + min(high, NONE) * beyond[m, 2, 1]
                for k in (1, nz - 1):
                    go, q, s = courant[i, j, k], fields[m, i, j, k - 1], fields[m, i, j, k]
                    p, t = fields[m, i, j, max(k - 2, 0)], fields[m, i, j, min(k + 1, nz - 1)]
                    up, down, far = (q, s, p) if go >= NONE else (s, q, t)
                    through[i, k] = go * _at_face(far, up, down, row[i, k - 1])
                for k in range(nz - 3):
                    go = courant[i, j, k + 2]
                    p, q = fields[m, i, j, k], fields[m, i, j, k + 1]
                    s, t = fields[m, i, j, k + 2], fields[m, i, j, k + 3]
                    up, down, far = (q, s, p) if go >= NONE else (s, q, t)
                    through[i, k + 2] = go * _at_face(far, up, down, row[i, k + 1])
                for k in range(nz):
                    had = room[i, j, k] * fields[m, i, j, k]
                    out[m, i, j, k] = (had + through[i, k] - through[i, k + 1]) / left[i, j, k]


@njit(cache=True, parallel=True, nogil=True)
def _flowing_out(x, y, z, most):
    for i in prange(most.shape[0]):
        greatest = NONE
        for j in range(y.shape[1] - 1):
            for k in range(z.shape[2] - 1):
                across = max(x[i + 1, j, k], NONE) - min(x[i, j, k], NONE)
                up = max(y[i, j + 1, k], NONE) - min(y[i, j, k], NONE)
                greatest = max(greatest, across + up + max(z[i, j, k + 1], NONE) - min(z[i, j, k], NONE))
        most[i] = greatest


def courants(velocity: Faces, open_: Faces, step: float, shut: NDArray[np.bool_] | None = None) -> Faces:
    """The Courant numbers of velocities, through the open share of faces, for `step` = seconds over metres of a cell;
    nothing goes into or out of cells that are `shut` (nx, ny, nz)."""
    made = []
    for axis, (flow, share) in enumerate(zip(velocity, open_, strict=True)):
        found = np.float32(step) * flow * share
        if shut is not None:
            faces, cells = np.moveaxis(found, axis, 0), np.moveaxis(shut, axis, 0)
            faces[1:][cells] = faces[:-1][cells] = 0.0
        made.append(found)
    return made[0], made[1], made[2]


def carried(fields: Grid, courant: Faces, beyond: Grid | None = None) -> tuple[Grid, float]:
    """Fields (m, nx, ny, nz) after they have flowed, and how much of the first of them has gone through the sides of
    the box, in cells. Past its ends they are `beyond` (m, 3, 2): nothing, if not given. Where more flows out of a cell
    than into it, what it holds gets no thinner."""
    many, nx, ny, nz = fields.shape
    most = np.empty(nx, np.float32)
    _flowing_out(*courant, most)
    times = max(1, math.ceil(float(most.max()) / (2.0 * EMPTIED)))
    x, y, z = (np.float32(0.5 / times) * c for c in courant)
    outside = np.zeros((many, 3, 2), np.float32) if beyond is None else beyond
    through = np.empty((max(nx, ny), 2, many, nz), np.float32)
    row = np.empty((max(nx, ny), nz), np.float32)
    line = np.empty((nx, nz + 1), np.float32)
    even, now, gone = np.ones((nx, ny, nz), np.float32), fields, 0.0
    spare, rooms = [np.empty_like(fields) for _ in range(2)], [np.empty_like(even) for _ in range(2)]
    for way in times * ((0, 1, 2), (2, 1, 0)):
        before, room = float(now[0].sum(dtype=float)), even
        for axis in way:
            out, left = spare[now is spare[0]], rooms[room is rooms[0]]
            if axis == 2:
                _along(now, room, z, outside, line, row, out, left)
            else:
                _across(now, room, (x, y)[axis], axis, outside, through, row, out, left)
            now, room = out, left
        gone += before - float((room * now[0]).sum(dtype=float))
    return now, gone


def carried_flow(velocity: Faces, courant: Faces) -> Faces:
    """Velocities that have carried themselves, each in the cells about its faces. Air from beyond an end of the box
    comes as fast as all of that end goes: were it as fast as where it comes in, whirls that lie across a side would
    feed themselves."""
    made = list[Grid]()
    for axis, flow in enumerate(velocity):
        x, y, z = (_about(c, axis, a == axis) for a, c in enumerate(courant))
        beyond = [[np.take(flow, end, a).mean() for end in (0, -1)] for a in range(3)]
        made.append(carried(flow[None], (x, y, z), np.array([beyond], np.float32))[0][0])
    return made[0], made[1], made[2]


def _about(courant: Grid, axis: int, along: bool) -> Grid:
    """Courant numbers on the sides of the cells about faces across an axis: halfway between those of both cells beside
    a face. Through the ends of the box goes what goes there, past them nothing."""
    ends = [np.take(courant, [end], axis) * np.float32(along) for end in (0, -1)]
    wide = np.concatenate([ends[0], courant, ends[1]], axis)
    sides = np.moveaxis(wide, axis, 0)
    return np.ascontiguousarray(np.moveaxis(np.float32(0.5) * (sides[1:] + sides[:-1]), 0, axis))
