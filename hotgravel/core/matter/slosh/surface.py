"""The body of liquid in a vessel as a closed mesh: the vessel's walls up to its surface, and that surface."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from hotgravel.core.matter.slosh.modes import GRID, Modes
from hotgravel.core.matter.slosh.vessel import AREA, HEIGHT, MIDDLE, SPREAD, Vessel, cut_walls, volume_of

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
RINGS = {"rough": 3, "fair": 6, "fine": 12}
NEAR = 2e-7  # of the volume: how near that of the mesh comes
ROUNDS = 6
TINY = 1e-12
LEAST = 0.02  # of a film that is whole: less is left out
OFF_RIM = 0.08  # of the way to the middle: the first ring, within which foam gathers


@dataclass(frozen=True)
class Lie:
    """How a surface lies in its vessel's frame: its normal (3,), its axes (2, 3), its level (as `Vessel.levels` has
    it), how the surface at rest is stretched (2, 2), and how high waves stand on the modes' grid (GRID, GRID)."""

    normal: Array
    axes: Array
    level: Array
    stretch: Array
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


@dataclass(frozen=True)
class Waves:
    """Waves (GRID, GRID) on a surface: where places in its axes lie on the grid, as `at @ place + off`."""

    grid: Array
    at: Array
    off: Array

    @staticmethod
    def on(modes: Modes, lie: Lie) -> "Waves":
        """Those of a surface that lies so."""
        cell = (modes.box[1] - modes.box[0]) / (GRID - 1)
        (a, b), (c, d) = lie.stretch
        at = np.array([[d, -b], [-c, a]]) / max(a * d - b * c, TINY) / cell[:, None]
        return Waves(lie.waves, at, (modes.middle - modes.box[0]) / cell - at @ lie.level[MIDDLE:SPREAD])


@njit(cache=True)
def _lift(grid, at, off, x, y):
    """How high waves stand at a place of a surface's axes; beyond the grid as at its rim."""
    n = len(grid) - 1
    u = min(max(at[0, 0] * x + at[0, 1] * y + off[0], 0.0), n - 1e-9)
    v = min(max(at[1, 0] * x + at[1, 1] * y + off[1], 0.0), n - 1e-9)
    i, k = int(u), int(v)
    s, t = u - i, v - k
    return (1.0 - s) * ((1.0 - t) * grid[i, k] + t * grid[i, k + 1]) + s * (
        (1.0 - t) * grid[i + 1, k] + t * grid[i + 1, k + 1]
    )


@njit(cache=True, nogil=True)
def _over(walls, normal, axes, grid, at, off):
    """How high walls (W, 3) stand over a surface with waves, but for its level."""
    made = np.empty(len(walls))
    for w in range(len(walls)):
        x, y, high = 0.0, 0.0, 0.0
        for e in range(3):
            x += walls[w, e] * axes[0, e]
            y += walls[w, e] * axes[1, e]
            high += walls[w, e] * normal[e]
        made[w] = high - _lift(grid, at, off, x, y)
    return made


@njit(cache=True, nogil=True)
def _loop(sides, many):
    """The rim's corners in order, from sides (m, 2) of `many` corners; how many there are, less than m where the rim
    is in several parts."""
    after = np.full(many, -1, np.int64)
    for n in range(len(sides)):
        after[sides[n, 0]] = sides[n, 1]
    made, count, here = np.empty(len(sides), np.int64), 0, sides[0, 0]
    while count < len(sides):
        made[count] = here
        count += 1
        here = after[here]
        if here == sides[0, 0]:
            break
    return made[:count]


@njit(cache=True, nogil=True)
def _ringed(place, loop, normal, axes, level, grid, at, off, rings):
    """A surface in rings from its rim to its middle, with waves on it: places and faces; none where not all of it can
    be seen from its middle."""
    many = len(loop)
    flat = np.empty((many, 2))
    for n in range(many):
        for e in range(2):
            flat[n, e] = place[loop[n]] @ axes[e]
    mx, my = flat[:, 0].mean(), flat[:, 1].mean()
    top = np.empty((many * (rings + 1) + 1, 3))
    faces = np.empty((many * (2 * rings + 1), 3), np.int64)
    for n in range(many):
        m = (n + 1) % many
        turn = (flat[n, 0] - mx) * (flat[m, 1] - my) - (flat[n, 1] - my) * (flat[m, 0] - mx)
        if turn < -1e-9 * ((flat[n, 0] - mx) ** 2 + (flat[n, 1] - my) ** 2):
            return top[:0], faces[:0]
    for k in range(rings + 2):
        share = 0.0 if k == 0 else (1.0 if k > rings else OFF_RIM + (1.0 - OFF_RIM) * (k - 1) / rings)
        for n in range(many if k <= rings else 1):
            i = k * many + n
            if k == 0:
                top[i] = place[loop[n]]
                continue
            x, y = flat[n, 0] + share * (mx - flat[n, 0]), flat[n, 1] + share * (my - flat[n, 1])
            high = level + _lift(grid, at, off, x, y)
            for e in range(3):
                top[i, e] = x * axes[0, e] + y * axes[1, e] + high * normal[e]
    f = 0
    for k in range(rings + 1):
        for n in range(many):
            a, b = k * many + n, k * many + (n + 1) % many
            if k == rings:
                faces[f, 0], faces[f, 1], faces[f, 2] = a, b, len(top) - 1
                f += 1
                continue
            faces[f, 0], faces[f, 1], faces[f, 2] = a, b, b + many
            faces[f + 1, 0], faces[f + 1, 1], faces[f + 1, 2] = a, b + many, a + many
            f += 2
    return top, faces


def body_of(vessel: Vessel, modes: Modes, lie: Lie, volume: float, rings: int) -> Body:
    """The liquid in a vessel, of a volume, all in the vessel's frame."""
    walls, faces, edge_of = vessel.walls
    waves = Waves.on(modes, lie)
    way = (lie.normal, lie.axes)
    over = _over(walls, *way, waves.grid, waves.at, waves.off)
    level, before, raised = float(lie.level[HEIGHT]), 0.0, 0.0
    for _ in range(ROUNDS):
        place, kept, sides, _ = cut_walls(walls, faces, edge_of, over - level)
        top, top_faces = np.zeros((0, 3)), np.zeros((0, 3), np.int64)
        if len(sides) and len(loop := _loop(sides, len(place))) == len(sides):
            top, top_faces = _ringed(place, loop, *way, level, waves.grid, waves.at, waves.off, rings)
        many = len(sides) if len(top) else 0
        if len(sides) and not many:
            loops = _loops(sides)
            top = place[np.concatenate(loops)]
            top_faces, many = _filled([place[of] @ lie.axes.T for of in loops]), len(top)
        vertices, all_faces = np.concatenate([place, top]), np.concatenate([kept, top_faces + len(place)])
        off = volume - volume_of(vertices, all_faces)
        if abs(off) <= NEAR * vessel.room or lie.level[AREA] <= 0.0:
            break
        area = (before - off) / raised if raised else lie.level[AREA]
        if not 0.5 < area / lie.level[AREA] < 2.0:
            area = lie.level[AREA]
        before, raised = off, off / area
        level += raised
    first = len(place)
    rim = np.zeros(len(vertices))
    rim[first : first + many] = 1.0
    return Body(vertices, all_faces, np.arange(len(vertices)) >= first, rim, over - level)


def film_of(vessel: Vessel, over: Array, film: Array) -> tuple[Array, Ints, Array]:
    """The film that is left on a vessel's walls (W,): vertices, faces, and how much of it there is (k,), 0 to 1."""
    walls, faces, edge_of = vessel.walls
    place, kept, _, which = cut_walls(walls, faces, edge_of, -over)
    left = np.where(which < 0, 1.0, film[which])
    return place, kept[(left[kept] > LEAST).any(axis=1)], left


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
