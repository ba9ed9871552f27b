"""How long vectors are, many at once."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Array = NDArray[np.float64]
NOWHERE = np.zeros(3)
FEW = 20000  # are done sooner than another thread wakes


@njit(cache=True, inline="always")
def _length(vectors, n, origin):
    x, y, z = vectors[n, 0] - origin[0], vectors[n, 1] - origin[1], vectors[n, 2] - origin[2]
    return np.sqrt(x * x + y * y + z * z)


@njit(cache=True, nogil=True)
def _of_few(vectors, origin, out):
    for n in range(len(vectors)):
        out[n] = _length(vectors, n, origin)


@njit(cache=True, parallel=True, nogil=True)
def _of_many(vectors, origin, out):
    for n in prange(len(vectors)):
        out[n] = _length(vectors, n, origin)


def lengths(vectors: Array, origin: Array = NOWHERE) -> Array:
    """The lengths (n,) of vectors (n, 3), or how far points (n, 3) are from an origin (3,)."""
    out = np.empty(len(vectors))
    (_of_few if len(vectors) < FEW else _of_many)(np.ascontiguousarray(vectors), origin, out)
    return out
