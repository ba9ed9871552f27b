"""Jelly that gives for good: what is strained by more than it can take keeps what is over."""

import numpy as np

from hotgravel.core.matter.soft.model import Array, Ints


def flowed(x: Array, nodes: Ints, rest: Array, most: Array) -> Array:
    """How tetrahedra (E, 4) lie at rest, as inverses (E, 9) of their sides, once those have given way that are strained
    by more than `most` (E,) along any of their three ways; their volumes stay (multiplicative plasticity: Bargteil and
    others 2007)."""
    a = x[nodes[:, 0]]
    sides = np.stack([x[nodes[:, n]] - a for n in (1, 2, 3)], axis=2)
    inverse = rest.reshape(-1, 3, 3)
    u, stretch, v = np.linalg.svd(sides @ inverse)
    over = np.flatnonzero((np.abs(stretch - 1.0) > most[:, None]).any(axis=1) & (np.linalg.det(u @ v) > 0.0))
    if not len(over):
        return rest
    kept = stretch[over] / np.clip(stretch[over], 1.0 - most[over, None], 1.0 + most[over, None])
    kept /= np.cbrt(kept.prod(axis=1, keepdims=True))
    made = inverse.copy()
    made[over] = inverse[over] @ np.einsum("eji,ej,ejk->eik", v[over], 1.0 / kept, v[over])
    return made.reshape(-1, 9)
