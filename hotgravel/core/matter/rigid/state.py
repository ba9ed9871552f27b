"""The bodies of a run at one moment."""

from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import NOBODY, PINNED, Array, Elements

NARROWEST = 1e-6  # m: what is given no size keeps this much, so that it can grow again


@dataclass
class Bodies(Elements):
    """Elements that turn, sleep and are drawn as pieces. Positions are centres of mass, radii reach from there to the
    farthest point, turns are those of the principal axes."""

    turn: Array
    spin: Array
    begun: Array
    scale: Array
    piece: NDArray[np.uint16]
    still: Array
    asleep: NDArray[np.uint8]
    felt: Array
    lay: Array
    lay_turn: Array
    impulse: Array
    partner: NDArray[np.int64]
    blow: Array
    supported: NDArray[np.uint8]
    parting: NDArray[np.uint8]
    load: Array
    give: Array
    bonds: NDArray[np.int16]
    lost: NDArray[np.int16]
    lump: NDArray[np.int64]
    own: ClassVar[frozenset[str]] = frozenset(("still", "impulse", "load"))

    @classmethod
    def blank(cls, n: int) -> Self:
        bodies = super().blank(n)
        bodies.partner[:] = NOBODY
        return bodies

    def add_spin(self, who: NDArray[np.int64], spin: Array) -> None:
        """Those of one lump turn about their common centre."""
        self.spin[who] += spin
        _, of = np.unique(self.lump[who], return_inverse=True)
        mass = self.mass[who]
        total = np.bincount(of, mass)
        centre = np.stack([np.bincount(of, mass * self.position[who, c]) / total for c in range(3)], axis=1)
        self.velocity[who] += np.cross(spin, self.position[who] - centre[of])

    def stop_spinning(self, who: NDArray[np.int64]) -> None:
        self.spin[who] = 0.0

    def resized(self, who: NDArray[np.int64]) -> None:
        """Bodies are drawn, weigh and turn as their size says."""
        self._fit(who, self.size[who])

    def grow(self, who: NDArray[np.int64], share: Array) -> None:
        """What is bonded keeps its size."""
        changes = (self.bonds[who] == 0) & (np.abs(share * self.size[who] - self.radius[who]) > 1e-9 * self.radius[who])
        self._fit(who[changes], share[changes] * self.size[who[changes]])

    def _fit(self, who: NDArray[np.int64], radius: Array) -> None:
        """Give some another radius (k,), and what follows from it: what slept no longer reaches what it lay on."""
        left = np.maximum(radius, NARROWEST)
        ratio = left / self.radius[who]
        self.scale[who] *= ratio
        self.mass[who] *= ratio**3
        self.radius[who], self.asleep[who] = left, 0

    def let_go(self, who: NDArray[np.int64]) -> None:
        """What hit them in this step is passed on: it is as fast as they can become by it."""
        given = self.blow[who] / self.mass[who, None]
        size = np.linalg.norm(given, axis=1)
        share = np.minimum(1.0, self.impact[who] / np.maximum(size, 1e-300))
        held = (self.pinned[who] == PINNED) & (self.partner[who] != NOBODY)
        self.velocity[who] += np.where(held, share, 0.0)[:, None] * given
        super().let_go(who)

    def part(self, who: NDArray[np.int64]) -> None:
        self.parting[who] = 1

    @property
    def hit_by(self) -> NDArray[np.int64]:
        return self.partner

    def read_of_body(self, attribute: str) -> Array:
        if attribute == "spin":
            result: Array = np.degrees(np.linalg.norm(self.spin, axis=1))
            return result
        if attribute == "tilt":
            return tilt(self.begun, self.turn)
        if attribute == "bonds lost":
            held: Array = self.lost / np.maximum(self.lost + self.bonds, 1)
            return held
        if attribute == "falling":
            return np.asarray(1.0 - self.supported, float)
        return super().read_of_body(attribute)


def tilt(begun: Array, turn: Array) -> Array:
    """By how many degrees the upright of each (n,) has turned over between two turns (n, 4)."""
    # What has turned is turn times the inverse of begun; the y of its image of y is the cosine.
    bx, by, bz, bw = (begun * [-1.0, -1.0, -1.0, 1.0]).T
    ax, ay, az, aw = turn.T
    x = aw * bx + ax * bw + ay * bz - az * by
    z = aw * bz + az * bw + ax * by - ay * bx
    result: Array = np.degrees(np.arccos(np.clip(1.0 - 2.0 * (x * x + z * z), -1.0, 1.0)))
    return result
