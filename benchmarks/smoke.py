"""The pressure of a grid with an obstacle over SciPy's plain-box transform; a whole step of smoke over copying its
fields once, at three sizes; a small plume in a wide box over the same in a tight one; and a frame on its way from the
store to the stage over reading its file."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.fft import dctn, idctn

from hotgravel.core.matter.fluid.project import divergence_of, levels_of, pressure
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.picture.light import LIGHTS
from hotgravel.core.picture.volume import volume_of
from hotgravel.core.run.execute import execute, still
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import FOLDER, demo_path
from hotgravel.web.wire import packed

ROUNDS = 5


def best(work: Callable[[], object]) -> float:
    """The least seconds of some rounds."""
    times = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def project(n: int) -> None:
    dice = np.random.default_rng(1)
    flow = tuple(dice.standard_normal(tuple(n + (a == axis) for a in range(3))).astype(np.float32) for axis in range(3))
    open_, solid = tuple(np.ones_like(f) for f in flow), tuple(np.zeros_like(f) for f in flow)
    for axis, face in enumerate(open_):
        places = np.stack(np.meshgrid(*[np.arange(m) for m in face.shape], indexing="ij"), axis=-1)
        face[:] = np.clip(np.linalg.norm(places - n / 2, axis=-1) - n / 6, 0.0, 1.0)
        np.moveaxis(face, axis, 0)[[0, -1]] = 0.0
    levels, there = levels_of(open_), divergence_of(flow, open_, solid)
    _, rounds = pressure(levels, there)
    mine = best(lambda: pressure(levels, there))
    waves = 2.0 - 2.0 * np.cos(np.pi * np.arange(n) / n)
    total = waves[:, None, None] + waves[None, :, None] + waves[None, None, :]
    total[0, 0, 0] = 1.0
    peer = best(lambda: idctn(dctn(there, type=2, workers=2) / total, type=2, workers=2))
    print(f"smoke      pressure of {n} cubed to 1e-4 in {rounds} rounds: {1e3 * mine:.0f} ms, "
          f"over a transform {mine / peer:.1f}")  # fmt: skip


def vented(radius: float, height: float, smoke: dict[str, object]) -> dict[str, object]:
    """A shot of a box of smoke out of a ball."""
    ball = {"kind": "sphere", "radius": radius}
    return {
        "format": "hotgravel.shot", "version": 4, "name": "smoke",
        "set": [{"kind": "prop", "id": "vent", "name": "vent", "shape": ball, "position": [0, height, 0]}],
        "matter": [{"kind": "smoke", "id": "smoke"} | smoke], "forces": [{"kind": "gravity", "id": "gravity"}],
        "supply": [{"kind": "fume", "id": "fume", "prop": "vent"}],
    }  # fmt: skip


def whole(n: int) -> float:
    box = {"at": [0, 0, 0], "size": [n / 16] * 3, "cell": 1 / 16, "sides": "open", "room": "whole"}
    world = build(load(vented(1.0, 0.0, box)), beside(FOLDER), "rough")
    now, _ = first_frame(world, still)
    for _ in range(3):
        happened = next_frame(world, now, still)
    mine = best(lambda: next_frame(world, now, still)) / happened.steps
    fields = [now.states["smoke"].arrays[name] for name in ("u", "v", "w", "density", "heat")]
    floor = best(lambda: [f.copy() for f in fields])
    print(f"smoke      a step of {n} cubed: {1e3 * mine:.0f} ms, over copying its fields {mine / floor:.0f}")
    return mine


def plume(wide: float) -> float:
    """Seconds of a frame of a small plume in a box so wide."""
    box = {"at": [0, 2.4, 0], "size": [wide, 4.8, wide], "cell": 0.1}
    world = build(load(vented(0.3, 0.5, box)), beside(FOLDER), "rough")
    now, _ = first_frame(world, still)
    for _ in range(12):
        next_frame(world, now, still)
    return best(lambda: next_frame(world, now, still))


def shown() -> None:
    """From the store to what the stage gets, at 64 cubed."""
    with tempfile.TemporaryDirectory() as folder:
        shot = load(demo_path("fumarole")).dump()
        shot["matter"][0] |= {"room": "whole", "size": [4, 4, 4], "cell": 4 / 64}
        shot["finish"]["last"] = 3
        place = Path(folder)
        execute(build(load(shot), beside(FOLDER), "rough"), place)
        store, row = FrameStore(place), load(shot).smokes[0]

        def way() -> bytes:
            kept = store.record(3, "volume", MATTERS["smoke"].records["volume"])
            made = volume_of(kept, row, LIGHTS["dusk"])
            return packed(3, {"smoke": kept | {"lit": made.lit.ravel()}})

        mine, files = best(way), [p for p in place.rglob("*") if p.is_file() and "3" in p.name]
        floor = best(lambda: [p.read_bytes() for p in files])
        print(f"smoke      from the store to the stage, 64 cubed: {1e3 * mine:.0f} ms, over reading {mine / floor:.0f}")


def main() -> None:
    project(64)
    project(96)
    times = [whole(n) for n in (64, 96, 128)]
    tight, wide = plume(2.4), plume(9.6)  # tight: a block of air on each side of it, as open air needs
    print(f"smoke      a small plume in a wide box over a tight one {wide / tight:.2f}")
    shown()
    longer = f"{times[1] / times[0]:.1f} and {times[2] / times[1]:.1f}"
    print(f"smoke      from each size to the next {longer} times as long (3.4 and 2.4 times the cells)")


if __name__ == "__main__":
    main()
