"""Balloons: air that is shut in skins, or pumped into them, and pushes on them."""

from collections.abc import Sequence

import numpy as np
from numba import njit, prange

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import one
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Array, Ints
from hotgravel.core.shot.soft import Balloon

OUTSIDE = 101_325.0  # Pa: the standard atmosphere (ISO 2533)
LEAST = 1e-3  # of its volume at rest: air that is squeezed further counts as so much


@njit(cache=True, parallel=True, nogil=True)
def volumes(x, vertices, faces, ends, slope, told):
    """How the volume of each balloon changes with its vertices, into `slope` (n, 3), and the volumes, into `told` (B,),
    m³. Balloon b has the vertices from `vertices[b, 0]` to before `vertices[b, 1]`, and the faces from `ends[b]` to
    before `ends[b + 1]`."""
    for row in prange(len(vertices)):
        b = np.int64(row)
        first, last, volume = vertices[b, 0], vertices[b, 1], 0.0
        slope[first:last] = 0.0
        for f in range(ends[b], ends[b + 1]):
            for n in range(3):
                i, j, k = faces[f, n], faces[f, (n + 1) % 3], faces[f, (n + 2) % 3]
                for c in range(3):
                    p, q = (c + 1) % 3, (c + 2) % 3
                    slope[i, c] += (x[j, p] * x[k, q] - x[j, q] * x[k, p]) / 6.0
        for i in range(first, last):
            for c in range(3):
                volume += (x[i, c] - x[first, c]) * slope[i, c] / 3.0
        told[b] = volume


class Air:
    """The air of all balloons that are whole, in a step: `sizes` has how large the skin of each thing is at rest,
    `volume` and `over` what each balloon holds, m³, and by how much it presses, Pa."""

    def __init__(
        self, things: Sequence[Thing], members: Sequence[Ints], skins: Sequence[Ints], at_rest: Array, at: Ints,
        ask: Ask,
    ) -> None:  # fmt: skip
        """`members` are the vertices of each thing, of which it has more where it is torn, `skins` its faces by the
        vertices of the model, `at_rest` its volume at rest and at its own size; `at` (n,) is less than 0 where a vertex
        is gone."""
        self.sizes = np.ones(len(things))
        told = []
        for n, thing in enumerate(things):
            if isinstance(thing.row, Balloon):
                own = ask.later(-thing.late)
                self.sizes[n] = one(thing.row, "size", own)
                if len(members[n]) == thing.end - thing.first and (at[members[n]] >= 0).all():
                    told.append((n, one(thing.row, "pressure", own), thing.row.air == "shut"))
        which = [n for n, _, _ in told]
        self.any = len(which) > 0
        self.vertices = np.array([(things[n].first, things[n].end) for n in which], np.int64).reshape(-1, 2)
        self.faces = np.concatenate([np.zeros((0, 3), np.int64), *(skins[n] for n in which)])
        self.ends = np.cumsum([0, *(len(skins[n]) for n in which)])
        self.least = LEAST * at_rest[which] * self.sizes[which] ** 3
        self.pump, self.shut = np.array([p for _, p, _ in told]), np.array([s for _, _, s in told], bool)
        self.amount = (OUTSIDE + self.pump) * at_rest[which] * self.sizes[which] ** 3
        self.slope, self.volume, self.over = np.zeros((len(at), 3)), np.zeros(len(which)), np.zeros(len(which))

    def measure(self, x: Array) -> Array:
        """How volumes change with vertices (n, 3), where they are."""
        volumes(x, self.vertices, self.faces, self.ends, self.slope, self.volume)
        return self.slope

    def pressures(self, gone: Array, pushed: Array) -> Array:
        """The pressure (n, 1) at each vertex at the end of a small step: without it vertices would go by `gone` (n, 3),
        and each pascal moves them by `pushed` (n, 3). It is the one that the air then has, to first order, so that air
        in a light skin is stable."""
        room = np.maximum(self.volume, self.least)
        fall = np.where(self.shut, self.amount / room**2, 0.0)
        swells, gives = (self._summed(self.slope * way) for way in (gone, pushed))
        self.over = np.where(self.shut, self.amount / room - OUTSIDE - fall * swells, self.pump) / (1.0 + fall * gives)
        found = np.zeros((len(gone), 1))
        for over, (first, last) in zip(self.over, self.vertices, strict=True):
            found[first:last] = over
        return found

    def _summed(self, values: Array) -> Array:
        """The sum over the vertices of each balloon."""
        return np.array([values[first:last].sum() for first, last in self.vertices])
