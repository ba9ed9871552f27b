"""The body of liquid in a vessel as a closed mesh: the vessel's walls up to its surface, and that surface."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from hotgravel.core.matter.slosh.modes import Modes
from hotgravel.core.matter.slosh.vessel import AREA, HEIGHT, MIDDLE, SPREAD, Vessel, cut_walls, root_of, volume_of

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
RINGS = {"rough": 6, "fair": 9, "fine": 14}
NEAR = 1e-7  # of the volume: how near that of the mesh comes
ROUNDS = 5
LEAST = 0.02  # of a film that is whole: less is left out
OFF_RIM = 0.08  # of the way to the middle: the first ring, within which foam gathers


@dataclass(frozen=True)
class Lie:
    """How a surface lies in its vessel's frame: its normal (3,), its axes (2, 3), its level (as `Vessel.levels` has
    it), and how high waves (GRID, GRID) stand on it, by the modes' grid."""

    normal: Array
    axes: Array
    level: Array
    waves: Array


@dataclass(frozen=True)
class Body:
    """A closed mesh: vertices (V, 3), faces (F, 3), and of each vertex (V,) whether it is on the surface, and how near
    to the rim, 1 there and 0 from the first ring on."""

    vertices: Array
    faces: Ints
    on_top: NDArray[np.bool_]
    rim: Array
    over: Array  # how high the vessel's walls (W,) stand over the surface


def body_of(vessel: Vessel, modes: Modes, lie: Lie, volume: float, rings: int) -> Body:
    """The liquid in a vessel, of a volume, all in the vessel's frame."""
    walls, faces, edge_of = vessel.walls
    flat = walls @ lie.axes.T
    height = walls @ lie.normal
    waves = lifted(modes, lie, flat) if lie.waves.any() else np.zeros(len(walls))
    high = float(lie.level[HEIGHT])
    for _ in range(ROUNDS):
        made = _body(walls, faces, edge_of, height - high - waves, flat, modes, lie, high, rings)
        off = volume - volume_of(made.vertices, made.faces)
        if abs(off) <= NEAR * vessel.room or lie.level[AREA] <= 0.0:
            break
        high += off / lie.level[AREA]
    return made


def film_of(vessel: Vessel, over: Array, film: Array) -> tuple[Array, Ints, Array]:
    """The film that is left on a vessel's walls (W,): vertices, faces, and how much of it there is (k,), 0 to 1."""
    walls, faces, edge_of = vessel.walls
    place, kept, _, which = cut_walls(walls, faces, edge_of, -over)
    left = np.where(which < 0, 1.0, film[which])
    return place, kept[(left[kept] > LEAST).any(axis=1)], left


def lifted(modes: Modes, lie: Lie, flat: Array) -> Array:
    """How high waves stand at places (n, 2) in a surface's axes."""
    stretch = root_of(lie.level[None, SPREAD:])[0] @ np.linalg.inv(root_of(modes.spread[None])[0])
    back = modes.middle + (flat - lie.level[MIDDLE:SPREAD]) @ np.linalg.pinv(stretch).T
    made: Array = map_coordinates(lie.waves, modes.at(back), order=1)
    return made


def _body(
    walls: Array, faces: Ints, edge_of: Ints, high: Array, flat: Array, modes: Modes, lie: Lie, level: float, rings: int
) -> Body:  # fmt: skip
    place, kept, sides, _ = cut_walls(walls, faces, edge_of, high)
    loops = _loops(sides)
    tops, top_faces, near = [], [], []
    first = len(place)
    if len(loops) == 1 and _is_star(rim := place[loops[0]] @ lie.axes.T, middle := rim.mean(axis=0)):
        top, made, edge = _ringed(place[loops[0]], rim, middle, modes, lie, level, rings)
        tops, top_faces, near = [top], [made + first], [edge]
    elif loops:
        tops = [place[np.concatenate(loops)]]
        top_faces = [_filled([place[loop] @ lie.axes.T for loop in loops]) + first]
        near = [np.ones(len(tops[0]))]
    return Body(
        np.concatenate([place, *tops]), np.concatenate([kept, *top_faces]),
        np.repeat([False, True], [first, sum(map(len, tops))]), np.concatenate([np.zeros(first), *near]), high,
    )  # fmt: skip


def _loops(sides: Ints) -> list[Ints]:
    """Sides (m, 2) in rows, each round a part of the surface."""
    after = dict(sides.tolist())
    loops = []
    while after:
        first, then = after.popitem()
        loop = [first]
        while then != first:
            loop.append(then)
            then = after.pop(then)
        loops.append(np.array(loop))
    return loops


def _is_star(rim: Array, middle: Array) -> bool:
    """Whether all of a surface can be seen from its middle."""
    x, y = (rim - middle).T
    turn = x * np.roll(y, -1) - y * np.roll(x, -1)
    return bool((turn >= -1e-12 * np.abs(turn).max()).all())


def _ringed(
    place: Array, rim: Array, middle: Array, modes: Modes, lie: Lie, level: float, rings: int
) -> tuple[Array, Ints, Array]:
    """A surface in rings from its rim to its middle, with waves on it: places, faces, and how near they are to it."""
    many = len(rim)
    share = np.concatenate([[0.0, OFF_RIM], np.linspace(OFF_RIM, 1.0, rings + 1)[1:-1]])
    inner = rim + share[1:, None, None] * (middle - rim)
    flat = np.concatenate([inner.reshape(-1, 2), middle[None]])
    lifts = level + lifted(modes, lie, flat)
    top = np.concatenate([place, flat @ lie.axes + lifts[:, None] * lie.normal])
    a = np.arange(many)
    b = np.roll(a, -1)
    faces = [np.stack([[a + k, b + k, b + k + many], [a + k, b + k + many, a + k + many]]).transpose(0, 2, 1)
             for k in range(0, many * (len(share) - 1), many)]  # fmt: skip
    last = many * (len(share) - 1)
    fan = np.stack([a + last, b + last, np.full(many, len(top) - 1)], axis=1)
    near = np.concatenate([np.ones(many), np.zeros(len(top) - many)])
    return top, np.concatenate([*(f.reshape(-1, 3) for f in faces), fan]).astype(np.int64), near


def _filled(rims: list[Array]) -> Ints:
    """Triangles within rims of any shape, of their own corners alone."""
    import manifold3d

    made: Ints = np.asarray(manifold3d.triangulate(rims), np.int64).reshape(-1, 3)
    return made


def joined(bodies: list[dict[str, Any]]) -> dict[str, NDArray[Any]]:
    """Meshes as one."""
    if not bodies:
        none = np.zeros((0, 3))
        return {"vertices": none, "faces": none.astype(np.int64), "colour": np.zeros(0, np.uint32), "velocity": none}
    first = np.cumsum([0, *(len(b["vertices"]) for b in bodies)])
    made = {name: np.concatenate([b[name] for b in bodies]) for name in bodies[0]}
    made["faces"] = np.concatenate([b["faces"] + n for b, n in zip(bodies, first, strict=False)])
    return made
