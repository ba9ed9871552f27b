"""What keeps elements from going through props when something other than their own flight has moved them."""

from numba import njit, prange

from hotgravel.core.shape.colliders import contact_at, first_hit

CONTACTS = 8  # in one move; after that an element stays where it is


@njit(cache=True, parallel=True, nogil=True)
def bar(before, position, state, radius, age, colliders, bits, tree, touched):
    """Let elements that were moved from `before` (n, 3) to `position`, in place, go no further than what they would hit
    on the way, and along it; props stand where the step ends. What each has touched is added to `touched` (n,), unless
    that is empty."""
    tells = len(touched) > 0
    for i in prange(len(age)):
        x0, y0, z0 = before[i, 0], before[i, 1], before[i, 2]
        x1, y1, z1 = position[i, 0], position[i, 1], position[i, 2]
        if age[i] < 0.0 or (x0 == x1 and y0 == y1 and z0 == z1):
            continue
        for _ in range(CONTACTS):
            t, j = first_hit(colliders, tree, state[i], x0, y0, z0, x1, y1, z1, 1.0, radius[i])
            if j < 0:
                break
            if tells:
                touched[i] |= bits[j]
            x, y, z, nx, ny, nz, _ux, _uy, _uz, _lx, _ly, _lz = contact_at(
                colliders, tree, j, x0, y0, z0, x1, y1, z1, 1.0, t, radius[i], 1.0
            )
            dx, dy, dz = (1.0 - t) * (x1 - x0), (1.0 - t) * (y1 - y0), (1.0 - t) * (z1 - z0)
            inward = min(0.0, dx * nx + dy * ny + dz * nz)
            x0, y0, z0 = x, y, z
            x1, y1, z1 = x + dx - inward * nx, y + dy - inward * ny, z + dz - inward * nz
        else:
            x1, y1, z1 = x0, y0, z0
        position[i, 0], position[i, 1], position[i, 2] = x1, y1, z1
