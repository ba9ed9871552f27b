"""Where a prop stands: position, rotation and scale, from a shot's values at a frame."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import is_driven, one, three
from hotgravel.core.shot.props import Prop

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Pose:
    """position (3,) in metres, quaternion (4,) as x, y, z, w, scale."""

    position: Array
    quaternion: Array
    scale: float

    @cached_property
    def matrix(self) -> Array:
        """The rotation (3, 3)."""
        result: Array = Rotation.from_quat(self.quaternion).as_matrix()
        return result

    def to_world(self, points: Array) -> Array:
        """Points (n, 3) of the shape's frame, in the world."""
        return self.scale * points @ self.matrix.T + self.position

    def to_local(self, points: Array) -> Array:
        """Points (n, 3) of the world, in the shape's frame."""
        return (points - self.position) @ self.matrix / self.scale

    def turn(self, directions: Array) -> Array:
        """Directions (n, 3) of the shape's frame, in the world."""
        return directions @ self.matrix.T


def onward(start: Pose, end: Pose) -> Pose:
    """Where a thing comes that goes on in the same time by as much as it went from one pose to another."""
    turned = Rotation.from_quat(end.quaternion) * Rotation.from_quat(start.quaternion).inv()
    quaternion = (turned * Rotation.from_quat(end.quaternion)).as_quat()
    return Pose(2.0 * end.position - start.position, quaternion, end.scale)


def pose_at(prop: Prop, ask: Ask) -> Pose:
    """A prop's pose at a moment. Rotation is about x, then y, then z."""
    quaternion = Rotation.from_euler("xyz", three(prop, "rotation", ask), degrees=True).as_quat()
    return Pose(three(prop, "position", ask), quaternion, max(one(prop, "scale", ask), 1e-9))


def moves(prop: Prop) -> bool:
    """Whether any part of a prop's pose is driven."""
    return any(is_driven(v) for v in (*prop.position, *prop.rotation, prop.scale))
