"""Blocks: cubes of cells that hold smoke, as the elements that cues, tables and colours know."""

from collections.abc import Iterable

import numpy as np

from hotgravel.core.matter.contract import Array, Ids, State
from hotgravel.core.matter.fluid.solids import Box, in_middles
from hotgravel.core.matter.smoke.cells import AIR, FACES, PART, Cells
from hotgravel.core.matter.smoke.detail import FINE

SIDE = 8  # cells
HELD = 0.003  # mean density: a block with less is empty


def no_blocks(shape: tuple[int, ...]) -> dict[str, Array]:
    """As a state's arrays: the id (bx, by, bz) of each block that holds smoke, -1 for others, and how fast and hot cues
    saw those that do."""
    return {
        "block_ids": np.full(tuple(n // SIDE for n in shape), -1, np.int64), "told_velocity": np.zeros((0, 3)),
        "told_heat": np.zeros(0), "told_ids": np.zeros(0, np.int64),
    }  # fmt: skip


def _means(field: Array, shape: tuple[int, ...]) -> Array:
    """The mean of a field (nx, ny, nz) in each block."""
    bx, by, bz = shape
    found: Array = field.reshape(bx, SIDE, by, SIDE, bz, SIDE).mean(axis=(1, 3, 5))
    return found


def blocks_of(state: State, box: Box, ids: Ids, origins: tuple[int, ...]) -> Cells:
    """The blocks after a step: those that have come to hold smoke get ids, the others keep theirs. Each
    counts as out of the source, by its number in the shot, that most of its smoke is from."""
    a = state.arrays
    known, shape = a["block_ids"], a["block_ids"].shape
    density, heat = _means(a["density"], shape), _means(a["heat"], shape)
    holds = density > HELD
    fresh = holds & (known < 0)
    known = np.where(holds, known, -1)
    known[fresh] = ids.take(int(fresh.sum()))
    at = np.argwhere(holds)
    made = Cells.blank(len(at))
    made.id[:] = known[holds]
    order = np.argsort(made.id)
    at = at[order]
    which = tuple(at.T)
    made.id[:] = known[which]
    made.position[:] = np.array(box.low) + box.cell * SIDE * (at + 0.5)
    for axis, name in enumerate(FACES):
        made.velocity[:, axis] = _means(in_middles(a[name], axis), shape)[which]
    made.temperature[:] = AIR + heat[which]
    made.radius[:] = made.size[:] = 0.5 * SIDE * box.cell
    made.mass[:] = density[which] * (SIDE * box.cell) ** 3
    made.state[:], made.source[:] = -1, origins[0] if origins else 0
    if len(origins) > 1:
        parts = np.stack([_means(a[f"{PART}{n}"], shape)[which] for n in range(len(origins))])
        made.source[:] = np.array(origins)[parts.argmax(axis=0)]
    made.age[:] = _means(a["age"], shape)[which] / density[which]
    old = state.elements
    _, mine, theirs = np.intersect1d(made.id, old.id, return_indices=True)
    made.rest[:] = made.position
    for name in ("travelled", "fired", "was_true", "looked", "colour", "faded", "rest", "life"):
        getattr(made, name)[mine] = getattr(old, name)[theirs]
    a["block_ids"], a["told_ids"] = known, made.id.copy()
    a["told_velocity"], a["told_heat"] = made.velocity.copy(), made.temperature.copy()
    return made


def _cells(block: Array, times: int) -> tuple[slice, ...]:
    """The cells of a block, on a grid so many times as fine."""
    return tuple(slice(times * SIDE * n, times * SIDE * (n + 1)) for n in block)


def taken_back(state: State, box: Box, within: Iterable[str]) -> None:
    """What cues did to blocks since the last step goes into their cells: of all that is `within` the gas removed ones
    have none, on the finer grid too, and that counts as drained; kicked ones are faster, others hotter or colder."""
    a, now = state.arrays, state.elements
    known = a["block_ids"]
    gone = np.setdiff1d(a["told_ids"], now.id)
    for block in np.argwhere(np.isin(known, gone)):
        state.facts["drained"] += float(a["density"][_cells(block, 1)].sum(dtype=float)) * box.cell**3
        for array in (a[prefix + name] for name in within for prefix in ("", FINE) if prefix + name in a):
            array[_cells(block, len(array) // len(a["density"]))] = 0.0
        known[tuple(block)] = -1
    both, mine, theirs = np.intersect1d(now.id, a["told_ids"], return_indices=True)
    faster = now.velocity[mine] - a["told_velocity"][theirs]
    hotter = now.temperature[mine] - a["told_heat"][theirs]
    for n in np.flatnonzero((faster != 0.0).any(axis=1) | (hotter != 0.0)):
        (block,) = np.argwhere(known == both[n])
        cells = _cells(block, 1)
        a["heat"][cells] += np.float32(hotter[n])
        for axis, name in enumerate(FACES):
            a[name][cells] += np.float32(faster[n, axis])
