"""A kept frame as a crowd, for histograms and the weights of zones."""

from hotgravel.core.matter.contract import elements_of
from hotgravel.core.matter.crowd import ElementCrowd
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import World


def elements_at(store: FrameStore, frame: int, matter: str) -> Elements:
    """A matter's elements of a kept frame. Raises `KeyError`, `DamagedFrame`."""
    return elements_of(MATTERS[matter], store.elements(frame, matter))


def crowd_at(world: World, store: FrameStore, frame: int, matter: str = "particles") -> ElementCrowd:
    """A matter's elements of a frame, where the world's props and zones stand then. Raises `KeyError`,
    `DamagedFrame`."""
    scene = world.scene(frame, 1.0, store.gauges(frame)["absent"])
    return ElementCrowd(elements_at(store, frame, matter), scene)


def matter_of(store: FrameStore, frame: int, element: int) -> str | None:
    """Which matter has an element at a frame; None if none has. Raises `KeyError`, `DamagedFrame`."""
    return next((m for m in store.matters(frame) if (store.elements(frame, m, ("id",))["id"] == element).any()), None)
