"""A kept frame as a crowd, for histograms and the weights of zones."""

from hotgravel.core.matter.particles.crowd import ParticleCrowd
from hotgravel.core.matter.particles.state import blank
from hotgravel.core.run.frames import STORED, FrameStore
from hotgravel.core.run.world import World


def crowd_at(world: World, store: FrameStore, frame: int) -> ParticleCrowd:
    """The particles of a frame, where the world's props and zones stand then. Raises `KeyError`,
    `DamagedFrame`."""
    kept = store.particles(frame)
    particles = blank(len(kept["id"]))
    for name in STORED:
        getattr(particles, name)[:] = kept[name]
    return ParticleCrowd(particles, world.scene(frame, 1.0, store.gauges(frame)["absent"]))
