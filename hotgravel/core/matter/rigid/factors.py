"""Factors of a system of rigid cells and the bonds between them, of which little is made anew when little changes.

The matrix has a block of 6 by 6 numbers for each cell and each bond. Its factors (Cholesky's, L L^T, column after
column: George and Liu 1981) are in an order that leaves few blocks, which the bonds at the start decide. Bonds that
give way take blocks away and bring no new ones, so the order and the places stay, and a change is felt only in the
columns that its own leads to: those on the way to the root of the elimination tree (Davis and Hager 1999). Each column
comes out the same, whether it is made with all others or alone: which ones were kept shows nowhere.
"""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import splu

from hotgravel.core.matter.contract import Array

Ints = NDArray[np.int64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Pattern:
    """Where factors have blocks. `place` (C,) is where each cell stands in their order; `first` (C + 1,) is where the
    blocks of each column begin, its own first; `row` (K,) is the row of each block, `parent` (C,) the column that each
    column leads to, -1 for none. Row j has blocks in columns `column[begins[j] : begins[j + 1]]`, at `at`."""

    place: Ints
    first: Ints
    row: Ints
    parent: Ints
    begins: Ints
    column: Ints
    at: Ints

    @classmethod
    def of(cls, cells: int, pairs: Ints) -> "Pattern":
        """The pattern for bonds between pairs (B, 2) of so many cells."""
        one, other = pairs.T
        ones, own = np.ones(len(pairs)), np.arange(cells)
        many = np.bincount(pairs.ravel(), minlength=cells) + 1.0
        entries = np.concatenate([many, -ones, -ones])
        ends = np.concatenate([own, one, other]), np.concatenate([own, other, one])
        graph = coo_matrix((entries, ends), (cells, cells)).tocsc()
        place = splu(graph, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}).perm_c
        below: list[set[int]] = [set() for _ in own]
        for a, b in np.sort(place[pairs], axis=1).tolist():
            below[a].add(b)
        parent = np.full(cells, -1)
        for j, rows in enumerate(below):
            if rows:
                parent[j] = min(rows)
                below[parent[j]] |= rows - {min(rows)}
        row = np.concatenate([np.zeros(0, np.int64), *([j, *sorted(rows)] for j, rows in enumerate(below))])
        size = np.array([1 + len(rows) for rows in below], np.int64)
        of, aside = np.repeat(own, size), np.flatnonzero(row != np.repeat(own, size))
        order = aside[np.argsort(row[aside], kind="stable")]
        starts = np.append(0, np.cumsum(np.bincount(row[aside], minlength=cells)))
        first, place = np.append(0, np.cumsum(size)), place.astype(np.int64)
        return cls(place, first, row.astype(np.int64), parent, starts, of[order], order)


@dataclass(eq=False)
class Factors:
    """The factors of one system, and which bonds work in it and which cells are firm. They say nothing that those do
    not: they are made where they are missing."""

    works: Flags | None = None
    firm: Flags | None = None
    blocks: Array = field(default_factory=lambda: np.zeros((0, 6, 6)))
    there: Flags = field(default_factory=lambda: np.zeros(0, bool))

    def fit(self, bonds: "Bonded", works: Flags, firm: Flags) -> bool:
        """Make them those of the bonds that work (B,) between cells of which some are firm (C,). Returns whether they
        were others."""
        pattern, pairs = bonds.pattern, bonds.pairs
        if self.works is None or self.firm is None:
            self.blocks, self.there = np.empty((len(pattern.row), 6, 6)), np.empty(len(pattern.row), bool)
            stale = np.ones(len(firm), bool)
        else:
            turned = self.firm != firm
            changed = (self.works != works) | turned[pairs].any(axis=1)
            stale = np.zeros(len(firm), bool)
            stale[pattern.place[turned]], stale[pattern.place[pairs[changed]]] = True, True
        self.works, self.firm = works, firm
        if not stale.any():
            return False
        _factored(
            pattern.first, pattern.row, pattern.parent, pattern.begins, pattern.column, pattern.at, bonds.starts,
            bonds.ends, pattern.place, pairs, bonds.blocks, works, firm, bonds.own, stale, self.blocks, self.there,
        )  # fmt: skip
        return True

    def answer(self, bonds: "Bonded", load: Array) -> Array:
        """How far cells give (C, 6) under loads (C, 6)."""
        pattern, give = bonds.pattern, np.empty_like(load)
        give[pattern.place] = load
        _solved(pattern.first, pattern.row, self.blocks, self.there, give)
        return give[pattern.place]


@dataclass(frozen=True, eq=False)
class Bonded:
    """Bonds between pairs (B, 2) of so many cells, the stiffness of each as blocks (B, 2, 2, 6, 6) between its cells,
    and what stands for a cell that no bond holds, N/m."""

    cells: int
    pairs: Ints
    blocks: Array
    own: float

    @cached_property
    def pattern(self) -> Pattern:
        return Pattern.of(self.cells, self.pairs)

    @cached_property
    def starts(self) -> Ints:
        """Where the bonds of the cell in each place begin in `ends`."""
        return np.append(0, np.cumsum(np.bincount(self.pattern.place[self.pairs.ravel()], minlength=self.cells)))

    @cached_property
    def ends(self) -> Ints:
        """The ends of bonds, 2 b and 2 b + 1 for the b-th, by the places of their cells."""
        return np.argsort(self.pattern.place[self.pairs.ravel()], kind="stable")


@njit(cache=True)
def _less(blocks, to, of, by):
    """Take a block times a transposed one off another; by (6, 6) is that one as it is once turned."""
    for a in range(6):
        for c in range(6):
            x = blocks[of, a, c]
            for b in range(6):
                blocks[to, a, b] -= x * by[c, b]


@njit(cache=True)
def _rooted(block):
    """Put the inverse of its Cholesky root in place of a block's lower half, and nothing in the upper."""
    for j in range(6):
        for k in range(j):
            block[j, j] -= block[j, k] * block[j, k]
        block[j, j] = np.sqrt(block[j, j])
        for i in range(j + 1, 6):
            for k in range(j):
                block[i, j] -= block[i, k] * block[j, k]
            block[i, j] /= block[j, j]
    for j in range(6):
        block[j, j] = 1.0 / block[j, j]
        for i in range(j + 1, 6):
            total = 0.0
            for k in range(j, i):
                total -= block[i, k] * block[k, j]
            block[i, j] = total / block[i, i]
            block[j, i] = 0.0


@njit(cache=True)
def _filled(j, low, high, where, starts, ends, place, pairs, stiff, works, firm, own, out):
    """Write a column of the matrix into the blocks from low to high; `where` has the block of each row."""
    for s in range(low, high):
        out[s] = 0.0
    held = False
    for e in range(starts[j], starts[j + 1]):
        b, side = ends[e] // 2, ends[e] % 2
        if not works[b] or firm[pairs[b, side]]:
            continue
        held = True
        out[low] += stiff[b, side, side]
        other = pairs[b, 1 - side]
        if not firm[other] and place[other] > j:
            out[where[place[other]]] += stiff[b, 1 - side, side]
    if not held:
        for c in range(6):
            out[low, c, c] = own


@njit(cache=True, nogil=True)
def _factored(
    first, row, parent, begins, column, at, starts, ends, place, pairs, stiff, works, firm, own, stale, out, there,
):  # fmt: skip
    """Make the columns anew that are stale (C,) and those that they lead to, into out (K, 6, 6); `there` (K,) learns
    which blocks have anything in them. The diagonal has inverses of roots."""
    where, turned = np.empty(len(parent), np.int64), np.empty((6, 6))
    for j in range(len(parent)):
        if not stale[j]:
            continue
        if parent[j] >= 0:
            stale[parent[j]] = True
        low, high = first[j], first[j + 1]
        for s in range(low, high):
            where[row[s]] = s
        _filled(j, low, high, where, starts, ends, place, pairs, stiff, works, firm, own, out)
        for t in range(begins[j], begins[j + 1]):
            if not there[at[t]]:
                continue
            for a in range(6):
                for c in range(6):
                    turned[a, c] = out[at[t], c, a]
            for s in range(at[t], first[column[t] + 1]):
                if there[s]:
                    _less(out, where[row[s]], s, turned)
        root = out[low]
        _rooted(root)
        there[low] = True
        for s in range(low + 1, high):
            block = out[s]
            there[s] = (block != 0.0).any()
            if there[s]:
                for a in range(6):
                    for b in range(5, -1, -1):
                        total = 0.0
                        for c in range(b + 1):
                            total += block[a, c] * root[b, c]
                        block[a, b] = total


@njit(cache=True, nogil=True)
def _solved(first, row, blocks, there, x):
    """Turn loads x (C, 6), in the order of the factors, into what they do, in place."""
    n = len(x)
    for j in range(n):
        root = blocks[first[j]]
        for a in range(5, -1, -1):
            total = 0.0
            for c in range(a + 1):
                total += root[a, c] * x[j, c]
            x[j, a] = total
        for s in range(first[j] + 1, first[j + 1]):
            if there[s]:
                for a in range(6):
                    for c in range(6):
                        x[row[s], a] -= blocks[s, a, c] * x[j, c]
    for j in range(n - 1, -1, -1):
        for s in range(first[j] + 1, first[j + 1]):
            if there[s]:
                for a in range(6):
                    for c in range(6):
                        x[j, c] -= blocks[s, a, c] * x[row[s], a]
        root = blocks[first[j]]
        for a in range(6):
            total = 0.0
            for c in range(a, 6):
                total += root[c, a] * x[j, c]
            x[j, a] = total
