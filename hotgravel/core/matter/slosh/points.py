"""Points on the surfaces of liquid in vessels, which cues, responses and gauges go by."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import Array, Elements


@dataclass
class Points(Elements):
    """`vessel` is the id of the body whose liquid each is on, -1 where that is a prop; `node` its number on that
    surface; `steep` how far the surface there leans from level, degrees; `flow` the velocity that it has of it."""

    vessel: NDArray[np.int64]
    node: NDArray[np.int64]
    steep: Array
    flow: Array
    own: ClassVar[frozenset[str]] = frozenset(("steep",))
