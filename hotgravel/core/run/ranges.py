"""From where to where an attribute went in a run: what a response over it begins with."""

import numpy as np

from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.reading import asked_for
from hotgravel.core.run.world import World
from hotgravel.core.shot.row import Row

LOOKED_AT = 5  # frames, evenly over the run
FROM_NOUGHT = ("age", "speed", "travelled", "radius", "mass", "density", "impulse", "still", "spin", "tilt")


def range_in(world: World, store: FrameStore, attribute: str, row: Row | None) -> tuple[float, float] | None:
    """The least and the most of an attribute, of what a row's numbers are asked for, over a few kept frames, in round
    numbers; None if there was nobody."""
    kept = store.frames()
    found = []
    for frame in sorted({kept[round(n)] for n in np.linspace(0, len(kept) - 1, LOOKED_AT)}) if kept else []:
        values = asked_for(world, store, frame, row, attribute)
        found.append(values[np.isfinite(values)])
    told = np.concatenate(found) if found else np.zeros(0)
    if not len(told):
        return None
    low = 0.0 if attribute in FROM_NOUGHT else _rounded(float(told.min()), np.floor)
    high = _rounded(float(told.max()), np.ceil)
    return (low, high) if high > low else None


def _rounded(number: float, way: np.ufunc) -> float:
    """To two digits, up or down."""
    if number == 0.0:
        return 0.0
    step = 10.0 ** (np.floor(np.log10(abs(number))) - 1)
    return float(f"{way(number / step - 1e-9 * (1 if way is np.ceil else -1)) * step:.6g}")
