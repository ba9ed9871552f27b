"""The shapes that kernels know, as numbers, and how a shot's shape becomes one."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.bvh import MeshTree, empty_tree
from hotgravel.core.shape.distance import BOX, CONE, CYLINDER, DISC, HEMISPHERE, MESH, PLANE, SPHERE, TORUS, gaps
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot import props

# For each kind: its number, and the fields that fill its (at most three) sizes in metres.
_SIZES: dict[type, tuple[int, tuple[str, ...]]] = {
    props.Sphere: (SPHERE, ("radius",)),
    props.Hemisphere: (HEMISPHERE, ("radius",)),
    props.Box: (BOX, ("width", "height", "depth")),
    props.Plane: (PLANE, ("width", "depth")),
    props.Disc: (DISC, ("radius",)),
    props.Cylinder: (CYLINDER, ("radius", "height")),
    props.Cone: (CONE, ("radius", "height")),
    props.Torus: (TORUS, ("radius", "tube")),
}


@dataclass(frozen=True, eq=False)
class Shaped:
    """A shape as kernels take it: its kind and sizes (3,), metres.

    A mesh's sizes are its root's row in the tree, and 1 if it is closed; it also carries its
    triangles: vertices (V, 3) and faces (F, 3).
    """

    kind: int
    sizes: NDArray[np.float64]
    tree: MeshTree = field(default_factory=empty_tree)
    vertices: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 3)))
    faces: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 3), np.int64))

    @cached_property
    def box(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Low and high corner of the box that holds it, in its own frame, metres."""
        a, b, c = self.sizes
        if self.kind == MESH:
            return self.vertices.min(axis=0), self.vertices.max(axis=0)
        half = {
            BOX: (a / 2, b / 2, c / 2), PLANE: (a / 2, 0.0, b / 2), CYLINDER: (a, b / 2, a),
            CONE: (a, b / 2, a), DISC: (a, 0.0, a), TORUS: (a + b, b, a + b),
        }.get(self.kind, (a, a, a))  # fmt: skip
        high = np.array(half)
        low = -high
        if self.kind == HEMISPHERE:
            low[1] = 0.0
        return low, high

    def corners(self, pose: Pose) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Low and high corner (3,) of a box in the world that holds it as it stands, metres."""
        low, high = self.box
        (middle,) = pose.to_world(0.5 * (low + high)[None])
        half = pose.scale * np.abs(pose.matrix) @ (0.5 * (high - low))
        return middle - half, middle + half

    def gap(self, points: NDArray[np.float64], pose: Pose) -> NDArray[np.float64]:
        """Signed distances (n,) of points (n, 3) to its surface as it stands, metres, less than zero inside."""
        found: NDArray[np.float64] = gaps(
            self.kind, self.sizes, self.tree, points, pose.matrix, pose.position, pose.scale
        )
        return found

    @property
    def reach(self) -> float:
        """Radius of a ball about the shape's own origin that holds all of it, metres."""
        low, high = self.box
        return float(np.linalg.norm(np.maximum(np.abs(low), np.abs(high))))

    @property
    def extent(self) -> float:
        """The length of its longest side, metres."""
        low, high = self.box
        return float((high - low).max())

    @property
    def has_volume(self) -> bool:
        """Whether there is an inside: not for sheets and open meshes."""
        return bool(self.sizes[1]) if self.kind == MESH else self.kind not in (PLANE, DISC)


def shaped(shape: props.Shape) -> Shaped:
    """The kernel's view of a primitive."""
    kind, names = _SIZES[type(shape)]
    sizes = np.zeros(3)
    sizes[: len(names)] = [getattr(shape, name) for name in names]
    return Shaped(kind, sizes)
