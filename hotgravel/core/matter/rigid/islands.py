"""Which bodies hang together by their contacts, and which of them sleep."""

import numpy as np
from numba import njit

STILL = 0.04  # m/s of the fastest point: slower counts as at rest
DROWSY = 0.5  # seconds at rest before a group of bodies sleeps


@njit(cache=True)
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True)
def groups(n, one, other, gives):
    """The group of each of n bodies, by the lowest index in it. Contacts (one, other) join those that give."""
    parent = np.arange(n)
    for k in range(len(one)):
        a, b = one[k], other[k]
        if a < n and b < n and gives[a] and gives[b]:
            a, b = _root(parent, a), _root(parent, b)
            if a != b:
                parent[max(a, b)] = min(a, b)
    for i in range(n):
        parent[i] = _root(parent, i)
    return parent


@njit(cache=True)
def all_of(group, mark):
    """Whether all of each body's group are marked (n,)."""
    out = np.ones(len(group), np.bool_)
    for i in range(len(group)):
        if not mark[i]:
            out[group[i]] = False
    for i in range(len(group)):
        if group[i] != i:
            out[i] = out[group[i]]
    return out
