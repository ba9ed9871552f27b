"""Vectors of three within kernels: tuples, which take no memory."""

from numba import njit


@njit(cache=True, inline="always")
def at(of, i):
    """A row of some vectors as one."""
    return of[i, 0], of[i, 1], of[i, 2]


@njit(cache=True, inline="always")
def put(of, i, a):
    """Put a vector in a row of some, in place."""
    of[i, 0], of[i, 1], of[i, 2] = a


@njit(cache=True, inline="always")
def dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, inline="always")
def cross(a, b):
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@njit(cache=True, inline="always")
def times(much, a):
    return much * a[0], much * a[1], much * a[2]


@njit(cache=True, inline="always")
def plus(a, much, b):
    return a[0] + much * b[0], a[1] + much * b[1], a[2] + much * b[2]


@njit(cache=True, inline="always")
def mixed(p, a, q, b):
    """Two vectors by as much as each counts."""
    return p * a[0] + q * b[0], p * a[1] + q * b[1], p * a[2] + q * b[2]
