"""Gauges: what is measured of every frame."""

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.run.frame import Happened
from hotgravel.core.run.world import World

# Name to unit and what it measures, for charts, tables and CSV heads.
GAUGES = {
    "particles": ("", "how many there are"),
    "mean_speed": ("m/s", "mean speed"),
    "greatest_speed": ("m/s", "speed of the fastest"),
    "kinetic_energy": ("J/kg", "half the mean of speed squared: kinetic energy for each kilogram"),
    "touches": ("", "impacts on the way to this frame, contacts at rest not counted"),
    "steps": ("", "steps taken on the way to this frame"),
}


def measure(world: World, particles: Particles, happened: Happened) -> dict[str, Any]:
    """The gauges of a frame as plain numbers, with counts by state, firings by cue, bounds and seconds.

    Sums run in a fixed order (NumPy's), whatever the number of threads.
    """
    speed = particles.speed
    counts = np.bincount(particles.state, minlength=len(world.states)) if len(particles) else None
    fired = np.bincount(happened.events.cue, minlength=len(world.shot.cues)) if len(happened.events) else None
    some = len(particles) > 0
    return {
        "particles": len(particles),
        "by_state": {s: int(counts[i]) if counts is not None else 0 for s, i in world.states.items()},
        "mean_speed": float(speed.mean()) if some else 0.0,
        "greatest_speed": float(speed.max()) if some else 0.0,
        "kinetic_energy": float(0.5 * (speed * speed).mean()) if some else 0.0,
        "touches": int(happened.touches),
        "steps": happened.steps,
        "firings": {c.id: int(fired[i]) if fired is not None else 0 for i, c in enumerate(world.shot.cues)},
        "nearest": {cue: float(f"{value:.6g}") for cue, value in happened.nearest.items()},
        "absent": happened.absent,
        "bounds": [particles.position.min(axis=0).tolist(), particles.position.max(axis=0).tolist()] if some else None,
        "seconds": {name: round(s, 6) for name, s in happened.seconds.items()},
    }  # fmt: skip


MUCH = 0.6  # of the most that goes on in any frame


def telling_frame(measured: Mapping[int, dict[str, Any]]) -> int:
    """The first frame in which much goes on, from the gauges by frame: what a run is known by at a glance."""
    stirs = {frame: _stir(gauges) for frame, gauges in sorted(measured.items())}
    much = MUCH * max(stirs.values())
    return next(frame for frame, stir in stirs.items() if stir >= much)


def _stir(gauges: dict[str, Any]) -> float:
    """Particles times their mean speed times the square of the room that they take up."""
    if not gauges["particles"]:
        return 0.0
    return float(gauges["particles"] * gauges["mean_speed"] * math.dist(*gauges["bounds"]) ** 2)
