"""The particles of a run at one moment, as plain arrays."""

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.attributes import ATTRIBUTES
from hotgravel.core.lengths import lengths

Array = NDArray[np.float64]


@dataclass
class Particles:
    """Arrays of equal length n; names, units and types as in `core.attributes`.

    An age below zero is a particle that leaves its source later in this very step.
    """

    position: Array
    velocity: Array
    age: Array
    life: Array
    radius: Array
    size: Array
    travelled: Array
    mass: Array
    temperature: Array
    colour: NDArray[np.uint32]
    rest: Array
    id: NDArray[np.int64]
    state: NDArray[np.int16]
    source: NDArray[np.int16]
    parent: NDArray[np.int64]
    cause: NDArray[np.int16]
    fired: NDArray[np.uint64]
    held: NDArray[np.uint64]
    looked: NDArray[np.uint8]
    pinned: NDArray[np.uint8]
    touched: NDArray[np.uint64]
    impact: Array

    def __len__(self) -> int:
        return len(self.id)

    @property
    def speed(self) -> Array:
        return lengths(self.velocity)


NAMES = tuple(f.name for f in fields(Particles))


def none() -> Particles:
    """No particles yet."""
    return blank(0)


def blank(n: int) -> Particles:
    """n particles with every number 0, living for ever."""
    arrays = {}
    for name in NAMES:
        a = ATTRIBUTES[name]
        arrays[name] = np.zeros((n, a.width) if a.width > 1 else n, a.dtype)
    particles = Particles(**arrays)
    particles.life[:] = np.inf
    particles.parent[:] = -1
    particles.cause[:] = -1
    return particles


def joined(first: Particles, second: Particles) -> Particles:
    """Both, the first ones first."""
    if len(second) == 0:
        return first
    return Particles(**{n: np.concatenate([getattr(first, n), getattr(second, n)]) for n in NAMES})


def kept(particles: Particles, keep: NDArray[np.bool_]) -> Particles:
    """Those marked True, in their order."""
    if keep.all():
        return particles
    return Particles(**{n: getattr(particles, n)[keep] for n in NAMES})
