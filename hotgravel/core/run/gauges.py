"""Gauges: what is measured of every frame, by the solvers and of all together."""

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.matter.contract import Gauge, Matter
from hotgravel.core.matter.elements import Elements
from hotgravel.core.run.frame import Happened, Snapshot
from hotgravel.core.run.world import World

IN_FULL = "in_full"  # whether a frame is kept so
STEPS = Gauge("", "steps taken on the way to this frame")


def measure(world: World, now: Snapshot, happened: Happened) -> dict[str, Any]:
    """The gauges of a frame as plain numbers: those of each matter, and of all together the counts by state, firings by
    cue, bounds and seconds.

    Sums run in a fixed order (NumPy's), whatever the number of threads.
    """
    fired = np.bincount(happened.events.cue, minlength=len(world.shot.cues)) if len(happened.events) else None
    return {
        "matter": {
            name: solver.measure(now.states[name], happened.touches.get(name, 0), happened.steps)
            for name, solver in world.solvers.items()
        },
        "by_state": _by_state(world, now.crowds.values()),
        "steps": happened.steps,
        IN_FULL: world.shot.finish.in_full(now.frame)[0] == now.frame,
        "firings": {c.id: int(fired[i]) if fired is not None else 0 for i, c in enumerate(world.shot.cues)},
        "nearest": {cue: float(f"{value:.6g}") for cue, value in happened.nearest.items()},
        "absent": happened.absent,
        "bounds": _bounds(now.crowds.values()),
        "seconds": {name: round(s, 6) for name, s in happened.seconds.items()},
    }  # fmt: skip


def _by_state(world: World, crowds: Iterable[Elements]) -> dict[str, int]:
    counts = np.sum(
        [np.bincount(crowd.state[crowd.state >= 0], minlength=len(world.states) or 1) for crowd in crowds], axis=0
    )
    return {state: int(counts[number]) for state, number in world.states.items()}


def _bounds(crowds: Iterable[Elements]) -> list[list[float]] | None:
    """The low and high corner of the box that holds all elements; None where there are none."""
    there = [crowd.position for crowd in crowds if len(crowd)]
    if not there:
        return None
    low, high = (np.min([p.min(axis=0) for p in there], axis=0), np.max([p.max(axis=0) for p in there], axis=0))
    return [low.tolist(), high.tolist()]


def named(matters: Iterable[Matter]) -> Iterator[tuple[str, str, str, Gauge]]:
    """Matter, gauge, what tables call it, and its unit and help; names that several matters have are told apart."""
    matters = list(matters)
    often = [name for matter in matters for name in matter.gauges]
    for matter in matters:
        for name, gauge in matter.gauges.items():
            shown = matter.name if name == "count" else name
            yield (
                matter.name,
                name,
                f"{matter.name} {name}" if shown == name and often.count(name) > 1 else shown,
                gauge,
            )


def count_of(gauges: Mapping[str, Any]) -> int:
    """How many elements of all matters there are at a frame."""
    return sum(int(of["count"]) for of in gauges["matter"].values())


OLD = ("mean_speed", "greatest_speed", "kinetic_energy", "touches")


def upgraded(gauges: dict[str, Any]) -> dict[str, Any]:
    """Gauges as they are now, from those of a run that was made when there were only particles."""
    if "matter" in gauges:
        return gauges
    told = {name: value for name, value in gauges.items() if name not in (*OLD, "particles")}
    return told | {"matter": {"particles": {"count": gauges["particles"]} | {name: gauges[name] for name in OLD}}}


MUCH = 0.6  # of the most that goes on in any frame


def telling_frame(measured: Mapping[int, dict[str, Any]]) -> int:
    """The first frame in which much goes on, from the gauges by frame: what a run is known by at a glance."""
    stirs = {frame: _stir(gauges) for frame, gauges in sorted(measured.items())}
    much = MUCH * max(stirs.values())
    return next(frame for frame, stir in stirs.items() if stir >= much)


def _stir(gauges: dict[str, Any]) -> float:
    """Elements times their mean speed, times the square of the room that all take up."""
    going = sum(of["count"] * of.get("mean_speed", 0.0) for of in gauges["matter"].values())
    return float(going * math.dist(*gauges["bounds"]) ** 2) if gauges["bounds"] else 0.0
