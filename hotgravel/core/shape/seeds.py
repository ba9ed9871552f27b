"""Where the pieces of a cutting lie: seeds in a prop's own frame, by the manner of its row."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from hotgravel.core.chance import uniforms
from hotgravel.core.shape.cells import Array, Ints, NotCut
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.sample import in_volume
from hotgravel.core.shot.cut import MOST_PIECES, AtRandom, Crowded, Cut, Evenly, Layers, Strike

ROUNDS, SAMPLES = 12, 40  # of evening out, and points that each piece is evened out by
TRIES = 60  # times as many points as are wanted are looked at, at the most
AROUND = 3.0  # mean distances: seeds that far from all that a zone holds bound none of its cells

Weigh = Callable[[str, Array], Array]  # a zone's weight at points (n, 3) of the prop's own frame


@dataclass(frozen=True)
class Room:
    """What seeds are strewn in: shapes in a prop's frame with their volumes (n,), m³."""

    shapes: Sequence[Shaped]
    volumes: Array

    def strewn(self, row: Cut, count: int, purpose: int = 0) -> tuple[Array, Ints]:
        """Points (count, 3), evenly by chance through all volumes, and which shape each is in."""
        index = np.arange(count, dtype=np.uint64)

        def drawn(which: Ints, attempt: int) -> Array:
            return uniforms(index[which], 4, seed=row.seed, who=row.id, purpose=purpose + attempt)

        u = drawn(np.arange(count), 0)
        whose = np.zeros(count, np.int64)
        if len(self.shapes) > 1:
            share = np.cumsum(self.volumes) / self.volumes.sum()
            whose = np.searchsorted(share[:-1], drawn(np.arange(count), 50)[:, 0], side="right")
        points = np.zeros((count, 3))
        for n in np.unique(whose):
            mine = np.flatnonzero(whose == n)
            points[mine] = in_volume(self.shapes[n], u[mine], lambda which, k, of=mine: drawn(of[which], 100 + k))[0]  # type: ignore[misc]
        return points, whose


def strewn(row: Cut, manner: Evenly | AtRandom | Crowded, room: Room, weigh: Weigh) -> tuple[Array, Ints]:
    """Seeds (n, 3) in a room, and which of its shapes each is in. Raises `NotCut`."""
    if isinstance(manner, Crowded):
        return crowded(row, manner, room, weigh)
    if row.zone is not None:
        return bounded(row, manner, room, weigh)
    seeds, whose = room.strewn(row, manner.pieces)
    if isinstance(manner, Evenly):
        evened(seeds, whose, *room.strewn(row, SAMPLES * manner.pieces, purpose=7))
    return seeds, whose


def bounded(row: Cut, manner: Evenly | AtRandom, room: Room, weigh: Weigh) -> tuple[Array, Ints]:
    """The seeds in a row's zone, and as many to the volume around it as bound their cells."""
    assert row.zone is not None
    count = manner.pieces
    pool, whose = room.strewn(row, TRIES * count, purpose=3)
    inside = weigh(row.zone, pool) >= 0.5
    if inside.sum() < count:
        raise NotCut("Its zone holds too little of it for so many pieces. Accepted: a larger zone, or fewer pieces.")
    last = np.flatnonzero(inside)[count - 1] + 1
    out = np.flatnonzero(~inside[:last])
    seeds, of = pool[:last][inside[:last]], whose[:last][inside[:last]]
    if isinstance(manner, Evenly):
        evened(seeds, of, pool[inside], whose[inside])
    tree = cKDTree(seeds)
    between = np.median(tree.query(seeds, k=2)[0][:, 1])
    near = out[tree.query(pool[out])[0] < AROUND * between]
    return np.concatenate([seeds, pool[near]]), np.concatenate([of, whose[near]])


def about(points: Array) -> Array:
    """Seeds at points, each place once. Raises `NotCut` where there are too many."""
    seeds = np.unique(np.round(points, 6), axis=0)
    if len(seeds) > MOST_PIECES:
        raise NotCut(f"There are {len(seeds)} corners. Accepted: {MOST_PIECES} at most.")
    return seeds


def evened(seeds: Array, whose: Ints, points: Array, of: Ints) -> None:
    """Move seeds to the middles of their cells, in place, again and again (Lloyd 1982), by points of the volume; each
    only by those in the shape that it is in."""
    for n in np.unique(whose):
        mine, there = seeds[whose == n], points[of == n]
        for _ in range(ROUNDS if len(there) else 0):
            nearest = cKDTree(mine).query(there)[1]
            count = np.bincount(nearest, minlength=len(mine))
            sums = np.stack([np.bincount(nearest, there[:, c], len(mine)) for c in range(3)], axis=1)
            mine = np.where(count[:, None] > 0, sums / np.maximum(count, 1)[:, None], mine)
        seeds[whose == n] = mine


def crowded(row: Cut, manner: Crowded, room: Room, weigh: Weigh) -> tuple[Array, Ints]:
    """A share of the seeds in a zone, the others outside, and which of the room's shapes each is in."""
    wanted = round(manner.share * manner.pieces)
    pool, whose = room.strewn(row, TRIES * manner.pieces, purpose=3)
    chance = uniforms(np.arange(len(pool), dtype=np.uint64), 1, seed=row.seed, who=row.id, purpose=5)[:, 0]
    inside = chance < weigh(manner.zone, pool)
    if inside.sum() < wanted:
        raise NotCut("Its zone holds too little of it for so many pieces. Accepted: a larger zone, or fewer pieces.")
    taken = np.concatenate([np.flatnonzero(inside)[:wanted], np.flatnonzero(~inside)[: manner.pieces - wanted]])
    return pool[taken], whose[taken]


def struck(row: Cut, manner: Strike) -> Array:
    """Rings that grow outward, and spokes; every other ring is turned by half a spoke."""
    axis = np.array(manner.axis) / np.linalg.norm(manner.axis)
    across = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    across /= np.linalg.norm(across)
    ring, spoke = (k.ravel() for k in np.meshgrid(np.arange(manner.rings), np.arange(manner.spokes), indexing="ij"))
    u = uniforms(np.arange(len(ring), dtype=np.uint64), 2, seed=row.seed, who=row.id) - 0.5
    share = ((ring + 1.0 + manner.jitter * u[:, 0]) / manner.rings) ** 2
    angle = 2.0 * np.pi * (spoke + 0.5 * (ring % 2) + manner.jitter * u[:, 1]) / manner.spokes
    radius = manner.reach * share
    out = radius[:, None] * (np.cos(angle)[:, None] * across + np.sin(angle)[:, None] * np.cross(axis, across))
    seeds: Array = np.array(manner.at) + np.concatenate([np.zeros((1, 3)), out])
    return seeds


def layered(row: Cut, manner: Layers, shape: Shaped) -> Array:
    """One seed a slab, in its middle: slabs end halfway from one to the next."""
    axis = np.array(manner.axis) / np.linalg.norm(manner.axis)
    low, high = shape.box
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    along = corners @ axis
    u = uniforms(np.arange(manner.layers, dtype=np.uint64), 1, seed=row.seed, who=row.id)[:, 0]
    thick = 1.0 + manner.uneven * (2.0 * u - 1.0)
    ends = along.min() + np.ptp(along) * np.cumsum(thick) / thick.sum()
    middles = 0.5 * (np.concatenate([[along.min()], ends[:-1]]) + ends)
    middle = 0.5 * (low + high)
    seeds: Array = middle + (middles - middle @ axis)[:, None] * axis
    return seeds
