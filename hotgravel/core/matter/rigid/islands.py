"""Which bodies hang together by their contacts, and how far what moves stirs them."""

import numpy as np
from numba import njit

from hotgravel.core.matter.grouping import root

STILL = 0.04  # m/s of the fastest point: slower counts as at rest
DROWSY = 0.5  # seconds at rest before bodies sleep
QUIET = 2  # contacts in a row to the next that is not at rest: what is nearer stays awake
STIR = 8  # contacts in a row that what moves wakes: the rest of a heap sleeps on


@njit(cache=True)
def groups(n, one, other, gives):
    """The group of each of n bodies, by the lowest index in it. Contacts (one, other) join those that give."""
    parent = np.arange(n)
    for k in range(len(one)):
        a, b = one[k], other[k]
        if a < n and b < n and gives[a] and gives[b]:
            a, b = root(parent, a), root(parent, b)
            if a != b:
                parent[max(a, b)] = min(a, b)
    for i in range(n):
        parent[i] = root(parent, i)
    return parent


@njit(cache=True)
def reached(mark, one, other, gives, steps):
    """Which of n bodies are marked (n,), or joined to one that is by at most so many contacts (one, other) in a row,
    through bodies that give."""
    n = len(mark)
    level = np.where(mark, 0, steps + 1)
    for step in range(1, steps + 1):
        for k in range(len(one)):
            a, b = one[k], other[k]
            if a < n and b < n and gives[a] and gives[b]:
                if level[a] == step - 1 and level[b] > step:
                    level[b] = step
                if level[b] == step - 1 and level[a] > step:
                    level[a] = step
    return level <= steps
