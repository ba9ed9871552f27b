"""Rigid bodies beside two general physics libraries: 800 boxes poured in a heap, a simulated second of it.

Compared are what they take at 240 steps a second, as is common practice, and at the coarsest steps with which their
deepest overlap is no more than ours. Overlaps are those of the boxes as they lie at the ends of frames, the same sum
for all. Printed too: how time grows from 200 to 3,200 boxes.
"""

import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hotgravel.core.run.execute import still
from hotgravel.core.run.frame import Snapshot, first_frame, next_frame
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shot.document import load

SIZE, GAP, RATE = 0.2, 0.05, 24
BEGUN, MEASURED = 36, 24  # frames before the second that is measured, and in it


def places(count: int) -> np.ndarray[Any, Any]:
    """Middles (n, 3) of boxes in layers of a hundred, turned a little against one another by their places."""
    side = 10
    n = np.arange(count)
    layer, row, column = n // side**2, n // side % side, n % side
    step = SIZE + GAP
    shift = 0.04 * np.sin(1.7 * n)
    return np.stack([(column - 4.5) * step + shift, SIZE + layer * step * 1.4, (row - 4.5) * step - shift], axis=1)


def deepest_of(place: np.ndarray[Any, Any], turn: np.ndarray[Any, Any], up: int) -> float:
    """How deep boxes, middles (n, 3) and quaternions x, y, z, w (n, 4), are at most in one another or in the floor,
    metres: by separating axes."""
    own = Rotation.from_quat(turn).as_matrix()
    one, other = cKDTree(place).query_pairs(SIZE * 3**0.5, output_type="ndarray").T
    a, b, between = own[one], own[other], place[other] - place[one]
    depth = np.full(len(one), np.inf)
    faces = [m[:, :, i] for m in (a, b) for i in range(3)]
    for axis in faces + [np.cross(u, v) for u in faces[:3] for v in faces[3:]]:
        long = np.linalg.norm(axis, axis=1, keepdims=True)
        way = axis / np.maximum(long, 1e-9)
        reach = SIZE / 2 * sum(np.abs(np.einsum("kij,ki->kj", m, way)).sum(axis=1) for m in (a, b))
        overlap = reach - np.abs((between * way).sum(axis=1))
        depth = np.where(long[:, 0] > 1e-3, np.minimum(depth, overlap), depth)
    below = SIZE / 2 * np.abs(own[:, up]).sum(axis=1) - place[:, up]
    return float(max(depth.max(initial=0.0), below.max()))


def ours(count: int) -> tuple[World, Snapshot]:
    """A world with the heap, as it is when it has been poured for a while."""
    layers = count // 100
    shot = {
        "format": "hotgravel.shot", "version": 3, "name": "heap",
        "set": [
            {"kind": "prop", "id": "ground", "name": "ground", "shape": {"kind": "plane", "width": 60, "depth": 60}},
            {"kind": "prop", "id": "box", "name": "box", "position": [0, SIZE, 0],
             "shape": {"kind": "box", "width": SIZE, "height": SIZE, "depth": SIZE}},
        ],
        "matter": [
            {"kind": "collision", "id": "landing", "props": ["ground"], "bounce": 0, "friction": 0.6},
            {"kind": "rigid", "id": "boxes", "prop": "box", "bounce": 0, "friction": 0.6, "rolling": 0, "copies": {
                "kind": "stacked", "across": 10, "up": layers, "deep": 10, "gap": GAP, "turn": "upright"}},
        ],
        "forces": [{"kind": "gravity", "id": "gravity"}], "finish": {"last": 200},
    }  # fmt: skip
    world = build(load(shot), beside(Path()), "rough")
    now, _ = first_frame(world, still)
    now.states["rigid"].elements.position[:] = places(count)
    now.states["rigid"].elements.still[:] = -1e9  # none may sleep: the others' would not either
    return world, now


def second_of_ours(count: int) -> tuple[float, float]:
    """Seconds for the measured second, and the deepest overlap in it, metres."""
    world, now = ours(count)
    for _ in range(BEGUN):
        next_frame(world, now, still)
    took = deepest = 0.0
    for _ in range(MEASURED):
        now.states["rigid"].elements.still[:] = -1e9
        began = time.perf_counter()
        next_frame(world, now, still)
        took += time.perf_counter() - began
        boxes = now.states["rigid"].elements
        deepest = max(deepest, deepest_of(boxes.position, boxes.turn, 1))
    return took, deepest


def second_of_pybullet(count: int, rate: int = 240) -> tuple[float, float]:
    import pybullet as b

    room = b.connect(b.DIRECT)
    b.setGravity(0, -9.81, 0, physicsClientId=room)
    b.setPhysicsEngineParameter(fixedTimeStep=1 / rate, physicsClientId=room)
    plane = b.createCollisionShape(b.GEOM_BOX, halfExtents=[30, 0.5, 30], physicsClientId=room)
    b.createMultiBody(0, plane, basePosition=[0, -0.5, 0], physicsClientId=room)
    box = b.createCollisionShape(b.GEOM_BOX, halfExtents=[SIZE / 2] * 3, physicsClientId=room)
    boxes = []
    for place in places(count):
        one = b.createMultiBody(23.2, box, basePosition=place.tolist(), physicsClientId=room)
        b.changeDynamics(one, -1, lateralFriction=0.6, restitution=0, physicsClientId=room)
        boxes.append(one)
    for _ in range(BEGUN * rate // RATE):
        b.stepSimulation(physicsClientId=room)
    took = deepest = 0.0
    for _ in range(MEASURED):
        began = time.perf_counter()
        for _ in range(rate // RATE):
            b.stepSimulation(physicsClientId=room)
        took += time.perf_counter() - began
        lies = [b.getBasePositionAndOrientation(one, physicsClientId=room) for one in boxes]
        deepest = max(deepest, deepest_of(*(np.array(part) for part in zip(*lies, strict=True)), 1))
    b.disconnect(room)
    return took, deepest


def second_of_mujoco(count: int, rate: int = 240) -> tuple[float, float]:
    import mujoco

    half = SIZE / 2
    boxes = "".join(
        f'<body pos="{x} {z} {y}"><freejoint/><geom type="box" size="{half} {half} {half}" density="2900"/></body>'
        for x, y, z in places(count)
    )
    model = mujoco.MjModel.from_xml_string(
        f'<mujoco><option timestep="{1 / rate}" solver="CG" jacobian="sparse"/><size memory="2G"/>'
        f'<default><geom friction="0.6"/></default>'
        f'<worldbody><geom type="plane" size="30 30 1"/>{boxes}</worldbody></mujoco>'
    )
    data = mujoco.MjData(model)
    for _ in range(BEGUN * rate // RATE):
        mujoco.mj_step(model, data)
    took = deepest = 0.0
    for _ in range(MEASURED):
        began = time.perf_counter()
        for _ in range(rate // RATE):
            mujoco.mj_step(model, data)
        took += time.perf_counter() - began
        deepest = max(deepest, deepest_of(data.xpos[1:], np.roll(data.xquat[1:], -1, axis=1), 2))
    return took, deepest


def told(name: str, run: Callable[[], tuple[float, float]], turns: int = 1) -> tuple[float, float]:
    found = [run() for _ in range(turns)]
    took, deepest = statistics.median(t for t, _ in found), max(d for _, d in found)
    print(f"  {name:16} {took:6.2f} s, deepest overlap {1000 * deepest:.2f} mm", flush=True)
    return took, deepest


def main() -> None:
    print("800 boxes in a heap, a simulated second")
    mine, overlap = told("ours, rough", lambda: second_of_ours(800), 3)
    for name, other in (("pybullet", second_of_pybullet), ("mujoco", second_of_mujoco)):
        took, deepest = told(f"{name} 240 Hz", lambda other=other: other(800))
        print(f"  ours over {name} at 240 Hz: {mine / took:.3f}")
        if deepest > overlap:
            continue
        for rate in (72, 96, 120, 144, 168, 192, 216):
            took, deepest = told(f"{name} {rate} Hz", lambda other=other, rate=rate: other(800, rate))
            if deepest <= overlap:
                print(f"  ours over {name} at an overlap no deeper: {mine / took:.3f}")
                break
    before = None
    for count in (200, 400, 800, 1600, 3200):
        took, deepest = second_of_ours(count)
        grown = f", {took / before:.2f} times" if before else ""
        print(f"  {count:5} boxes {took:6.2f} s, deepest {1000 * deepest:.2f} mm{grown}", flush=True)
        before = took


if __name__ == "__main__":
    main()
