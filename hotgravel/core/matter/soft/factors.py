"""A symmetric positive matrix as its factors L D Lᵗ, and solutions by them.

SciPy's SuperLU factors. Its own solution takes three columns one after another and whatever hangs together with nothing
else too; here they go side by side, several times as fast.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import csc_matrix, tril
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

from hotgravel.core.matter.soft.model import Array

Counts = NDArray[np.uint32]


@njit(cache=True, parallel=True, nogil=True)
def substituted(starts, rows, values, diagonal, parts, z):
    """Put in place of the right sides z (n, 3) what solves for them. L is by columns: below the diagonal, column j has
    `values` in `rows` from starts[j] on. Rows from parts[p] to parts[p + 1] hang together. Indices are unsigned, so
    that none is asked whether it counts from the end."""
    for p in prange(len(parts) - 1):
        for j in range(parts[p], parts[p + 1]):
            x, y, u = z[j, 0], z[j, 1], z[j, 2]
            for m in range(starts[j], starts[j + 1]):
                i, much = rows[m], values[m]
                z[i, 0] -= much * x
                z[i, 1] -= much * y
                z[i, 2] -= much * u
        for back in range(parts[p + 1] - parts[p]):
            j = parts[p + 1] - 1 - back
            x, y, u = z[j, 0] / diagonal[j], z[j, 1] / diagonal[j], z[j, 2] / diagonal[j]
            for m in range(starts[j], starts[j + 1]):
                i, much = rows[m], values[m]
                x -= much * z[i, 0]
                y -= much * z[i, 1]
                u -= much * z[i, 2]
            z[j, 0], z[j, 1], z[j, 2] = x, y, u


@dataclass(frozen=True, eq=False)
class Factors:
    """L by its columns without the ones on its diagonal, and D, as `substituted` has them, with those that hang
    together side by side; `order` (n,) are the matrix's rows in that order."""

    starts: Counts
    rows: Counts
    values: Array
    diagonal: Array
    parts: Counts
    order: NDArray[np.int64]

    @classmethod
    def of(cls, matrix: Any) -> "Factors":
        """Of a symmetric positive matrix (n, n)."""
        made = splu(
            csc_matrix(matrix), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
        )
        whole = made.L  # copied each time that it is asked for
        many, which = connected_components(whole, directed=False)
        parts, order = np.append(0, np.cumsum(np.bincount(which, minlength=many))), np.argsort(which, kind="stable")
        low = tril(whole[order][:, order], -1, format="csc")
        starts, rows, ends = (of.astype(np.uint32) for of in (low.indptr, low.indices, parts))
        return cls(starts, rows, low.data, made.U.diagonal()[order], ends, np.argsort(made.perm_c)[order])

    def put(self, z: Array) -> None:
        """Put in place of right sides (n, 3), in the order of the factors, what solves for them."""
        substituted(self.starts, self.rows, self.values, self.diagonal, self.parts, z)
