"""What keeps elements from going through props when something other than their own flight has moved them."""

from numba import njit, prange

from hotgravel.core.shape.colliders import contact_at, first_hit, pose_of, to_world

CONTACTS = 8  # in one move; after that an element stays where it is


@njit(cache=True, parallel=True, nogil=True)
def bar(before, position, state, radius, age, colliders, bits, tree, touched, start, dt, lift):
    """Let elements that were moved from `before` (n, 3) to `position`, in place, go no further than what they would hit
    on the way, and along it; props go meanwhile from where they are at the share `start` of a step of dt seconds to
    where it ends. Where elements slide along what is hollow, they keep off it by `lift`, or would stay where they are.
    What each has touched is added to `touched` (n,), unless that is empty."""
    tells = len(touched) > 0
    for i in prange(len(age)):
        x0, y0, z0 = before[i, 0], before[i, 1], before[i, 2]
        x1, y1, z1 = position[i, 0], position[i, 1], position[i, 2]
        if age[i] < 0.0 or (x0 == x1 and y0 == y1 and z0 == z1):
            continue
        t0, last, lx, ly, lz = start, -1, 0.0, 0.0, 0.0
        for _ in range(CONTACTS):
            t, j = first_hit(colliders, tree, state[i], x0, y0, z0, x1, y1, z1, t0, radius[i])
            if j < 0:
                break
            if tells:
                touched[i] |= bits[j]
            x, y, z, nx, ny, nz, ux, uy, uz, lx, ly, lz = contact_at(
                colliders, tree, j, x0, y0, z0, x1, y1, z1, t0, t, radius[i], dt
            )
            left = (1.0 - t) * (1.0 - t0) * dt  # in which what it meets goes on
            sx, sy, sz = left * ux, left * uy, left * uz
            dx, dy, dz = (1.0 - t) * (x1 - x0) - sx, (1.0 - t) * (y1 - y0) - sy, (1.0 - t) * (z1 - z0) - sz
            inward = min(0.0, dx * nx + dy * ny + dz * nz)
            x0, y0, z0, t0, last = x + lift * nx, y + lift * ny, z + lift * nz, t0 + t * (1.0 - t0), j
            x1, y1, z1 = x + sx + dx - inward * nx, y + sy + dy - inward * ny, z + sz + dz - inward * nz
        else:
            x1, y1, z1 = to_world(pose_of(colliders, last, 1.0), lx, ly, lz)
        position[i, 0], position[i, 1], position[i, 2] = x1, y1, z1
