"""Points on props that liquid makes wet."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import Array, Elements


@dataclass
class Points(Elements):
    """`bearer` is the id of the body that each lies on, or -2 - k for the shot's k-th prop; `vertex` its
    number among those of all skins; `wet` how much of a whole film there is, 0 to 1."""

    bearer: NDArray[np.int64]
    vertex: NDArray[np.int64]
    wet: Array
    own: ClassVar[frozenset[str]] = frozenset(("wet",))
