"""The bodies of a run at one moment."""

from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import NOBODY, Array, Elements


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
    impulse: Array
    partner: NDArray[np.int64]

    @classmethod
    def blank(cls, n: int) -> Self:
        bodies = super().blank(n)
        bodies.partner[:] = NOBODY
        return bodies

    def add_spin(self, who: NDArray[np.int64], spin: Array) -> None:
        self.spin[who] += spin

    def stop_spinning(self, who: NDArray[np.int64]) -> None:
        self.spin[who] = 0.0

    @property
    def hit_by(self) -> NDArray[np.int64]:
        return self.partner

    def read_of_body(self, attribute: str) -> Array:
        if attribute == "spin":
            result: Array = np.degrees(np.linalg.norm(self.spin, axis=1))
            return result
        if attribute == "tilt":
            return tilt(self.begun, self.turn)
        array: Array = getattr(self, attribute)
        return array


def tilt(begun: Array, turn: Array) -> Array:
    """By how many degrees the upright of each (n,) has turned over between two turns (n, 4)."""
    # What has turned is turn times the inverse of begun; the y of its image of y is the cosine.
    bx, by, bz, bw = (begun * [-1.0, -1.0, -1.0, 1.0]).T
    ax, ay, az, aw = turn.T
    x = aw * bx + ax * bw + ay * bz - az * by
    z = aw * bz + az * bw + ax * by - ay * bx
    result: Array = np.degrees(np.arccos(np.clip(1.0 - 2.0 * (x * x + z * z), -1.0, 1.0)))
    return result
