"""Groups of what is joined pair by pair, each named by one of its members (disjoint sets: Tarjan 1975)."""

from numba import njit


@njit(cache=True)
def root(parent, i):
    """The member that names the group of i; the ways to it become shorter in `parent` (n,)."""
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i
