"""The liquid in vessels as closed meshes: a vessel's walls up to its surface, that surface, and the film above it.

One kernel makes those of all vessels of a row: a call for each would wait for Python's lock again and again, as the
next frame is computed meanwhile.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit, objmode
from numpy.typing import NDArray

from hotgravel.core.matter.slosh.modes import GRID, Modes
from hotgravel.core.matter.slosh.vessel import AREA, HEIGHT, MIDDLE, SPREAD, Vessel, cut_walls, volume_of

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
NEAR = 2e-7  # of the volume: how near that of the mesh comes
ROUNDS = 6
LITTLE = 1e-3  # of the volume: what is short by less, by waves and corners of walls, is added within the rim
FILMED = 0.12  # how much of what lies behind it a whole film hides
WALL, SURFACE, RIM = 0, 1, 2  # what a vertex is on; a surface's rim is on it too
RINGS = {"rough": (3, 48), "fair": (6, 96), "fine": (12, 192)}  # so many, and of so many corners or a few more
OFF_RIM = 0.08  # of the way to the middle: the first ring, within which foam gathers


@dataclass(frozen=True)
class Lie:
    """How the surfaces of n vessels lie in their frames: normals (n, 3), axes (n, 2, 3), levels (as `Vessel.levels` has
    them), and how much there is of each wave (n, N), which stands so high on the modes' grid (N, GRID, GRID); places in
    a surface's axes lie on that as `at @ place + off`."""

    normals: Array
    axes: Array
    levels: Array
    waves: Array
    shape: Array
    at: Array
    off: Array

    @staticmethod
    def of(modes: Modes, normals: Array, axes: Array, levels: Array, inverse: Array, waves: Array) -> "Lie":
        """Those of surfaces that are the surface at rest if stretched by `inverse` (n, 2, 2), with so much of each mode
        (n, N)."""
        cell = (modes.box[1] - modes.box[0]) / (GRID - 1)
        at = inverse / cell[:, None]
        off = (modes.middle - modes.box[0]) / cell - np.einsum("nij,nj->ni", at, levels[:, MIDDLE:SPREAD])
        return Lie(normals, axes, levels, waves, modes.shape, at, off)


@dataclass(frozen=True)
class Bodies:
    """Meshes in the frames of their vessels, one after another: vertices (V, 3), faces (F, 3), and of each vertex (V,)
    which vessel's it is, what it is on (WALL, SURFACE or RIM), and how much less than whole the film there is, 0 where
    there is liquid."""

    vertices: Array
    faces: NDArray[np.int32]
    vessel: NDArray[np.int32]
    on: NDArray[np.uint8]
    thin: NDArray[np.float32]


def bodies_of(vessel: Vessel, lie: Lie, volume: float, rings: tuple[int, int], films: Array) -> Bodies:
    """The liquid in vessels that are alike, each of a volume, and films on their walls (n, W), or (n, 0) without; rings
    as `RINGS` has them."""
    way = lie.normals, lie.axes, lie.levels, lie.waves, lie.shape, lie.at, lie.off
    return Bodies(*_bodies(*vessel.walls, *way, volume, NEAR * vessel.room, rings, films))


@njit(cache=True)
def _standing(waves, shape):
    """How high all waves together stand on the modes' grid."""
    each, made = shape.reshape(len(shape), -1), np.zeros(shape[0].size)
    for n in range(len(waves)):
        for g in range(len(made)):
            made[g] += waves[n] * each[n, g]
    return made.reshape(shape.shape[1:])


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


@njit(cache=True)
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


@njit(cache=True)
def _loop(sides, many):
    """The rim's corners in order, from sides (m, 2) of `many` corners; less than m of them where the rim is in several
    parts."""
    if not len(sides):
        return np.empty(0, np.int64)
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


@njit(cache=True)
def _flat(places, corners, axes):
    """Where corners (m,) of places lie along a surface's axes (m, 2)."""
    made = np.empty((len(corners), 2))
    for n in range(len(corners)):
        for k in range(2):
            made[n, k] = 0.0
            for e in range(3):
                made[n, k] += places[corners[n], e] * axes[k, e]
    return made


@njit(cache=True)
def _ringed(place, loop, normal, axes, level, grid, at, off, how):
    """A surface in rings from its rim to its middle, with waves on it: places and faces; none where not all of it can
    be seen from its middle. Where the rim has many corners, rings have as many for each few of them."""
    many, flat, (rings, around) = len(loop), _flat(place, loop, axes), how
    mx, my = flat[:, 0].mean(), flat[:, 1].mean()
    for n in range(many):
        m = (n + 1) % many
        turn = (flat[n, 0] - mx) * (flat[m, 1] - my) - (flat[n, 1] - my) * (flat[m, 0] - mx)
        if turn < -1e-9 * ((flat[n, 0] - mx) ** 2 + (flat[n, 1] - my) ** 2):
            return place[:0], np.empty((0, 3), np.int64)
    step = max(1, many // around)
    few = (many + step - 1) // step
    top = np.empty((many + rings * few + 1, 3))
    faces = np.empty((many + 2 * rings * few, 3), np.int64)
    for n in range(many):
        top[n] = place[loop[n]]
    for k in range(rings + 1):
        share = OFF_RIM + (1.0 - OFF_RIM) * k / rings
        for n in range(few if k < rings else 1):
            x, y = flat[n * step, 0], flat[n * step, 1]
            x, y = x + share * (mx - x), y + share * (my - y)
            high = level + _lift(grid, at, off, x, y)
            for e in range(3):
                top[many + k * few + n, e] = x * axes[0, e] + y * axes[1, e] + high * normal[e]
    f = 0
    for n in range(many):
        faces[f, 0], faces[f, 1], faces[f, 2] = n, (n + 1) % many, many + n // step
        f += 1
    for k in range(rings):
        for n in range(few):
            m, a = (n + 1) % few, many + k * few
            faces[f, 0], faces[f, 1], faces[f, 2] = a - few + m if k > 0 else m * step, a + m, a + n
            faces[f + 1, 0], faces[f + 1, 1], faces[f + 1, 2] = a + n, a + m, min(a + few + n, len(top) - 1)
            f += 2
    return top, faces


def _rims(place: Array, sides: Ints, axes: Array) -> tuple[Ints, Ints]:
    """The corners of a surface with a rim of any shape, in several parts or not, round each of them, and triangles of
    these corners alone."""
    import manifold3d

    after, loops = dict(sides.tolist()), []
    while after:
        first, then = after.popitem()
        loop = [first]
        while then != first:
            loop.append(then)
            then = after.pop(then)
        loops.append(np.array(loop))
    filled = manifold3d.triangulate([place[of] @ axes.T for of in loops])
    return np.concatenate(loops), np.asarray(filled, np.int64).reshape(-1, 3)


@njit(cache=True)
def _filled_to(walls, faces, edge_of, over, level, normal, axes, waves, at, off, rings):
    """Walls up to a level, and the surface on them: places, faces, how many places and how many faces are the walls'
    own, and the sides of the rim, on which as many of the other places are."""
    place, kept, sides, _ = cut_walls(walls, faces, edge_of, over - level, np.ones(len(walls)))
    if not len(sides):
        return place, kept, len(place), len(kept), sides
    top, top_faces, loop = place[:0], faces[:0], _loop(sides, len(place))
    if len(loop) == len(sides):
        top, top_faces = _ringed(place, loop, normal, axes, level, waves, at, off, rings)
    if not len(top):
        with objmode(loop="int64[:]", top_faces="int64[:, ::1]"):
            loop, top_faces = _rims(place, sides, axes)
        top = place[loop]
    first = len(place)
    return np.concatenate((place, top)), np.concatenate((kept, top_faces + first)), first, len(kept), sides


@njit(cache=True)
def _area(place, sides, axes):
    """What a rim with these sides (m, 2) of places encloses, seen along the normal."""
    made, starts, ends = 0.0, _flat(place, sides[:, 0], axes), _flat(place, sides[:, 1], axes)
    for n in range(len(sides)):
        made += 0.5 * (starts[n, 0] * ends[n, 1] - starts[n, 1] * ends[n, 0])
    return made


@njit(cache=True)
def _raised(place, faces, inner, normal, short):
    """Move the places of a surface within its rim, in place, along its normal until its body holds so much more. They
    are those from `inner` on, and `faces` are the surface's; as all go the same way, what it holds grows evenly."""
    gain = 0.0
    for f in range(len(faces)):
        for n in range(3):
            if faces[f, n] >= inner:
                b, c = place[faces[f, (n + 1) % 3]], place[faces[f, (n + 2) % 3]]
                gain += (
                    normal[0] * (b[1] * c[2] - b[2] * c[1]) + normal[1] * (b[2] * c[0] - b[0] * c[2])
                    + normal[2] * (b[0] * c[1] - b[1] * c[0])
                ) / 6.0  # fmt: skip
    for v in range(inner, len(place)):
        for e in range(3):
            place[v, e] += short / gain * normal[e]


@njit(cache=True)
def _body(walls, faces, edge_of, over, flat, level, normal, axes, waves, at, off, volume, near, rings):
    """The liquid of one vessel as `_filled_to` has it, of a volume, and its level; `flat` is about its area."""
    before, raised = 0.0, 0.0
    for _ in range(ROUNDS):
        place, made, first, kept, sides = _filled_to(
            walls, faces, edge_of, over, level, normal, axes, waves, at, off, rings
        )
        short = volume - volume_of(place, made)
        if abs(short) <= near or flat <= 0.0:
            break
        if abs(short) < LITTLE * volume and first + len(sides) < len(place):
            _raised(place, made[kept:], first + len(sides), normal, short)
            break
        gained = (before - short) / raised if raised != 0.0 else _area(place, sides, axes)
        before, raised = short, short / (gained if 0.5 < gained / flat < 2.0 else flat)
        level += raised
    return place, made, first, len(sides), level


@njit(cache=True)
def _film(walls, faces, edge_of, over, film):
    """Places and faces of what is left of a film on walls that stand so high over the liquid, and how much less than
    whole it is at each."""
    place, kept, _, which = cut_walls(walls, faces, edge_of, -over, film)
    thin = np.empty(len(place))
    for v in range(len(place)):
        thin[v] = 1.0 - FILMED * (film[which[v]] if which[v] >= 0 else 1.0)
    return place, kept, thin


@njit(cache=True, nogil=True)
def _bodies(walls, faces, edge_of, normals, axes, levels, waves, shape, at, off, volume, near, rings, films):
    """What `Bodies` has, of all vessels."""
    meshes = []
    vertices, triangles = 0, 0
    for n in range(len(normals)):
        grid = _standing(waves[n], shape)
        over = _over(walls, normals[n], axes[n], grid, at[n], off[n])
        place, made, first, rim, level = _body(
            walls, faces, edge_of, over, levels[n, AREA], levels[n, HEIGHT], normals[n], axes[n], grid, at[n], off[n],
            volume, near, rings,
        )  # fmt: skip
        meshes.append((place, made, np.zeros(len(place)), first, rim))
        if films.shape[1]:
            place, made, thin = _film(walls, faces, edge_of, over - level, films[n])
            meshes.append((place, made, thin, len(place), 0))
    for place, made, _, _, _ in meshes:
        vertices, triangles = vertices + len(place), triangles + len(made)
    places, all_faces = np.empty((vertices, 3)), np.empty((triangles, 3), np.int32)
    vessel, on, thin = np.empty(vertices, np.int32), np.empty(vertices, np.uint8), np.empty(vertices, np.float32)
    v, f, each = 0, 0, len(meshes) // max(len(normals), 1)
    for number, (place, made, less, first, rim) in enumerate(meshes):
        end = v + len(place)
        places[v:end], thin[v:end], vessel[v:end] = place, less, number // each
        on[v : v + first], on[v + first : v + first + rim], on[v + first + rim : end] = WALL, RIM, SURFACE
        all_faces[f : f + len(made)] = made + v
        v, f = end, f + len(made)
    return places, all_faces, vessel, on, thin


@njit(cache=True, nogil=True)
def placed(vertices, vessel, on, place, turn, going, tipping, middle, colours):
    """Where vertices (V, 3) of the frames of their vessels (V,) are in the world, how fast each goes there, and its
    colour, by what it is on (V,).

    place (n, 3) and turn (n, 3, 3) are the vessels'. By what vertices are on, they go (n, 3, 3), and tip (n, 3, 3)
    about a middle (n, 3, 3) that is given from their vessel's place, and have colours (n, 3). Places and velocities are
    as frames keep them, in single precision: so many are made anew that memory is what they wait for."""
    there, velocity = np.empty(vertices.shape, np.float32), np.empty(vertices.shape, np.float32)
    colour = np.empty(len(vertices), colours.dtype)
    for v in range(len(vertices)):
        n, k = vessel[v], on[v]
        p, q, r = vertices[v, 0], vertices[v, 1], vertices[v, 2]
        x = turn[n, 0, 0] * p + turn[n, 0, 1] * q + turn[n, 0, 2] * r
        y = turn[n, 1, 0] * p + turn[n, 1, 1] * q + turn[n, 1, 2] * r
        z = turn[n, 2, 0] * p + turn[n, 2, 1] * q + turn[n, 2, 2] * r
        there[v, 0], there[v, 1], there[v, 2] = place[n, 0] + x, place[n, 1] + y, place[n, 2] + z
        x, y, z = x - middle[n, k, 0], y - middle[n, k, 1], z - middle[n, k, 2]
        velocity[v, 0] = going[n, k, 0] + tipping[n, k, 1] * z - tipping[n, k, 2] * y
        velocity[v, 1] = going[n, k, 1] + tipping[n, k, 2] * x - tipping[n, k, 0] * z
        velocity[v, 2] = going[n, k, 2] + tipping[n, k, 0] * y - tipping[n, k, 1] * x
        colour[v] = colours[n, k]
    return there, velocity, colour
