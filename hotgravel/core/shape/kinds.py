"""The shapes that kernels know, as numbers, and how a shot's shape becomes one."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.bvh import MeshTree, empty_tree
from hotgravel.core.shape.distance import BOX, CONE, CYLINDER, DISC, HEMISPHERE, MESH, PLANE, SPHERE, TORUS
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


@dataclass(frozen=True)
class Shaped:
    """A shape as kernels take it: kind, sizes (3,) in metres, and for meshes the tree."""

    kind: int
    sizes: NDArray[np.float64]
    tree: MeshTree = field(default_factory=empty_tree)

    @property
    def reach(self) -> float:
        """Radius of a ball about the shape's own origin that holds all of it, metres."""
        a, b, c = self.sizes
        if self.kind == MESH:
            return float(np.linalg.norm(self.tree.vertices, axis=1).max())
        if self.kind in (BOX, PLANE):
            return 0.5 * float(np.sqrt(a * a + b * b + c * c))
        if self.kind in (CYLINDER, CONE):
            return float(np.hypot(a, 0.5 * b))
        return float(a + b) if self.kind == TORUS else float(a)

    @property
    def extent(self) -> float:
        """The length of its longest side, metres."""
        if self.kind == MESH:
            return float(np.ptp(self.tree.vertices, axis=0).max())
        doubled = {SPHERE: (0,), HEMISPHERE: (0,), DISC: (0,), CYLINDER: (0,), CONE: (0,), TORUS: (0, 1)}
        factors = [2.0 if i in doubled.get(self.kind, ()) else 1.0 for i in range(3)]
        sizes = self.sizes * factors
        return float(sizes.sum() if self.kind == TORUS else sizes.max())


def shaped(shape: props.Shape, tree: MeshTree | None = None) -> Shaped:
    """The kernel's view of a shot's shape; `tree` is needed for an imported mesh."""
    if isinstance(shape, props.Mesh):
        if tree is None:
            raise ValueError("an imported mesh needs its tree")
        return Shaped(MESH, np.zeros(3), tree)
    kind, names = _SIZES[type(shape)]
    sizes = np.zeros(3)
    sizes[: len(names)] = [getattr(shape, name) for name in names]
    return Shaped(kind, sizes)
