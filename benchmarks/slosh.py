"""Jars of liquid that are carried about, over the time that they play for: a step of all of them, and their meshes."""

import time
from pathlib import Path
from typing import Any

import numpy as np

from hotgravel.core.matter.contract import Ids, Seam
from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.colliders import Moving
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot.document import load

FRAMES, RATE = 12, 24.0
JAR = {"kind": "cylinder", "radius": 0.1, "height": 0.3}


def shelf() -> dict[str, Any]:
    return {
        "format": "hotgravel.shot", "version": 4, "name": "shelf",
        "set": [{"kind": "prop", "id": "jar", "name": "jar", "shape": JAR}],
        "matter": [{"kind": "slosh", "id": "slosh", "prop": "jar", "level": 0.5, "wall": 0.005}],
        "forces": [{"kind": "gravity", "id": "gravity", "strength": 9.81}], "finish": {"last": 100},
    }  # fmt: skip


def pose(jar: int, frame: float, hard: float) -> Pose:
    """Where a jar is that is swayed at about a tenth of gravity, or so many times as hard."""
    t = frame / RATE
    place = np.array([0.3 * jar, hard * 0.02 * np.sin(5.0 * t + jar), hard * 0.05 * np.sin(4.0 * t + jar)])
    return Pose(place, np.array([0.0, 0.0, 0.0, 1.0]), 1.0)


def seconds(jars: int, hard: float) -> tuple[float, float]:
    """Of a frame of so many jars, two steps and their meshes."""
    world = build(load(shelf()), beside(Path()), "rough")
    solver, shape = world.solvers["slosh"], world.setting.shapes["jar"]
    state, ids = solver.begin(), Ids()
    spent = [0.0, 0.0]
    for frame in range(FRAMES + 1):
        for step in range(2):
            t = frame + 0.5 * step
            poses = [[pose(n, at, hard) for n in range(jars)] for at in (t, t + 0.5)]
            moving = tuple(Moving("jar", shape, *both, n) for n, both in enumerate(zip(*poses, strict=True)))
            scene = world.setting.scene(t, 0.5)
            seam = Seam(scene, (), moving, {"slosh": state.elements}, {}, ids, t, 0.5, 2 * frame + step)
            begun = time.perf_counter()
            if frame == 0:
                solver.land(state, seam)
            solver.step(state, seam, 0.5 / RATE)
            spent[0] += time.perf_counter() - begun if frame else 0.0
        begun = time.perf_counter()
        solver.surfaces(state, scene)
        spent[1] += time.perf_counter() - begun if frame else 0.0
    return spent[0] / FRAMES, spent[1] / FRAMES


def main() -> None:
    """Print them."""
    for jars, hard in ((10, 1.0), (100, 1.0), (400, 1.0), (100, 10.0)):
        stepped, meshed = seconds(jars, hard)
        print(
            f"slosh: {jars} jars swayed at {0.1 * hard:.1f} g, {1e3 * (stepped + meshed):.0f} ms a frame "
            f"(steps {1e3 * stepped:.1f}, meshes {1e3 * meshed:.1f}): {RATE * (stepped + meshed):.2f} of the time that "
            f"they play for one after the other, {RATE * max(stepped, meshed):.2f} side by side, as a run does them"
        )


if __name__ == "__main__":
    main()
