"""Cracks along strokes: seeds in pairs on either side of a drawn line, so that their cells meet on it."""

import numpy as np

from hotgravel.core.chance import uniforms
from hotgravel.core.shape.cells import Array, NotCut
from hotgravel.core.shape.distance import distances
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shot.cut import MOST_PIECES, AlongStrokes, Cut


def stroked(row: Cut, manner: AlongStrokes, points: Array, width: float, shape: Shaped) -> tuple[Array, int]:
    """Seeds (n, 3) about strokes that were drawn through points (k, 3), as wide to either side as `width`, and how many
    of them are those of pieces: the others bound these, and what lies about them is left in one. Raises `NotCut`."""
    inner, outer = list[Array](), list[Array]()
    for line in _lines(points, width):
        way, along = np.diff(line, axis=0), np.zeros(len(line))
        along[1:] = np.cumsum(np.linalg.norm(way, axis=1))
        count = max(1, round(along[-1] / manner.length))
        if 2 * count > MOST_PIECES:
            raise NotCut(f"That is {2 * count} pieces. Accepted: {MOST_PIECES} at most, so longer ones.")
        stray = uniforms(np.arange(count, dtype=np.uint64), 2, seed=row.seed, who=row.id, purpose=len(inner)) - 0.5
        step = along[-1] / count
        middles = (np.arange(count) + 0.5 + manner.jitter * stray[:, 0]) * step
        at = np.concatenate([[-0.5 * step], middles, [along[-1] + 0.5 * step]])
        place, ahead = _at(line, along, at)
        measured = distances(shape.kind, shape.sizes, shape.tree, place)
        gap, out = measured[:, 0], measured[:, 1:]
        near = np.abs(gap) < width
        place, side = place - gap[:, None] * out, np.cross(out, ahead)
        side /= np.maximum(np.linalg.norm(side, axis=1), 1e-12)[:, None]
        off = np.concatenate([[1.0], 1.0 + manner.jitter * stray[:, 1], [1.0]])[:, None] * width * side
        mine = near & (at > 0.0) & (at < along[-1])
        inner += [(place + way * off)[mine] for way in (-0.5, 0.5)]
        outer += [(place + way * off)[near] for way in (-1.5, 1.5)]
        outer += [(place + way * off)[near & ~mine] for way in (-0.5, 0.5)]
    pairs = np.concatenate(inner) if inner else np.zeros((0, 3))
    if not len(pairs):
        raise NotCut("No stroke lies on it. Accepted: strokes that are drawn on its surface.")
    return np.concatenate([pairs, *outer]), len(pairs)


def _lines(points: Array, width: float) -> list[Array]:
    """The points (k, 3) of each stroke: another begins where the next is farther off than two circles about them
    reach."""
    apart = np.flatnonzero(np.linalg.norm(np.diff(points, axis=0), axis=1) > 2.0 * width) + 1
    return [line for line in np.split(points, apart) if len(line) > 1]


def _at(line: Array, along: Array, at: Array) -> tuple[Array, Array]:
    """Places (n, 3) at distances (n,) along a line, straight on beyond its ends, and the way (n, 3) it runs there."""
    piece = np.clip(np.searchsorted(along, at, side="right") - 1, 0, len(line) - 2)
    way = np.diff(line, axis=0)[piece]
    length = np.maximum(np.linalg.norm(way, axis=1), 1e-12)[:, None]
    return line[piece] + (at - along[piece])[:, None] * way / length, way / length
