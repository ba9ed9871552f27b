"""What stands in the vessels of one row: how it lies, and what it swings by."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.slosh.modes import GRID, Modes, modes_of
from hotgravel.core.matter.slosh.surface import Lie
from hotgravel.core.matter.slosh.vessel import AREA, HEIGHT, MIDDLE, SPREAD, Vessel, cut_walls, inverse_of, root_of
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot.slosh import Slosh

Array = NDArray[np.float64]
LATELY = 3  # times: a frame's meshes are made while its next is computed
POINTS = 24  # of each surface, that cues and gauges go by
REACH = 1.6  # deviations of a surface from its middle: how far off they lie
LEAST, MOST = 0.02, 0.98  # of the room: the surface at rest, that modes are found of, stands between them


@dataclass(frozen=True)
class Laid:
    """How the surfaces of n vessels lie: normals (n, 3) and axes (n, 2, 3) in the vessels' frames, levels (n,
    LEVEL_WIDTH), how the surface at rest is stretched (n, 2, 2), and the sizes (n,) and turns (n, 3, 3) of vessels."""

    normals: Array
    axes: Array
    levels: Array
    stretch: Array
    scale: Array
    turn: Array


@dataclass(frozen=True, eq=False)
class Content:
    """A row, the room in its vessel, the surface at rest, and its modes."""

    row: Slosh
    number: int
    vessel: Vessel
    up: Array
    axes: Array
    middle: Array
    modes: Modes
    lately: list[tuple[tuple[Array, ...], Laid]] = field(default_factory=list)

    @staticmethod
    def of(row: Slosh, number: int, vessel: Vessel, pose: Pose, level: float) -> "Content":
        """That of a vessel as it stands at first, filled to a level."""
        up = pose.matrix.T @ np.array([0.0, 1.0, 0.0])
        across = np.cross(up, np.eye(3)[np.abs(up).argmin()])
        first = np.cross(across / np.linalg.norm(across), up)
        axes = np.stack([first, np.cross(up, first)])
        share = min(max(level, LEAST), MOST)
        lie = vessel.levels(up[None], axes[None], np.array([share * vessel.room]))[0]
        walls, faces, edge_of = vessel.walls
        place, _, sides, _ = cut_walls(walls, faces, edge_of, walls @ up - lie[HEIGHT])
        modes = modes_of((place @ axes.T)[sides], lie[MIDDLE:SPREAD], lie[SPREAD:], float(lie[AREA]))
        return Content(row, number, vessel, up, axes, lie[MIDDLE:SPREAD] @ axes + lie[HEIGHT] * up, modes)

    @cached_property
    def nodes(self) -> Array:
        """Where points lie on the surface at rest (POINTS, 2), in its axes."""
        n = np.arange(POINTS)
        away, around = REACH * np.sqrt((n + 0.5) / POINTS), n * np.pi * (3.0 - np.sqrt(5.0))
        even = away[:, None] * np.stack([np.cos(around), np.sin(around)], axis=1)
        made: Array = self.modes.middle + even @ root_of(self.modes.spread[None])[0].T
        return made

    @cached_property
    def shapes(self) -> tuple[Array, Array]:
        """How high each mode (N,) stands at the points (N, POINTS), and its slopes there (N, POINTS, 2)."""
        m = self.modes
        cell = (m.box[1] - m.box[0]) / (GRID - 1)
        i, k = np.clip(np.rint(m.at(self.nodes)).astype(int), 0, GRID - 1)
        along, across = (np.gradient(m.shape, cell[n], axis=n + 1)[:, i, k] for n in range(2))
        return np.ascontiguousarray(m.shape[:, i, k]), np.stack([along, across], axis=-1)

    def laid(self, down: Array, poses: Array, level: float) -> Laid:
        """How surfaces lie that hang along `down` (n, 3) in vessels with poses (n, 8), filled to a level. Nobody may
        change it: it is the same again where all are as they were one of the last times that it was asked for."""
        told = (down, poses, np.full(1, level))
        for known, laid in self.lately[:]:
            if all(map(np.array_equal, known, told)):
                return laid
        laid = self._laid(down, poses, level)
        self.lately[:] = [(tuple(of.copy() for of in told), laid), *self.lately[: LATELY - 1]]
        return laid

    def _laid(self, down: Array, poses: Array, level: float) -> Laid:
        turn, scale = Rotation.from_quat(poses[:, 3:7]).as_matrix(), poses[:, 7]
        normals = -np.einsum("nij,ni->nj", turn, down)
        axes = np.stack([_led(self.up, axis, normals) for axis in self.axes], axis=1)
        levels = self.vessel.levels(normals, axes, np.full(len(down), level * self.vessel.room))
        at_rest = np.linalg.inv(root_of(self.modes.spread[None])[0])
        return Laid(normals, axes, levels, root_of(levels[:, SPREAD:]) @ at_rest, scale, turn)

    def swing_by(self, laid: Laid, level: float) -> tuple[Array, Array, Array, Array]:
        """What `swing.swung` goes by: bend, part, stiff and number."""
        m, s = self.modes, laid.scale
        area = laid.levels[:, AREA]
        there = area > 0.0
        depth = s * level * self.vessel.room / np.where(there, area, 1.0)
        inverse = inverse_of(root_of(laid.levels[:, SPREAD:]))
        squares, ways = np.linalg.eigh(inverse @ m.pull @ inverse)
        k = np.sqrt(np.maximum(squares, 0.0)) / s[:, None]
        bend = np.einsum("nik,nk,njk->nij", ways, k * np.tanh(k * depth[:, None]), ways)
        wide = np.sqrt(np.abs(np.linalg.det(laid.stretch)))
        number = m.number / np.where(there, wide * s, 1.0)[:, None]
        stiff = number * np.tanh(number * depth[:, None]) * there[:, None]
        part = s[:, None, None] * np.einsum("nij,mj->nmi", laid.stretch, m.share)
        return bend * there[:, None, None], part, stiff, number

    def lie(self, laid: Laid, waves: Array) -> Lie:
        """How surfaces lie in their vessels, with waves (n, N), m."""
        high = self.row.ripples * waves / laid.scale[:, None]
        return Lie.of(self.modes, laid.normals, laid.axes, laid.levels, laid.stretch, high)


def _led(up: Array, axis: Array, normals: Array) -> Array:
    """An axis (3,) that is square to `up`, turned as little as takes `up` to normals (n, 3)."""
    over, about = normals @ cross_matrix(up).T, normals @ up
    twice = over * (over @ axis)[:, None] - axis * (over**2).sum(axis=1)[:, None]
    led = axis - over @ cross_matrix(axis).T + twice / np.maximum(1.0 + about, 1e-9)[:, None]
    return np.where(about[:, None] > -1.0 + 1e-6, led, axis)


def cross_matrix(ways: Array) -> Array:
    """Matrices (..., 3, 3) that take what is crossed with ways (..., 3), on its right, to what comes of it."""
    made = np.zeros((*ways.shape, 3))
    for n in range(3):
        made[..., n, n - 2], made[..., n, n - 1] = -ways[..., n - 1], ways[..., n - 2]
    return made
