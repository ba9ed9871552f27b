"""Drops keep the volume that they stand for: those that are pressed together go apart, and those deep within that have
drifted apart come together again."""

import numpy as np
from scipy.ndimage import minimum_filter, uniform_filter

from hotgravel.core.matter.fluid.project import Grid
from hotgravel.core.matter.fluid.solids import Solids

FULL = 1.02  # of the drops that have room: more are pushed apart
LOOSEST = 0.5  # of them: fewer come together no faster
LIQUID = 0.6  # of the room in a cell and those about it: what has more in all of them lies deep within
LEAST = 0.2  # of a cell: less room beside an obstacle tells nothing


def too_many(fill: Grid, solids: Solids) -> Grid:
    """By how much cells (nx, ny, nz) that are so full hold more drops than have room; less than 0 deep within, where
    they hold fewer."""
    room = _room(solids)
    full = np.where(room > LEAST, fill / np.maximum(room, LEAST), 1.0)
    about = uniform_filter(fill, 3, mode="nearest") / np.maximum(uniform_filter(room, 3, mode="nearest"), LEAST)
    deep = minimum_filter(np.where(room > LEAST, about, 1.0), 3, mode="nearest") > LIQUID
    return np.asarray(np.where(deep, np.maximum(full, LOOSEST) - 1.0, np.maximum(full - FULL, 0.0)), np.float32)


def _room(solids: Solids) -> Grid:
    """How full cells are (nx, ny, nz) that are all in liquid: drops count in those about them too, where they can be
    there."""
    shares = np.ones(solids.distance.shape, np.float32)
    open_ = shares.copy()
    for axis, faces in enumerate(solids.open):
        low, high = (np.take(faces, np.arange(n, faces.shape[axis] - 1 + n), axis) for n in (0, 1))
        shares *= np.float32(0.75) + np.float32(0.125) * ((low > 0.0).astype(np.float32) + (high > 0.0))
        open_ = np.minimum(open_, np.maximum(low, high))
    return shares * open_
