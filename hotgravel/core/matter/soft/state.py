"""The vertices of soft things at one moment."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.drape import APART
from hotgravel.core.matter.elements import Array, Elements


@dataclass
class Vertices(Elements):
    """Elements that hang together: `vertex` is the number of each in the model, `stretch` how much longer than at rest
    what is about it is pulled, `pressure` how much what it touches presses on it, Pa. `clings` (n, 3) leads out of what
    it touched last and may stick to. `corners` are the triangles at its vertex that it still has (see
    `drape.corner_rows`)."""

    vertex: NDArray[np.int64]
    stretch: Array
    pressure: Array
    clings: Array
    corners: NDArray[np.uint32]
    own: ClassVar[frozenset[str]] = frozenset(("stretch", "pressure"))

    def part(self, who: NDArray[np.int64]) -> None:
        """Let some come off all that they hang together with, in the next step."""
        self.corners[who] |= APART
