"""A frame of cloth on a ball over projecting as many edges as often in plain NumPy, and its growth with the cloth; and
soft things of demo shots over the time that they play."""

import time
from pathlib import Path

import numpy as np

from hotgravel.core.run.execute import still
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import FOLDER, demo_path

WARM, FRAMES, SMALL_STEPS = 3, 10, 10


def each(world: World) -> float:
    """Seconds of a frame."""
    now, _ = first_frame(world, still)
    for _ in range(WARM):
        next_frame(world, now, still)
    start = time.perf_counter()
    for _ in range(FRAMES):
        next_frame(world, now, still)
    return (time.perf_counter() - start) / FRAMES


def draped(segments: int) -> World:
    """A square of cloth just over a ball."""
    props = [
        {"kind": "prop", "id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 0.5}},
        {"kind": "prop", "id": "sheet", "name": "sheet", "shape": {"kind": "plane", "width": 2, "depth": 2},
         "position": [0, 0.52, 0]},
    ]  # fmt: skip
    rows = [
        {"kind": "cloth", "id": "cloth", "prop": "sheet", "segments": segments},
        {"kind": "collision", "id": "met", "props": ["ball"]},
    ]
    down = {"kind": "gravity", "id": "gravity", "strength": 9.81, "direction": [0, -1, 0]}
    shot = {"format": "hotgravel.shot", "version": 4, "name": "cloth", "set": props, "matter": rows, "forces": [down]}
    return build(load(shot), beside(Path()), "rough")


def plain(segments: int) -> float:
    """Seconds that projecting all edges of such a cloth takes in NumPy, as often as a frame does."""
    n = segments + 1
    x = np.random.default_rng(1).standard_normal((n * n, 3))
    number = np.arange(n * n).reshape(n, n)
    pairs = [(number[:, :-1], number[:, 1:]), (number[:-1], number[1:]), (number[:-1, :-1], number[1:, 1:])]
    one, two = (np.concatenate([p[k].ravel() for p in pairs]) for k in (0, 1))
    start = time.perf_counter()
    for _ in range(SMALL_STEPS):
        apart = x[two] - x[one]
        long = np.sqrt((apart * apart).sum(axis=1, keepdims=True))
        move = 0.1 * (1.0 - 0.1 / long) * apart
        np.add.at(x, one, move)
        np.add.at(x, two, -move)
    return time.perf_counter() - start


def main() -> None:
    last = 0.0
    for segments in (25, 50, 100):
        mine, floor = each(draped(segments)), plain(segments)
        grown = f", {mine / last:.1f} times the one before (4 times the faces)" if last else ""
        print(f"soft       cloth of {segments} by {segments}: {1e3 * mine:.0f} ms a frame, "
              f"over its edges in NumPy {mine / floor:.1f}{grown}")  # fmt: skip
        last = mine
    for name, called in (
        ("station-flags", "twelve flags"),
        ("weather-balloons", "forty balloons"),
        ("field-map", "a map that is crushed"),
    ):
        world = build(load(demo_path(name)), beside(FOLDER), "rough")
        print(f"soft       {called} over the time that it plays {each(world) * world.shot.finish.rate:.1f}")


if __name__ == "__main__":
    main()
