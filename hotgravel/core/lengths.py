"""How long vectors are, many at once."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Array = NDArray[np.float64]
NOWHERE = np.zeros(3)


@njit(cache=True, parallel=True, nogil=True)
def _lengths(vectors, origin, out):
    for n in prange(len(vectors)):
        x, y, z = vectors[n, 0] - origin[0], vectors[n, 1] - origin[1], vectors[n, 2] - origin[2]
        out[n] = np.sqrt(x * x + y * y + z * z)


def lengths(vectors: Array, origin: Array = NOWHERE) -> Array:
    """The lengths (n,) of vectors (n, 3), or how far points (n, 3) are from an origin (3,)."""
    out = np.empty(len(vectors))
    _lengths(np.ascontiguousarray(vectors), origin, out)
    return out
