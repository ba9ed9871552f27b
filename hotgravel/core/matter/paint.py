"""Colours of elements: tints from palettes, and those of their states."""

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import bits_of, rgb_of
from hotgravel.core.drive.value import each
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.matter import State, Tint

HAS_COLOUR = 1 << 24


def tint(rows: list[Tint], states: dict[str, int], elements: Elements, scene: Scene) -> None:
    """Set colours, in place."""
    if not rows or not len(elements):
        return
    ask = asking(elements, scene)
    for row in rows:
        who = elements.in_state(states.get(row.whom or "", -1))
        if row.when == "birth":
            who = who & (elements.colour < HAS_COLOUR)
        place = np.broadcast_to(each(row, "place", ask), len(elements))[who]
        elements.colour[who] = packed(row, place)


def packed(row: Tint, place: NDArray[np.float64]) -> NDArray[np.uint32]:
    """Colours at places (n,) of a palette, as 0xrrggbb plus 2^24."""
    rgb = np.array([[int(c[i : i + 2], 16) for i in (1, 3, 5)] for c, _ in row.palette], float)
    weights = np.array([w for _, w in row.palette])
    ends = np.cumsum(weights) / weights.sum()
    if row.manner == "picked":
        shown = rgb[np.minimum(np.searchsorted(ends, place, side="right"), len(rgb) - 1)]
    else:
        middles = ends - 0.5 * weights / weights.sum()
        shown = np.stack([np.interp(place, middles, rgb[:, c]) for c in range(3)], axis=1)
    return bits_of(shown) + np.uint32(HAS_COLOUR)


def painted(elements: Elements, states: list[State]) -> NDArray[np.float64]:
    """The colour of each element (n, 3), 0 to 255: its own, or its state's."""
    by_state = np.array([[int(s.colour[i : i + 2], 16) for i in (1, 3, 5)] for s in states] or [[0, 0, 0]], float)
    own = 255.0 * rgb_of(elements.colour)
    return np.where((elements.colour >= HAS_COLOUR)[:, None], own, by_state[elements.state])
