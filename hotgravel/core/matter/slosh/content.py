"""What stands in the vessels of one row: how it lies, and what it swings by."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.lately import Lately
from hotgravel.core.matter.slosh.modes import GRID, Modes, modes_of
from hotgravel.core.matter.slosh.surface import Lie
from hotgravel.core.matter.slosh.swing import hung, swung_by
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

    @cached_property
    def inverse(self) -> Array:
        """What undoes the stretch (n, 2, 2)."""
        return inverse_of(self.stretch)


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
    lately: Lately[Laid] = field(default_factory=lambda: Lately(LATELY))

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
        place, _, sides, _ = cut_walls(walls, faces, edge_of, walls @ up - lie[HEIGHT], np.ones(len(walls)))
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
        change it."""
        return self.lately.of((down, poses, np.full(1, level)), lambda: self._laid(down, poses, level))

    def _laid(self, down: Array, poses: Array, level: float) -> Laid:
        turn, normals, axes = hung(self.up, self.axes, down, poses)
        levels = self.vessel.levels(normals, axes, np.full(len(down), level * self.vessel.room))
        return Laid(normals, axes, levels, root_of(levels[:, SPREAD:]) @ self._at_rest, poses[:, 7], turn)

    @cached_property
    def _at_rest(self) -> Array:
        """What the surface at rest is stretched by to be a round one of spread 1 (2, 2)."""
        made: Array = np.linalg.inv(root_of(self.modes.spread[None])[0])
        return made

    def swing_by(self, laid: Laid, level: float) -> tuple[Array, Array, Array, Array]:
        """What `swing.swung` goes by: bend, part, stiff and number."""
        m = self.modes
        made: tuple[Array, Array, Array, Array] = swung_by(
            laid.levels[:, AREA],
            laid.stretch,
            self._at_rest @ laid.inverse,
            laid.scale,
            level * self.vessel.room,
            m.pull,
            m.share,
            m.number,
        )
        return made

    def lie(self, laid: Laid, waves: Array) -> Lie:
        """How surfaces lie in their vessels, with waves (n, N), m."""
        high = self.row.ripples * waves / laid.scale[:, None]
        return Lie.of(self.modes, laid.normals, laid.axes, laid.levels, laid.inverse, high)
