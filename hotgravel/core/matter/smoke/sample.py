"""A grid between its values.

Places are in cells: a cell i reaches from i to i + 1, so its middle is at i + 0.5. Velocities stand on faces: u
(nx + 1, ny, nz) on those across x, v (nx, ny + 1, nz) and w (nx, ny, nz + 1); scalars (nx, ny, nz) in the middles.
"""

from numba import njit

CENTRE, ON_X, ON_Y, ON_Z = (0.5, 0.5, 0.5), (0.0, 0.5, 0.5), (0.5, 0.0, 0.5), (0.5, 0.5, 0.0)


@njit(cache=True)
def at(field, x, y, z):
    """A field between its values, at a place counted in them; held at its ends."""
    nx, ny, nz = field.shape
    x, y, z = min(max(x, 0.0), nx - 1.0), min(max(y, 0.0), ny - 1.0), min(max(z, 0.0), nz - 1.0)
    i, j, k = min(int(x), nx - 2), min(int(y), ny - 2), min(int(z), nz - 2)
    a, b, c = x - i, y - j, z - k
    low = (field[i, j, k] * (1 - a) + field[i + 1, j, k] * a) * (1 - b) + (
        field[i, j + 1, k] * (1 - a) + field[i + 1, j + 1, k] * a
    ) * b
    high = (field[i, j, k + 1] * (1 - a) + field[i + 1, j, k + 1] * a) * (1 - b) + (
        field[i, j + 1, k + 1] * (1 - a) + field[i + 1, j + 1, k + 1] * a
    ) * b
    return low * (1 - c) + high * c
