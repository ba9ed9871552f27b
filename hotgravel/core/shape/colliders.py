"""What can be hit during one step, as a table for kernels, and where a ball on its way meets it first.

A motion is tested as a straight line against each prop in the prop's own frame, from where the prop stood to where it
will stand, so neither can pass the other however fast they are.
"""

import math
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.drive.value import one
from hotgravel.core.shape.distance import distance
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose, onward
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.sweep import MISS, sweep
from hotgravel.core.shape.zones import Scene

Array = NDArray[np.float64]

# Columns of the table, a row for each surface: the shape's kind and sizes, the state that meets
# it (-1 all), the side (1 outside, -1 inside), the dials, its pose at the step's start (0) and
# end (1), and the box in the world that it stays in meanwhile.
# One plain array, because kernels pass it on at every call.
KIND, SIZES, WHOM, SIDE, BOUNCE, FRICTION, THICKNESS, MOVING = 0, 1, 4, 5, 6, 7, 8, 9
P0, P1, Q0, Q1, S0, S1, R0, LOW, HIGH = 10, 13, 16, 20, 24, 25, 26, 35, 38
CARRY, SCATTER, SPREAD, FRONT, WIDTH = 41, 42, 43, 44, 45
DIALS = ("bounce", "friction", "thickness", "carry", "scatter", "spread")


class Surface(NamedTuple):
    """One prop met under one collision row. `bit` is set in `touched` by a particle that meets it."""

    shape: Shaped
    bit: int
    whom: int
    side: float
    bounce: float
    friction: float
    thickness: float
    start: Pose
    end: Pose
    carry: float = 1.0
    scatter: float = 0.0
    spread: float = 0.0
    front: bool = False
    element: int = -1
    feels: bool = False
    mass: float = math.inf


class Colliders(NamedTuple):
    """table (C, WIDTH) as above, bits (C,) uint64; the element (C,) int64 that each is, -1 where it is none, and its
    mass (C,), as in `Moving`; and `feeling` (C,) int64, the same where it feels the blows of particles."""

    table: Array
    bits: NDArray[np.uint64]
    elements: NDArray[np.int64]
    mass: Array
    feeling: NDArray[np.int64]


class Moving(NamedTuple):
    """A shape that a solver moves in a step: the prop that it was made from, where it is at the step's start and
    end, the id of the element that it is, -1 where it is none, whether that feels the blows of particles, and its
    mass, kg; infinite where nothing pushes it."""

    prop: str
    shape: Shaped
    start: Pose
    end: Pose
    element: int = -1
    feels: bool = False
    mass: float = math.inf

    def taken_on(self) -> "Moving":
        """The same in its next step, if it goes on by as much as it went in this one."""
        return self._replace(start=self.end, end=onward(self.start, self.end))


def colliders_of(setting: Setting, scene: Scene, moving: Iterable[Moving] = ()) -> Colliders:
    """All that the collision rows name, on the way from where it stands at a step's start to where at its end;
    `moving` has the shapes that solvers move. Nobody may change it: where all stands still, the next step has the
    same."""
    surfaces = []
    of_prop: dict[str, list[Moving]] = {}
    for moved in moving:
        of_prop.setdefault(moved.prop, []).append(moved)
    for row in (row for row in setting.shot.collisions if row.on):
        dials = {name: one(row, name, scene.ask) for name in DIALS}
        side, whom = -1.0 if row.side == "inside" else 1.0, setting.state(row.whom)
        for prop in row.props:
            shapes = list(of_prop.get(prop, ()))
            if stands(setting, scene, prop):
                shapes.append(Moving(prop, setting.shapes[prop], scene.poses[prop], scene.soon[prop]))
            surfaces += [
                Surface(
                    shape=m.shape, bit=setting.bit(prop), whom=whom, side=side, front=row.side == "front",
                    start=m.start, end=m.end, element=m.element, feels=m.feels, mass=m.mass, **dials,
                )
                for m in shapes
            ]  # fmt: skip
    kept = setting.met_lately[0] if setting.met_lately else None
    if kept is None or kept[0] != surfaces:
        kept = (surfaces, table_of(surfaces))
        setting.met_lately[:] = [kept]  # at once, as another thread may ask
    made: Colliders = kept[1]
    return made


def stands(setting: Setting, scene: Scene, prop: str) -> bool:
    """Whether a prop is where its row says; solvers move the others."""
    return prop in scene.poses and prop not in setting.solvers_place


def table_of(surfaces: list[Surface]) -> Colliders:
    """The kernel's table."""
    table = np.zeros((len(surfaces), WIDTH))
    if surfaces:
        own = [(s.shape.kind, s.whom, s.side, *s.shape.sizes) for s in surfaces]
        columns = [KIND, WHOM, SIDE, SIZES, SIZES + 1, SIZES + 2, BOUNCE, FRICTION, THICKNESS, CARRY, SCATTER, SPREAD]
        table[:, columns] = np.hstack([own, [[getattr(s, name) for name in DIALS] for s in surfaces]])
        table[:, SCATTER] = np.radians(table[:, SCATTER])
        table[:, FRONT] = [s.front for s in surfaces]
        _placed(table, surfaces)
    bits, elements, feels, mass = (
        np.array([getattr(s, of) for s in surfaces]) for of in ("bit", "element", "feels", "mass")
    )
    feeling = np.where(feels.astype(bool), elements, -1).astype(np.int64)
    return Colliders(table, bits.astype(np.uint64), elements.astype(np.int64), mass.astype(float), feeling)


def _placed(table: Array, surfaces: list[Surface]) -> None:
    """Where surfaces are, and the boxes in the world that they stay in; for one met from inside, everywhere."""
    for place, turn, size, poses in (
        (P0, Q0, S0, [s.start for s in surfaces]), (P1, Q1, S1, [s.end for s in surfaces])
    ):  # fmt: skip
        table[:, place : place + 3] = [pose.position for pose in poses]
        table[:, turn : turn + 4] = [pose.quaternion for pose in poses]
        table[:, size] = [pose.scale for pose in poses]
    p0, p1, q0, q1 = (table[:, n : n + wide] for n, wide in ((P0, 3), (P1, 3), (Q0, 4), (Q1, 4)))
    q1[(q0 * q1).sum(axis=1) < 0.0] *= -1.0  # turn the short way
    matrix = Rotation.from_quat(q0).as_matrix()
    table[:, R0 : R0 + 9] = matrix.reshape(-1, 9)
    still = (p0 == p1).all(axis=1) & (q0 == q1).all(axis=1) & (table[:, S0] == table[:, S1])
    table[:, MOVING] = ~still
    low, high = np.array([s.shape.box for s in surfaces]).transpose(1, 0, 2)
    # One that stands is in the box about its own turned box, one that moves in all that its own origin's ball sweeps.
    middle = p0 + table[:, [S0]] * np.einsum("nij,nj->ni", matrix, 0.5 * (low + high))
    half = table[:, [S0]] * np.einsum("nij,nj->ni", np.abs(matrix), 0.5 * (high - low))
    reach = np.linalg.norm(np.maximum(np.abs(low), np.abs(high)), axis=1) * np.maximum(table[:, S0], table[:, S1])
    inside = table[:, [SIDE]] < 0.0
    for n, sign, edge in ((LOW, -1.0, np.minimum(p0, p1)), (HIGH, 1.0, np.maximum(p0, p1))):
        room = np.where(still[:, None], middle + sign * half, edge + sign * reach[:, None])
        table[:, n : n + 3] = np.where(inside, sign * np.inf, room)


@njit(cache=True)
def pose_of(c, j, t):
    """Rotation rows, position and scale of a collider at fraction t of the step."""
    if c[j, MOVING] == 0.0:
        return (c[j, R0], c[j, R0 + 1], c[j, R0 + 2], c[j, R0 + 3], c[j, R0 + 4], c[j, R0 + 5],
                c[j, R0 + 6], c[j, R0 + 7], c[j, R0 + 8], c[j, P0], c[j, P0 + 1], c[j, P0 + 2], c[j, S0])  # fmt: skip
    u = 1.0 - t
    x, y = u * c[j, Q0] + t * c[j, Q1], u * c[j, Q0 + 1] + t * c[j, Q1 + 1]
    z, w = u * c[j, Q0 + 2] + t * c[j, Q1 + 2], u * c[j, Q0 + 3] + t * c[j, Q1 + 3]
    n = 1.0 / math.sqrt(x * x + y * y + z * z + w * w)
    x, y, z, w = x * n, y * n, z * n, w * n
    return (1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w),
            2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w),
            2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y),
            u * c[j, P0] + t * c[j, P1], u * c[j, P0 + 1] + t * c[j, P1 + 1],
            u * c[j, P0 + 2] + t * c[j, P1 + 2], u * c[j, S0] + t * c[j, S1])  # fmt: skip


@njit(cache=True)
def to_local(m, x, y, z):
    x, y, z, s = x - m[9], y - m[10], z - m[11], 1.0 / m[12]
    return (s * (m[0] * x + m[3] * y + m[6] * z), s * (m[1] * x + m[4] * y + m[7] * z),
            s * (m[2] * x + m[5] * y + m[8] * z))  # fmt: skip


@njit(cache=True)
def turned(m, x, y, z):
    return m[0] * x + m[1] * y + m[2] * z, m[3] * x + m[4] * y + m[5] * z, m[6] * x + m[7] * y + m[8] * z


@njit(cache=True)
def to_world(m, x, y, z):
    x, y, z = turned(m, x, y, z)
    return m[12] * x + m[9], m[12] * y + m[10], m[12] * z + m[11]


@njit(cache=True)
def first_hit(c, tree, state, x0, y0, z0, x1, y1, z1, t0, radius, still_only=False):
    """The fraction of the way to what is met first, and which collider it is; MISS and -1 if none."""
    best, hit = MISS, -1
    for j in range(len(c)):
        if (c[j, WHOM] >= 0.0 and c[j, WHOM] != state) or (still_only and c[j, MOVING] != 0.0):
            continue
        rho = radius + c[j, THICKNESS]
        if (min(y0, y1) > c[j, HIGH + 1] + rho or max(y0, y1) < c[j, LOW + 1] - rho
                or min(x0, x1) > c[j, HIGH] + rho or max(x0, x1) < c[j, LOW] - rho
                or min(z0, z1) > c[j, HIGH + 2] + rho or max(z0, z1) < c[j, LOW + 2] - rho):  # fmt: skip
            continue
        m0 = m1 = pose_of(c, j, t0)
        if c[j, MOVING] != 0.0:
            m1 = pose_of(c, j, 1.0)
        ax, ay, az = to_local(m0, x0, y0, z0)
        if c[j, FRONT] != 0.0 and ay < 0.0:
            continue  # it comes from behind, and passes
        bx, by, bz = to_local(m1, x1, y1, z1)
        t = sweep(int(c[j, KIND]), c[j, SIZES], c[j, SIZES + 1], c[j, SIZES + 2], tree, c[j, SIDE],
                  ax, ay, az, bx, by, bz, rho / m0[12], rho / m1[12])  # fmt: skip
        if t < best:
            best, hit = t, j
    return best, hit


@njit(cache=True)
def contact_at(c, tree, j, x0, y0, z0, x1, y1, z1, t0, t, radius, dt):
    """Where the particle is held, the surface's normal and its velocity there, and the place on the prop."""
    m0, m1 = pose_of(c, j, t0), pose_of(c, j, 1.0)
    ax, ay, az = to_local(m0, x0, y0, z0)
    bx, by, bz = to_local(m1, x1, y1, z1)
    lx, ly, lz = ax + t * (bx - ax), ay + t * (by - ay), az + t * (bz - az)
    d, gx, gy, gz = distance(int(c[j, KIND]), c[j, SIZES], c[j, SIZES + 1], c[j, SIZES + 2], tree, lx, ly, lz)
    side = c[j, SIDE]
    mt = pose_of(c, j, t0 + t * (1.0 - t0))
    sunk = (radius + c[j, THICKNESS]) / mt[12] - side * d
    if sunk > 0.0:
        lx, ly, lz = lx + sunk * side * gx, ly + sunk * side * gy, lz + sunk * side * gz
    nx, ny, nz = turned(mt, side * gx, side * gy, side * gz)
    x, y, z = to_world(mt, lx, ly, lz)
    ux, uy, uz = 0.0, 0.0, 0.0
    if c[j, MOVING] != 0.0:
        # The prop's own surface moves, not the skin around it, which does not grow with the prop.
        skin = side * (radius + c[j, THICKNESS]) / mt[12]
        fx, fy, fz = lx - skin * gx, ly - skin * gy, lz - skin * gz
        ex, ey, ez = to_world(pose_of(c, j, 1.0), fx, fy, fz)
        sx, sy, sz = to_world(pose_of(c, j, 0.0), fx, fy, fz)
        ux, uy, uz = (ex - sx) / dt, (ey - sy) / dt, (ez - sz) / dt
        # Along the surface it takes hold by a share; straight on it always pushes.
        push, carry = ux * nx + uy * ny + uz * nz, c[j, CARRY]
        ux, uy, uz = (carry * ux + (1 - carry) * push * nx, carry * uy + (1 - carry) * push * ny,
                      carry * uz + (1 - carry) * push * nz)  # fmt: skip
    return x, y, z, nx, ny, nz, ux, uy, uz, lx, ly, lz
