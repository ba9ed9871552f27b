"""The vertices of soft things at one moment."""

from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.drape import APART
from hotgravel.core.matter.elements import Array, Elements

NO_LUMP = -1


@dataclass
class Vertices(Elements):
    """Elements that hang together: `vertex` is the number of each in the model, `stretch` how much longer than at rest
    what is about it is pulled, `pressure` how much what it touches presses on it, Pa; `pinched` are those that skins
    press on. `clings` (n, 3) leads out of what it touched last and may stick to, and `eased` (n, 3) is by how much the
    last small step moved it as its cloth is pulled. `corners` are the triangles at its vertex that it still has (see
    `drape.corner_rows`). Those that are `hard` are of a `lump`, in whose shape they have a place, `form` (n, 3)."""

    vertex: NDArray[np.int64]
    stretch: Array
    pressure: Array
    pinched: NDArray[np.uint8]
    clings: Array
    eased: Array
    corners: NDArray[np.uint32]
    hard: NDArray[np.uint8]
    lump: NDArray[np.int64]
    form: Array
    own: ClassVar[frozenset[str]] = frozenset(("stretch", "pressure"))

    @classmethod
    def blank(cls, n: int) -> Self:
        made = super().blank(n)
        made.lump[:] = NO_LUMP
        return made

    def harden(self, who: NDArray[np.int64], hard: bool) -> None:
        """Let some become rigid with what of their thing is, or soft again, in the next step."""
        self.hard[who] = hard

    def part(self, who: NDArray[np.int64]) -> None:
        """Let some come off all that they hang together with, in the next step."""
        self.corners[who] |= APART
        self.hard[who] = 0
