"""The outlines of the convex parts that a body meets others with, for the eye."""

from collections.abc import Iterator

import numpy as np

from hotgravel.core.matter.rigid.model import Array, Model
from hotgravel.core.matter.rigid.support import BALL, BLOCK, CORNER, CORNERS, DRUM, FACE, FACES, KIND, SIZE

ROUND = 24  # segments of a circle


def outline_of(model: Model) -> Array:
    """Segments (E, 2, 3) along the edges of a body's parts, in the body's own frame; of what is round, circles."""
    return np.concatenate([np.asarray(list(_edges(model, part)), float).reshape(-1, 2, 3) for part in model.parts])


def _edges(model: Model, part: Array) -> Iterator[Array]:
    kind, (a, b, c) = int(part[KIND]), part[SIZE : SIZE + 3]
    if kind == BALL:
        for axis in range(3):
            yield from _circle(a, axis)
    elif kind == DRUM:
        for way in (-1.0, 1.0):
            yield from _circle(a, 1) + way * b * np.eye(3)[1]
        for x, z in ((a, 0.0), (-a, 0.0), (0.0, a), (0.0, -a)):
            yield np.array([[x, -b, z], [x, b, z]])
    elif kind == BLOCK:
        corners = np.array([[x, y, z] for x in (-a, a) for y in (-b, b) for z in (-c, c)])
        yield from (corners[[i, i ^ bit]] for i in range(8) for bit in (1, 2, 4) if i < i ^ bit)
    else:
        first = int(part[FACE])
        seen = set()
        for face in model.face_of[first : first + int(part[FACES])]:
            ring = face[face >= 0].tolist()
            seen |= {(min(i, j), max(i, j)) for i, j in zip(ring, ring[1:] + ring[:1], strict=True)}
        last = int(part[CORNER]) + int(part[CORNERS])
        yield from (model.corners[[i, j]] for i, j in sorted(seen) if j < last)


def _circle(radius: float, axis: int) -> Array:
    """Segments (ROUND, 2, 3) of a circle about an axis."""
    angle = 2.0 * np.pi * np.arange(ROUND + 1) / ROUND
    ring = np.zeros((ROUND + 1, 3))
    ring[:, (axis + 1) % 3], ring[:, (axis + 2) % 3] = radius * np.cos(angle), radius * np.sin(angle)
    return np.stack([ring[:-1], ring[1:]], axis=1)
