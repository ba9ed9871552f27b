"""Where a prop stands: position, rotation and scale, from a shot's values at a frame."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.drive.value import is_driven, scalar, vector
from hotgravel.core.shot.props import Prop

Array = NDArray[np.float64]


@dataclass(frozen=True)
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

    def turn(self, directions: Array) -> Array:
        """Directions (n, 3) of the shape's frame, in the world."""
        return directions @ self.matrix.T


def pose_at(prop: Prop, frame: float) -> Pose:
    """A prop's pose at a frame, which may be fractional. Rotation is about x, then y, then z."""
    angles = vector(prop.rotation, frame)
    quaternion = Rotation.from_euler("xyz", angles, degrees=True).as_quat()
    return Pose(vector(prop.position, frame), quaternion, scalar(prop.scale, frame))


def moves(prop: Prop) -> bool:
    """Whether any part of a prop's pose is driven."""
    return any(is_driven(v) for v in (*prop.position, *prop.rotation, prop.scale))
