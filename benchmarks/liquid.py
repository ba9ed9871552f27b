"""A step of liquid over copying all of its drops once, with its parts; and a sea over SciPy's transforms."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from scipy.fft import irfft2

from hotgravel.core.matter.liquid.drops import Drops
from hotgravel.core.matter.liquid.solver import LiquidSolver
from hotgravel.core.matter.water.spectrum import DEEP
from hotgravel.core.matter.water.waves import Square, Wind
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load

PARTS = ("_laid", "_solved", "_go")
STEPS, ACROSS, TRANSFORMS, TURNS = 6, 512, 9, 15


def tank(cell: float) -> dict[str, Any]:
    """A column of water that breaks down in a closed tank."""
    shape = {"kind": "box", "width": 2, "height": 2, "depth": 2}
    liquid = {"kind": "liquid", "id": "liquid", "at": [0, 1.5, 0], "size": [4, 3, 2], "cell": cell, "sides": "closed"}
    return {
        "format": "hotgravel.shot", "version": 4, "name": "tank",
        "set": [{"kind": "prop", "id": "water", "name": "water", "shape": shape, "position": [-1, 1, 0]}],
        "matter": [liquid],
        "supply": [{"kind": "fill", "id": "fill", "prop": "water"}],
        "forces": [{"kind": "gravity", "id": "gravity", "strength": 9.81}], "finish": {"last": 100},
    }  # fmt: skip


def timed(of: type, name: str, told: dict[str, float]) -> Callable[[], None]:
    """Let a method tell how long it takes; returns what undoes that."""
    plain = getattr(of, name)

    def timing(*args: Any, **named: Any) -> Any:
        start = time.perf_counter()
        try:
            return plain(*args, **named)
        finally:
            told[name] += time.perf_counter() - start

    setattr(of, name, timing)
    return lambda: setattr(of, name, plain)


def breaking(cell: float) -> tuple[int, float, dict[str, float], float]:
    """How many drops there are, seconds of a step and of its parts, and seconds of copying all drops once."""
    world = build(load(tank(cell)), beside(Path()), "rough")
    now, _ = first_frame(world, time.perf_counter)
    next_frame(world, now, time.perf_counter)
    told = dict.fromkeys(PARTS, 0.0)
    undo = [timed(LiquidSolver, name, told) for name in PARTS]
    steps, start = 0, time.perf_counter()
    while steps < STEPS:
        steps += next_frame(world, now, time.perf_counter).steps
    each = (time.perf_counter() - start) / steps
    for back in undo:
        back()
    drops = now.crowds["liquid"]
    assert isinstance(drops, Drops)
    start = time.perf_counter()
    for _ in range(5):
        drops.copy()
    return len(drops), each, {name: spent / steps for name, spent in told.items()}, (time.perf_counter() - start) / 5


def main() -> None:
    breaking(0.2)
    last = 0.0
    for cell in (0.08, 0.05):
        many, each, parts, copied = breaking(cell)
        grown = f", {each / last:.1f} times the one before" if last else ""
        told = ", ".join(f"{name.lstrip('_')} {1e3 * spent:.0f}" for name, spent in parts.items())
        print(f"liquid     {many} drops: {1e3 * each:.0f} ms a step ({told}), over copying them once "
              f"{each / copied:.1f}{grown}")  # fmt: skip
        last = each
    wind = Wind.over(Square(ACROSS, 0.5, DEEP, 9.81), 8.0, 0.0, None, 8.0, None, 1, "sea")
    half, spent = wind.parts[:, : ACROSS // 2 + 1].copy(), np.zeros((TURNS, 2))
    for n in range(TURNS):
        begun = time.perf_counter()
        wind.at(float(n))
        between = time.perf_counter()
        for _ in range(TRANSFORMS):
            irfft2(half, s=wind.parts.shape, norm="forward")
        spent[n] = between - begun, time.perf_counter() - between
    sea, floor = np.median(spent, axis=0)
    print(f"sea        {ACROSS} squared: {1e3 * sea:.0f} ms, over its {TRANSFORMS} transforms alone {sea / floor:.2f}")


if __name__ == "__main__":
    main()
