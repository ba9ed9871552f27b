"""The window: the part of the box that is worked out. It follows the smoke by whole blocks, so that no cell is paid for
where nothing is."""

from collections.abc import Iterable

import numpy as np

from hotgravel.core.matter.contract import Array, State
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.smoke.blocks import SIDE
from hotgravel.core.matter.smoke.cells import FACES, PART, TRACE, WARM
from hotgravel.core.matter.smoke.detail import FINE

ROOM, MOST = 1, 3  # blocks between smoke and a side of the window: as it is made and at least, and at most
MIDDLES = ("density", "heat", "age", "fuel", "flame")  # the arrays of a state that stand in the middles of cells


def box_in(limits: Box, window: Array) -> Box:
    """The grid of a window (2, 3): its first block, and how many blocks it has."""
    first, many = window
    low = [limits.low[a] + limits.cell * SIDE * float(first[a]) for a in range(3)]
    return Box((low[0], low[1], low[2]), limits.cell, tuple(int(SIDE * n) for n in many))  # type: ignore[arg-type]


def at_ends(limits: Box, window: Array) -> list[tuple[bool, bool]]:
    """Which sides of a window, low and high of each axis, are sides of the box."""
    first, many = window
    return [(first[a] == 0, SIDE * (first[a] + many[a]) == limits.shape[a]) for a in range(3)]


def wanted(state: State, limits: Box, window: Array, spots: Iterable[tuple[Array, Array]]) -> Array:
    """The blocks, as ends (2, 3), that hold something or lie in a spot (corners (3,) and (3,), metres) where something
    will come; the middle of the box where there are none."""
    found = list[Array]()
    if "density" in state.arrays:
        first, many = window
        shape = (many[0], SIDE, many[1], SIDE, many[2], SIDE)
        holds = np.zeros(tuple(many), bool)
        for name, least in (("density", TRACE), ("heat", WARM), ("fuel", TRACE)):
            if name in state.arrays:
                holds |= np.abs(state.arrays[name]).reshape(shape).max(axis=(1, 3, 5)) > least
        at = np.argwhere(holds)
        if len(at):
            found.append(np.stack([at.min(axis=0), at.max(axis=0) + 1]) + first)
    blocks, side = np.array(limits.shape) // SIDE, SIDE * limits.cell
    for corners in spots:
        low, high = (np.asarray(c) - np.array(limits.low) for c in corners)
        ends = np.stack([np.floor(low / side), np.ceil(high / side)]).astype(np.int64)
        if (ends[1] > 0).all() and (ends[0] < blocks).all():
            found.append(ends)
    if not found:
        middle = blocks // 2
        found.append(np.stack([middle, middle + 1]))
    ends = np.stack([np.min([f[0] for f in found], axis=0), np.max([f[1] for f in found], axis=0)])
    return np.clip(ends, 0, blocks)


def follow(limits: Box, window: Array, ends: Array) -> Array:
    """The window (2, 3) about blocks between ends (2, 3): as it was, if it leaves them room and not too much of it."""
    blocks = np.array(limits.shape) // SIDE

    def about(room: int) -> Array:
        return np.stack([np.maximum(ends[0] - room, 0), np.minimum(ends[1] + room, blocks)])

    now = np.stack([window[0], window[0] + window[1]])
    least, most = about(ROOM), about(MOST)
    if (
        (now[0] <= least[0]).all()
        and (now[1] >= least[1]).all()
        and (now[0] >= most[0]).all()
        and (now[1] <= most[1]).all()
    ):
        return window
    return np.stack([least[0], least[1] - least[0]])


def move(state: State, was: Array, now: Array) -> None:
    """Bring the arrays of a state from one window to another, in place. Fresh cells are empty, and their air moves as
    that beside them."""
    a, shift, many = state.arrays, now[0] - was[0], now[1]
    for name, array in a.items():
        if name.startswith(FINE):
            times = array.shape[0] // (SIDE * int(was[1][0]))
            a[name] = _taken(array, times * SIDE * shift, times * SIDE * many, 0.0)
        elif name in FACES:
            shape = SIDE * many + (np.arange(3) == FACES.index(name))
            a[name] = _taken(array, SIDE * shift, shape, None)
        elif name in MIDDLES or name.startswith(PART):
            a[name] = _taken(array, SIDE * shift, SIDE * many, 0.0)
        elif name == "pressure":
            inner = _taken(array[1:-1, 1:-1, 1:-1], SIDE * shift, SIDE * many, 0.0)
            a[name] = np.pad(inner, 1)
        elif name == "block_ids":
            a[name] = _taken(array, shift, many, -1)


def _taken(array: Array, shift: Array, shape: Array, empty: float | None) -> Array:
    """An array from another place on: beyond its ends `empty`, or what is at its ends."""
    for axis in range(3):
        places, many = np.arange(shape[axis]) + shift[axis], array.shape[axis]
        array = np.take(array, np.clip(places, 0, many - 1), axis)
        beyond = (places < 0) | (places >= many)
        if empty is not None and beyond.any():
            np.moveaxis(array, axis, 0)[beyond] = empty
    return array
