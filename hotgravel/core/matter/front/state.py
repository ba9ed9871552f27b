"""The points of fronts at one moment."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import Array, Elements

COLD = -1.0  # how long ago the front came where it has not


@dataclass
class Points(Elements):
    """Points on the skin of props: `vertex` is the number of each, `arrived` how long ago the front came, seconds, -1
    where it has not; `gone` how far it has crept on from there, m; `left` the share that is not eaten."""

    vertex: NDArray[np.int64]
    arrived: Array
    gone: Array
    left: Array
    own: ClassVar[frozenset[str]] = frozenset(("arrived", "left"))
