"""Meshes made by rule: stones broken by chance, and trays of bars."""

from functools import lru_cache
from typing import Any

import numpy as np
import trimesh

from hotgravel.core.chance import uniforms
from hotgravel.core.shape.mesh import Imported, mesh_from
from hotgravel.core.shot.props import Stone, Tray

FACETS = 18  # planes that a stone is broken along, beside its two beds


@lru_cache(maxsize=64)
def stone(shape: Stone) -> Imported:
    """A ball that planes cut flat here and there, stretched to its sizes; its upper and lower beds lie level."""
    ball = trimesh.creation.icosphere(subdivisions=3)
    ways = np.asarray(ball.vertices)
    u = uniforms(np.arange(FACETS, dtype=np.uint64), 3, seed=shape.seed, who="stone")
    height, turn = 2.0 * u[:, 0] - 1.0, 2.0 * np.pi * u[:, 1]
    rho = np.sqrt(1.0 - height**2)
    planes = np.stack([rho * np.cos(turn), height, rho * np.sin(turn)], axis=1)
    off = 1.0 - 0.6 * shape.roughness * u[:, 2]
    planes = np.concatenate([planes, [[0.0, 1.0, 0.0], [0.0, -1.0, 0.0]]])
    off = np.concatenate([off, np.full(2, 1.0 - 0.6 * shape.roughness)])
    along = ways @ planes.T
    far = np.where(along > 1e-9, off / np.maximum(along, 1e-9), np.inf).min(axis=1)
    points = ways * np.minimum(far, 1.0)[:, None]
    points = points / np.ptp(points, axis=0) * [shape.width, shape.height, shape.depth]
    points -= 0.5 * (points.min(axis=0) + points.max(axis=0))
    return mesh_from("A stone", points, np.asarray(ball.faces))


@lru_cache(maxsize=8)
def tray(shape: Tray) -> Imported:
    """Bars along z, evenly over the width, between four walls; it stands on the bars' lower side."""
    bar, thick = shape.bar, shape.bar
    gap = (shape.width - shape.bars * bar) / (shape.bars + 1)
    parts = []
    for k in range(shape.bars):
        middle = -0.5 * shape.width + gap + 0.5 * bar + k * (gap + bar)
        parts.append(_block((bar, thick, shape.depth), (middle, 0.5 * thick, 0.0)))
    for side in (-1.0, 1.0):
        parts.append(
            _block((thick, shape.wall, shape.depth), (side * 0.5 * (shape.width + thick), 0.5 * shape.wall, 0.0))
        )
        long = shape.width + 2.0 * thick
        parts.append(_block((long, shape.wall, thick), (0.0, 0.5 * shape.wall, side * 0.5 * (shape.depth + thick))))
    whole: Any = trimesh.util.concatenate(parts)
    return mesh_from("A tray", np.asarray(whole.vertices), np.asarray(whole.faces))


def _block(extents: tuple[float, float, float], middle: tuple[float, float, float]) -> trimesh.Trimesh:
    block: trimesh.Trimesh = trimesh.creation.box(extents=extents).apply_translation(middle)
    return block
