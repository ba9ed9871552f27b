"""What particles can hit during one step, as a table for the kernel."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.shape.bvh import MeshTree
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose

Array = NDArray[np.float64]


class Colliders(NamedTuple):
    """C surfaces, each a prop met under one collision row; 0 is the step's start, 1 its end.

    kind, whom (C,): shape, and the state that meets it or -1. bit (C,): set in `touched` by a
    particle that meets it. side (C,) 1 or -1.
    sizes (C, 3). bounce, friction, thickness (C,). p0, p1 (C, 3), q0, q1 (C, 4), s0, s1 (C,):
    poses. r0, r1 (C, 3, 3): rotations. moving (C,). reach (C,): a ball around it, metres.
    """

    kind: NDArray[np.int64]
    bit: NDArray[np.uint64]
    whom: NDArray[np.int64]
    side: Array
    sizes: Array
    bounce: Array
    friction: Array
    thickness: Array
    p0: Array
    p1: Array
    q0: Array
    q1: Array
    s0: Array
    s1: Array
    r0: Array
    r1: Array
    moving: NDArray[np.bool_]
    reach: Array
    tree: MeshTree


class Surface(NamedTuple):
    """One collider before it goes into the table."""

    shape: Shaped
    bit: int
    whom: int
    side: float
    bounce: float
    friction: float
    thickness: float
    start: Pose
    end: Pose


def table_of(surfaces: list[Surface], tree: MeshTree) -> Colliders:
    """The kernel's table; `tree` joins all meshes that the surfaces' sizes point into."""
    n = len(surfaces)
    q0 = np.array([s.start.quaternion for s in surfaces]).reshape(n, 4)
    q1 = np.array([s.end.quaternion for s in surfaces]).reshape(n, 4)
    q1 = np.where((q0 * q1).sum(axis=1, keepdims=True) < 0.0, -q1, q1)  # turn the short way
    p0 = np.array([s.start.position for s in surfaces]).reshape(n, 3)
    p1 = np.array([s.end.position for s in surfaces]).reshape(n, 3)
    s0, s1 = np.array([s.start.scale for s in surfaces]), np.array([s.end.scale for s in surfaces])

    def column(name: str, dtype: type = np.float64) -> NDArray[np.generic]:
        return np.array([getattr(s, name) for s in surfaces], dtype)

    def matrices(q: Array) -> Array:
        return Rotation.from_quat(q).as_matrix() if n else np.zeros((0, 3, 3))

    return Colliders(
        kind=np.array([s.shape.kind for s in surfaces], np.int64),
        bit=column("bit", np.uint64), whom=column("whom", np.int64), side=column("side"),
        sizes=np.array([s.shape.sizes for s in surfaces]).reshape(n, 3),
        bounce=column("bounce"), friction=column("friction"), thickness=column("thickness"),
        p0=p0, p1=p1, q0=q0, q1=q1, s0=s0, s1=s1, r0=matrices(q0), r1=matrices(q1),
        moving=(p0 != p1).any(axis=1) | (q0 != q1).any(axis=1) | (s0 != s1),
        reach=np.array([s.shape.reach for s in surfaces]), tree=tree,
    )  # type: ignore[arg-type]  # fmt: skip
