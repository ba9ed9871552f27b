"""Compile every kernel once, on the least work that needs it, so that no run waits for it."""

import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
from numba.core import event

from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shot.document import load

CORE = "hotgravel.core."
# The kinds of rows that each of two processes leaves to the other.
PARTS = (
    frozenset({"smoke", "fire", "detail", "fume", "puff", "liquid", "fill", "froth", "water", "rain", "slosh", "skin",
               "source", "apart", "cohesion"}),
    frozenset({"cut", "rigid", "bonds", "front", "jelly", "balloon", "cloth", "turbulence", "swirls", "follow", "wind",
               "linear_drag", "quadratic_drag", "attraction"}),
)  # fmt: skip
_AIR: dict[str, Any] = {"kind": "formula", "text": "speed"}
_CROWD: dict[str, Any] = {"kind": "response", "attribute": "density", "begin": 0, "end": 1e6}
_ENTER = {"kind": "enter", "state": "flight"}  # nothing is removed: kernels that nobody is left for are not prepared
_SHOT: dict[str, Any] = {
    "format": "hotgravel.shot", "version": 1, "name": "warm",
    "set": [{"kind": "prop", "id": "vent", "name": "vent", "shape": {"kind": "sphere"}},
            {"kind": "prop", "id": "ground", "name": "ground", "shape": {"kind": "plane"}, "position": [0, -3, 0]},
            {"kind": "prop", "id": "ring", "name": "ring", "shape": {"kind": "torus"}, "position": [0, -2, 0]},
            {"kind": "prop", "id": "crate", "name": "crate", "shape": {"kind": "box"}, "position": [9, -2.5, 0]},
            {"kind": "prop", "id": "rag", "name": "rag", "shape": {"kind": "plane", "width": 0.4, "depth": 0.4},
             "position": [-9, 2, 0]},
            {"kind": "prop", "id": "patch", "name": "patch", "shape": {"kind": "plane", "width": 0.4, "depth": 0.4},
             "position": [-9, 2.001, 0]},
            {"kind": "prop", "id": "third", "name": "third", "shape": {"kind": "plane", "width": 0.4, "depth": 0.4},
             "position": [-9, 2.002, 0], "rotation": [20, 0, 0]},  # through both
            {"kind": "prop", "id": "gel", "name": "gel", "shape": {"kind": "box"}, "position": [-9, 4, 0]},
            {"kind": "cut", "id": "cut", "prop": "crate", "manner": {"kind": "random", "pieces": 3},
             "sides": {"kind": "rough", "by": 0.05, "lumps": 0.5}},
            {"kind": "prop", "id": "slab", "name": "slab", "shape": {"kind": "box"}, "position": [14, -2.5, 0]},
            {"kind": "cut", "id": "slabs-cut", "prop": "slab", "manner": {"kind": "random", "pieces": 3}},
            {"kind": "prop", "id": "pool", "name": "pool", "shape": {"kind": "box"}, "position": [20, 0, 0]},
            {"kind": "field", "id": "air", "name": "air", "file": "air.npz"},
            {"kind": "zone", "id": "patches", "name": "patches", "shape": {"kind": "patches"}},
            {"kind": "zone", "id": "ball", "name": "ball", "shape": {"kind": "ball"}},
            {"kind": "zone", "id": "block", "name": "block", "shape": {"kind": "block"}}],
    "matter": [
        {"kind": "state", "id": "flight", "name": "flight"},
        {"kind": "collision", "id": "landing", "props": ["vent", "ground", "ring"]},
        {"kind": "rigid", "id": "crates", "prop": "crate", "copies": {"kind": "stacked", "across": 1}},
        {"kind": "rigid", "id": "slabs", "prop": "slab", "copies": {"kind": "pieces"}},
        {"kind": "bonds", "id": "bonds", "prop": "slab", "hold": {"kind": "strong", "tension": 100.0, "shear": 100.0},
         "support": {"kind": "near_props", "props": ["ground"], "distance": 0.3}},
        {"kind": "cloth", "id": "cloth", "prop": "rag", "segments": 2},
        {"kind": "cloth", "id": "over", "prop": "patch", "segments": 2},  # nearer than both are thick
        {"kind": "cloth", "id": "top", "prop": "third", "segments": 2},
        {"kind": "jelly", "id": "jelly", "prop": "gel", "segments": 1},
        {"kind": "front", "id": "front", "prop": "rag", "segments": 2, "lit": "ball", "reach": 1.0},
        {"kind": "balloon", "id": "balloon", "prop": "crate", "segments": 2},
        {"kind": "apart", "id": "apart"},
        {"kind": "skin", "id": "skin"},
        {"kind": "smoke", "id": "smoke", "at": [0, 0, 0], "size": [1, 1, 1], "swirl": 1.0, "viscosity": 0.01,
         "diffusion": 0.01, "braking": 0.1},
        {"kind": "liquid", "id": "liquid", "at": [20, 0, 0], "size": [0.4, 0.4, 0.4], "viscosity": 100.0,
         "tension": 0.1},
        {"kind": "froth", "id": "froth", "least": 1e-6, "trapped": 300.0, "crests": 300.0},
        {"kind": "slosh", "id": "slosh", "prop": "pool"},
        {"kind": "water", "id": "water", "at": [0, -2.5, 0], "size": 4.0, "cell": 0.5},
        {"kind": "fire", "id": "fire"}, {"kind": "detail", "id": "detail"},
        {"kind": "growth", "id": "growth", "share": {"kind": "response", "low": 0.5}},
    ],
    "supply": [{"kind": "source", "id": "burst", "prop": "vent", "part": "volume", "state": "flight",
                "emit": {"kind": "burst", "count": 8}, "radius": 0.4},
               {"kind": "fume", "id": "fume", "prop": "vent", "fuel": 4.0}, {"kind": "puff", "id": "puff"},
               {"kind": "fill", "id": "fill", "prop": "pool"},
               {"kind": "rain", "id": "rain", "rate": 100.0}],
    "cues": [{"kind": "cue", "id": "old", "when": {"kind": "older", "age": 0.01}, "then": _ENTER},
             {"kind": "cue", "id": "near", "when": {"kind": "nearer", "prop": "vent"}, "then": _ENTER},
             {"kind": "cue", "id": "hit", "when": {"kind": "touches", "prop": "vent"}, "then": _ENTER}],
    "forces": [{"kind": "turbulence", "id": "curls", "zone": "patches"}, {"kind": "cohesion", "id": "cohesion"},
               {"kind": "swirls", "id": "swirls"},
               {"kind": "follow", "id": "follow", "field": "air"},
               {"kind": "wind", "id": "wind", "speed": {"kind": "noise"}, "zone": "ball"},
               {"kind": "linear_drag", "id": "drag", "rate": _AIR, "zone": "block"},
               {"kind": "quadratic_drag", "id": "bite", "strength": _CROWD},
               {"kind": "attraction", "id": "to", "to": {"kind": "surface", "prop": "vent"}},
               {"kind": "gravity", "id": "gravity", "strength": {"kind": "keys", "keys": [
                   {"frame": 1, "value": 1.0, "ease": "handles"}, {"frame": 3, "value": 2.0}]}}],
    "finish": {"last": 3, "focus": 5},
}  # fmt: skip


def _computed(shot: dict[str, Any], stopped: Callable[[], bool] = lambda: False, seen: bool = True) -> bool:
    """Compute a shot and, if it is to be seen, a picture of it, unless it is stopped before; whether it was not."""
    from hotgravel.core.lengths import FEW, lengths
    from hotgravel.core.picture.lens import smeared
    from hotgravel.core.picture.still import still_of
    from hotgravel.core.shape.unwrapping import looked_up

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        world = _world(folder, shot)
        if world.shot.finish.last not in execute(world, folder, cancelled=stopped) or stopped():
            return False
        if seen:
            still_of(world, folder, world.shot.finish.last, (32, 18))
            smeared(np.zeros((2, 2, 6)), np.ones((2, 2)), np.full((2, 2, 2), 3.0))
            looked_up(np.eye(3)[None], np.zeros((1, 3, 2)))(np.eye(3)[None])
            lengths(np.zeros((FEW, 3)))
    return True


def _world(folder: Path, shot: dict[str, Any]) -> World:
    np.savez(folder / "air.npz", velocity=np.ones((2, 2, 2, 3)), origin=np.zeros(3), cell=1.0)
    return build(load(shot), beside(folder))


class _Compiling(event.Listener):
    """Tells of each kernel of ours that is being compiled; those within another have no news of their own."""

    def __init__(self, tell: Callable[[str], None]) -> None:
        self.tell, self.depth = tell, 0

    def on_start(self, happening: event.Event) -> None:
        if self.depth == 0:
            kernel = happening.data["dispatcher"].py_func
            if kernel.__module__.startswith(CORE):
                self.tell(f"{kernel.__module__.removeprefix(CORE)}: {kernel.__name__.lstrip('_')}")
        self.depth += 1

    def on_end(self, happening: event.Event) -> None:
        self.depth -= 1


@contextmanager
def telling_of_kernels(tell: Callable[[str], None]) -> Iterator[None]:
    """Let `tell` hear of each kernel that is compiled meanwhile, before it is."""
    with event.install_listener("numba:compile", _Compiling(tell)):
        yield


def warm(tell: Callable[[str], None] = lambda _name: None, stopped: Callable[[], bool] = lambda: False) -> bool:
    """Load every kernel, and compile those that are not kept yet. `tell` hears of each before it is compiled; `stopped`
    is asked now and then. Returns whether it was not stopped."""
    with telling_of_kernels(tell):
        return _computed(_SHOT, stopped)


def warm_side_by_side(tell: Callable[[str], None]) -> None:
    """The same, by two processes that have a part of the matters each; what they have both left, or lost to the other,
    is made at the end. `tell` is a function of a module."""
    with ProcessPoolExecutor(2, get_context("spawn")) as pool:
        for part in [pool.submit(_part, kinds, tell) for kinds in PARTS]:
            part.result()
    warm(tell)


def _part(left_out: frozenset[str], tell: Callable[[str], None]) -> None:
    shot = dict(_SHOT)
    for section in ("set", "matter", "supply", "forces"):
        shot[section] = [row for row in shot[section] if row["kind"] not in left_out]
    with telling_of_kernels(tell):
        _computed(shot, seen="smoke" not in left_out)
