"""What particles look like on their way: how large, and in which colour."""

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import rgb_of
from hotgravel.core.drive.value import each
from hotgravel.core.matter.particles.crowd import asking
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.matter import Growth, State, Tint

HAS_COLOUR = 1 << 24
LEAST = 1e-4  # of the radius at birth: smaller is nothing


def grow(rows: list[Growth], states: dict[str, int], particles: Particles, scene: Scene) -> None:
    """Set radii, in place; what has shrunk to nothing has its life ended."""
    if not rows or not len(particles):
        return
    ask = asking(particles, scene)
    share = np.ones(len(particles))
    for row in rows:
        share *= np.where(_whom(row.whom, states, particles), each(row, "share", ask), 1.0)
    particles.radius[:] = particles.size * share
    particles.life[(share < LEAST) & (particles.size > 0.0)] = -np.inf


def tint(rows: list[Tint], states: dict[str, int], particles: Particles, scene: Scene) -> None:
    """Set colours, in place."""
    if not rows or not len(particles):
        return
    ask = asking(particles, scene)
    for row in rows:
        who = _whom(row.whom, states, particles)
        place = np.broadcast_to(each(row, "place", ask), len(particles))[who]
        particles.colour[who] = packed(row, place)


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
    r, g, b = np.round(shown).astype(np.uint32).T
    result: NDArray[np.uint32] = (r << 16 | g << 8 | b) + np.uint32(HAS_COLOUR)
    return result


def painted(particles: Particles, states: list[State]) -> NDArray[np.float64]:
    """The colour of each particle (n, 3), 0 to 255: its own, or its state's."""
    by_state = np.array([[int(s.colour[i : i + 2], 16) for i in (1, 3, 5)] for s in states] or [[0, 0, 0]], float)
    own = 255.0 * rgb_of(particles.colour)
    return np.where((particles.colour >= HAS_COLOUR)[:, None], own, by_state[particles.state])


def _whom(whom: str | None, states: dict[str, int], particles: Particles) -> NDArray[np.bool_]:
    if whom is None:
        return np.ones(len(particles), bool)
    who: NDArray[np.bool_] = particles.state == states[whom]
    return who
