"""Where the pieces of a cutting lie: seeds in a prop's own frame, by the manner of its row."""

import hashlib
from collections import OrderedDict
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hotgravel.core.chance import uniforms
from hotgravel.core.shape.cutting import Array, Cutting, NotCut, cut
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.mesh import mesh_of
from hotgravel.core.shape.sample import in_volume
from hotgravel.core.shot.cut import MOST_PIECES, AtPoints, AtRandom, Crowded, Cut, Evenly, Layers, Strike
from hotgravel.core.shot.props import Prop

ROUNDS, SAMPLES = 12, 40  # of evening out, and points that each piece is evened out by
TRIES = 60  # times as many points as are wanted are looked at, at the most

Weigh = Callable[[str, Array], Array]  # a zone's weight at points (n, 3) of the prop's own frame
Corners = Callable[[str], Array]  # another prop's corners (n, 3) in the prop's own frame


KEPT = 16  # cuttings that are remembered by what went into them
_known: OrderedDict[bytes, Cutting] = OrderedDict()


def cutting_of(row: Cut, prop: Prop, shape: Shaped, weigh: Weigh, corners: Corners | None = None) -> Cutting:
    """A prop's pieces as its row has them. Raises `NotCut`."""
    if not shape.has_volume:
        raise NotCut("It has no inside to be cut. Accepted: a closed shape.")
    plain = (shape.vertices, shape.faces) if len(shape.faces) else mesh_of(prop.shape)[:2]
    vertices, faces = np.asarray(plain[0], float), np.asarray(plain[1])
    seeds = seeds_of(row, shape, weigh, corners)
    told = (vertices.tobytes(), faces.tobytes(), seeds.tobytes(), repr(row.least).encode())
    key = hashlib.sha256(b"|".join(told)).digest()
    if key not in _known:
        _known[key] = cut(vertices, faces, seeds, row.least)
        while len(_known) > KEPT:
            _known.popitem(last=False)
    return _known[key]


def seeds_of(row: Cut, shape: Shaped, weigh: Weigh, corners: Corners | None = None) -> Array:
    """Seeds (n, 3) in the prop's own frame."""
    manner = row.manner
    match manner:
        case AtRandom():
            return _inside(row, shape, manner.pieces)
        case Evenly():
            return _evened(_inside(row, shape, manner.pieces), _inside(row, shape, SAMPLES * manner.pieces, purpose=7))
        case Crowded():
            return _crowded(row, manner, shape, weigh)
        case Strike():
            return _struck(row, manner)
        case Layers():
            return _layered(row, manner, shape)
        case AtPoints():
            return _about(corners(manner.prop) if corners else np.zeros((0, 3)))


def _about(points: Array) -> Array:
    """Seeds at points, each place once. Raises `NotCut` where there are too many."""
    seeds = np.unique(np.round(points, 6), axis=0)
    if len(seeds) > MOST_PIECES:
        raise NotCut(f"There are {len(seeds)} corners. Accepted: {MOST_PIECES} at most.")
    return seeds


def _inside(row: Cut, shape: Shaped, count: int, purpose: int = 0) -> Array:
    """Points (count, 3), evenly by chance through the volume."""
    index = np.arange(count, dtype=np.uint64)

    def again(which: NDArray[np.int64], attempt: int) -> Array:
        return uniforms(index[which], 4, seed=row.seed, who=row.id, purpose=purpose + 100 + attempt)

    u = uniforms(index, 4, seed=row.seed, who=row.id, purpose=purpose)
    return in_volume(shape, u, again)[0]


def _evened(seeds: Array, points: Array) -> Array:
    """Seeds moved to the middles of their cells, again and again (Lloyd 1982), by points of the volume."""
    for _ in range(ROUNDS):
        whose = cKDTree(seeds).query(points)[1]
        count = np.bincount(whose, minlength=len(seeds))
        sums = np.stack([np.bincount(whose, points[:, c], len(seeds)) for c in range(3)], axis=1)
        seeds = np.where(count[:, None] > 0, sums / np.maximum(count, 1)[:, None], seeds)
    return seeds


def _crowded(row: Cut, manner: Crowded, shape: Shaped, weigh: Weigh) -> Array:
    wanted = round(manner.share * manner.pieces)
    pool = _inside(row, shape, TRIES * manner.pieces, purpose=3)
    chance = uniforms(np.arange(len(pool), dtype=np.uint64), 1, seed=row.seed, who=row.id, purpose=5)[:, 0]
    inside = chance < weigh(manner.zone, pool)
    if inside.sum() < wanted:
        raise NotCut("Its zone holds too little of it for so many pieces. Accepted: a larger zone, or fewer pieces.")
    return np.concatenate([pool[inside][:wanted], pool[~inside][: manner.pieces - wanted]])


def _struck(row: Cut, manner: Strike) -> Array:
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


def _layered(row: Cut, manner: Layers, shape: Shaped) -> Array:
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
