"""The room of a liquid: where its grid lies, and what stands in it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from hotgravel.core.matter.contract import Array, Seam
from hotgravel.core.matter.fluid.project import Grid
from hotgravel.core.matter.fluid.solids import Box, Obstacle, Solids, near_in, prop_in, solids_in
from hotgravel.core.shape.colliders import stands
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting

SIDE = 8  # cells: grids grow by so many
REACH = 3  # cells about drops that are worked out
SMALL = 0.5  # cells: bodies that are smaller do not stand in its way


def around(box: Box) -> Box:
    """A box and what is beside it, so that its walls lie within."""
    low = [at - SIDE * box.cell for at in box.low]
    x, y, z = (n + 2 * SIDE for n in box.shape)
    return Box((low[0], low[1], low[2]), box.cell, (x, y, z))


def window_of(whole: Box, place: Array) -> Array:
    """The first cell and the number (2, 3) of those about places (n, 3), in whole blocks."""
    cells = (place - np.array(whole.low)) / whole.cell
    most = np.array(whole.shape) // SIDE
    first = np.clip(np.floor((cells.min(axis=0) - REACH) / SIDE), 0, most - 1)
    end = np.clip(np.floor((cells.max(axis=0) + REACH) / SIDE) + 1, first + 1, most)
    return (SIDE * np.stack([first, end - first])).astype(np.int64)


def part_of(whole: Box, window: Array) -> Box:
    """The box of a window."""
    low = np.array(whole.low) + whole.cell * window[0]
    x, y, z = (int(n) for n in window[1])
    return Box((float(low[0]), float(low[1]), float(low[2])), whole.cell, (x, y, z))


@dataclass
class Room:
    """What stands in the room of a liquid, kept from one step to the next while it stands still: how far the corners of
    all cells lie from it, metres, and what stands in the window that was last asked for."""

    setting: Setting
    box: Box
    walls: tuple[tuple[int, int], ...]
    key: bytes = b""
    still: Grid | None = None
    asked: bytes = b""
    solids: Solids | None = None

    @property
    def whole(self) -> Box:
        return around(self.box)

    def corners(self, obstacles: Sequence[Obstacle]) -> Grid:
        """How far the corners of all cells lie from obstacles, and from the sides that are walls."""
        whole = self.whole
        found = near_in(whole, obstacles)
        points = whole.points((0.0, 0.0, 0.0), (1, 1, 1))
        for axis, end in self.walls:
            at = self.box.low[axis] - end * self.box.cell * self.box.shape[axis]  # the high end counts as -1
            gap = ((1 + 2 * end) * (points[:, axis] - at)).reshape(found.shape)
            found = np.minimum(found, gap).astype(np.float32)
        return found

    def stand(self, seam: Seam, lapse: float) -> tuple[Grid, list[Obstacle]]:
        """How far corners are from what stands still, and all that moves. Solvers that come later have last told how
        their shapes went in the step before, which took `lapse` seconds."""
        scene, there = seam.scene, list[Obstacle]()
        for prop, inside in self.setting.met:
            if stands(self.setting, scene, prop):
                there.append(prop_in(scene, prop, inside))
            for m in (m for m in seam.surfaces if m.prop == prop):
                if m.shape.extent * m.end.scale >= SMALL * self.box.cell:
                    there.append(Obstacle(m.shape, m.end, m.start, -lapse or -scene.lapse, inside))
        still = [o for o in there if o.stands]
        key = b"".join(o.key for o in still)
        if self.still is None or key != self.key:
            self.still, self.key, self.solids = self.corners(still), key, None
        return self.still, [o for o in there if not o.stands]

    @cached_property
    def _parts(self) -> list[Shaped]:
        """All that may move: props, and the pieces of those that are cut."""
        setting = self.setting
        return [*setting.shapes.values(), *(piece for of in setting.pieces.values() for piece in of)]

    def moving(self, seam: Seam) -> Array:
        """What moves and is met from outside (k, 9): which shape, and its pose at the step's end."""
        numbers = {id(shape): n for n, shape in enumerate(self._parts)}
        met = {prop for prop, inside in self.setting.met if not inside}
        found = [m for m in seam.surfaces if m.prop in met and m.shape.has_volume]
        return np.array([
            [numbers[id(m.shape)], *m.end.position, *m.end.quaternion, m.end.scale] for m in found
        ]).reshape(-1, 9)  # fmt: skip

    def shapes(self, moving: Array) -> Iterator[tuple[Shaped, Pose]]:
        """Those that `moving` has told, with their poses."""
        for row in moving:
            yield self._parts[int(row[0])], Pose(row[1:4], row[4:8], float(row[8]))

    def solids_about(self, window: Array, seam: Seam, lapse: float) -> Solids:
        """What stands in a window of cells."""
        still, moving = self.stand(seam, lapse)
        (a, b, c), (x, y, z) = window
        asked = window.tobytes()
        if self.solids is not None and not moving and asked == self.asked:
            return self.solids
        box, corners = part_of(self.whole, window), still[a : a + x + 1, b : b + y + 1, c : c + z + 1]
        found = solids_in(box, near_in(box, moving, corners), moving, (), [(False, False)] * 3)
        self.solids, self.asked = (None if moving else found), asked
        return found
