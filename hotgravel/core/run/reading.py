"""A kept frame as a crowd, for histograms and the weights of zones."""

import numpy as np

from hotgravel.core.matter.contract import Array, elements_of
from hotgravel.core.matter.crowd import ElementCrowd
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import World
from hotgravel.core.shot.row import Row


def elements_at(store: FrameStore, frame: int, matter: str) -> Elements:
    """A matter's elements of a kept frame. Raises `KeyError`, `DamagedFrame`."""
    return elements_of(MATTERS[matter], store.elements(frame, matter))


def crowd_at(world: World, store: FrameStore, frame: int, matter: str = "particles") -> ElementCrowd:
    """A matter's elements of a frame, where the world's props and zones stand then. Raises `KeyError`,
    `DamagedFrame`."""
    scene = world.scene(frame, 1.0, store.gauges(frame)["absent"])
    return ElementCrowd(elements_at(store, frame, matter), scene)


def asked_for(
    world: World, store: FrameStore, frame: int, row: Row | None, attribute: str, target: str | None = None
) -> Array:
    """What an attribute is, at a kept frame, of all the elements that a row's driven numbers are asked for; without a
    row of all. Raises `KeyError`, `DamagedFrame`."""
    state = next((s for s in world.shot.states if s.id == getattr(row, "whom", None)), None)
    only = state.of if state else row.asks if row else None
    found = [np.zeros(0)]
    for matter in (m for m in store.matters(frame) if only in (None, m)):
        crowd = crowd_at(world, store, frame, matter)
        values = np.asarray(crowd.read(attribute, target), float)
        found.append(values[crowd.elements.state == world.states[state.id]] if state else values)
    return np.concatenate(found)


def matter_of(store: FrameStore, frame: int, element: int) -> str | None:
    """Which matter has an element at a frame; None if none has. Raises `KeyError`, `DamagedFrame`."""
    return next((m for m in store.matters(frame) if (store.elements(frame, m, ("id",))["id"] == element).any()), None)
