"""Elements: what particles, bodies and all other matter share, so that cues, forces and colours serve each alike."""

from dataclasses import dataclass, fields
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.attributes import ATTRIBUTES
from hotgravel.core.lengths import lengths
from hotgravel.core.matter.neighbours import densities
from hotgravel.core.shot.document import Shot

Array = NDArray[np.float64]
NOBODY = -1
NOT_READ = {"arrived": -1.0, "left": 1.0}  # of what has no front on it
LOOSE, PINNED, FOLLOWING = 0, 1, 2  # values of `pinned`: moved by forces, kept in place, moved by the keys of a prop


@dataclass
class Elements:
    """Arrays of equal length n, in the order of their ids; names, units and types as in `core.attributes`.

    An age below zero is an element that leaves its source later in this very step.
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
    faded: Array
    rest: Array
    id: NDArray[np.int64]
    state: NDArray[np.int16]
    source: NDArray[np.int16]
    parent: NDArray[np.int64]
    cause: NDArray[np.int16]
    fired: NDArray[np.uint64]
    was_true: NDArray[np.uint64]
    looked: NDArray[np.uint8]
    pinned: NDArray[np.uint8]
    touched: NDArray[np.uint64]
    impact: Array
    own: ClassVar[frozenset[str]] = frozenset()  # what only these can be read of, of what is not read of all

    def __len__(self) -> int:
        return len(self.id)

    @property
    def speed(self) -> Array:
        return lengths(self.velocity)

    @property
    def hit_by(self) -> NDArray[np.int64]:
        """What gave each its hardest hit of the step: another's id, -2 - k for the shot's k-th prop, -1 where it is not
        known."""
        return np.full(len(self), NOBODY)

    def in_state(self, state: int) -> NDArray[np.bool_]:
        """Which are in a state, by its number in the shot; all where it is -1."""
        found: NDArray[np.bool_] = np.ones(len(self), bool) if state < 0 else self.state == state
        return found

    def density(self) -> Array:
        """How densely they lie, kg/m³."""
        return densities(self.position, self.radius, self.mass, self.age >= 0.0)

    def add_spin(self, who: NDArray[np.int64], spin: Array) -> None:
        """Let some turn faster, by (3,) radians a second about x, y and z. Points do not turn."""

    def stop_spinning(self, who: NDArray[np.int64]) -> None:
        """Let some turn no longer."""

    def let_go(self, who: NDArray[np.int64]) -> None:
        """Let some be moved by forces again."""
        self.pinned[who] = LOOSE

    def resized(self, who: NDArray[np.int64]) -> None:
        """What follows from the sizes of some, which have changed."""
        self.radius[who] = self.size[who]

    def grow(self, who: NDArray[np.int64], share: Array) -> None:
        """Let some be a share (k,) of the size that they were born with."""
        self.radius[who] = share * self.size[who]

    def harden(self, who: NDArray[np.int64], hard: bool) -> None:
        """Let some become rigid with what hangs together with them, or soft again. Points are as they are."""

    def part(self, who: NDArray[np.int64]) -> None:
        """Let some come apart from all that they hang together with. Points hang together with nothing."""

    def read_of_body(self, attribute: str) -> Array:
        """What only bodies have: their spin (°/s), how far they are turned over (°), how long they have lain still (s),
        the hardest hit of the step (N s), the greatest load of their bonds over its strength, the share of their bonds
        that is lost, and whether nothing keeps them in place; or what is soft: how far it is stretched, and what
        presses on it (Pa); or what a front creeps over: how long ago it came (s, -1 before), and the share that is
        left. A point has no more than the hit."""
        if attribute in self.own:
            array: Array = getattr(self, attribute)
            return array
        if attribute == "impulse":
            return np.where(self.touched > 0, self.mass * self.impact, 0.0)
        return np.full(len(self), NOT_READ.get(attribute, 0.0))

    @classmethod
    def names(cls) -> tuple[str, ...]:
        """The names of the arrays."""
        return tuple(f.name for f in fields(cls))

    @classmethod
    def blank(cls, n: int) -> Self:
        """n elements with every number 0, living for ever, that came off nothing."""
        arrays = {}
        for name in cls.names():
            a = ATTRIBUTES[name]
            arrays[name] = np.zeros((n, a.width) if a.width > 1 else n, a.dtype)
        elements = cls(**arrays)
        elements.life[:] = np.inf
        elements.parent[:] = -1
        elements.cause[:] = -1
        return elements

    def joined(self, more: Self) -> Self:
        """These and more, these first."""
        if len(more) == 0:
            return self
        return type(self)(**{n: np.concatenate([getattr(self, n), getattr(more, n)]) for n in self.names()})

    def where(self, chosen: NDArray[np.bool_]) -> Self:
        """Those marked True, in their order; these very arrays where all are."""
        if chosen.all():
            return self
        return type(self)(**{n: getattr(self, n)[chosen] for n in self.names()})

    def at(self, rows: NDArray[np.int64]) -> Self:
        """Copies of some (m,), in that order."""
        return type(self)(**{n: getattr(self, n)[rows] for n in self.names()})

    def copy(self) -> Self:
        """The same in arrays of their own."""
        return type(self)(**{n: getattr(self, n).copy() for n in self.names()})


def places_of(there: NDArray[np.int64], ids: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Where ids stand among those that are there, in order; and which of them still are."""
    if len(there) and there[-1] - there[0] == len(there) - 1:  # none has died: no need to search
        place = np.clip(ids - there[0], 0, len(there) - 1)
    else:
        place = np.minimum(np.searchsorted(there, ids), max(len(there) - 1, 0))
    found = there[place] == ids if len(there) else np.zeros(len(ids), bool)
    return place[found], found


def hit_by(shot: Shot, other: int) -> int | str | None:
    """What a hit was with: another's id, a prop's name, or None where it was no hit."""
    if other == NOBODY:
        return None
    return other if other >= 0 else shot.props[-2 - other].name
