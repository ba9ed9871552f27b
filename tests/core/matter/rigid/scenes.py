"""Scenes for the laws of rigid bodies."""

import copy
from typing import Any

import numpy as np

from hotgravel.core.matter.elements import Elements
from tests.conftest import GRAVITY, GROUND, Film, document, play

DOWN = GRAVITY | {"direction": [0, -1, 0]}
LANDING = {
    "kind": "collision", "id": "landing", "props": ["ground"], "bounce": 0.0, "friction": 0.6, "thickness": 1e-4,
}  # fmt: skip
UNIT_BOX = {"kind": "box", "width": 1, "height": 1, "depth": 1}
UNIT_BALL = {"kind": "sphere", "radius": 0.5}


def prop(name: str, shape: dict[str, Any], at: Any = (0, 0, 0), **more: Any) -> dict[str, Any]:
    return {"kind": "prop", "id": name, "name": name, "shape": shape, "position": list(at), **more}


def body(name: str, **more: Any) -> dict[str, Any]:
    """A body of a prop that neither bounces nor resists rolling, unless told otherwise."""
    return {"kind": "rigid", "id": f"{name}-body", "prop": name, "bounce": 0.0, "friction": 0.6, "rolling": 0.0} | more


def stacked(across: int = 1, up: int = 1, deep: int = 1, **more: Any) -> dict[str, Any]:
    return {"kind": "stacked", "across": across, "up": up, "deep": deep, **more}


def scene(
    props: list[dict[str, Any]], rows: list[dict[str, Any]], last: int = 49, *, ground: dict[str, Any] | None = None,
    landing: dict[str, Any] | None = None, **sections: Any,
) -> dict[str, Any]:  # fmt: skip
    """Props and bodies over the ground, under gravity."""
    plain = {
        "set": [GROUND | (ground or {}), *props], "matter": [*rows, LANDING | (landing or {})], "supply": [],
        "forces": [DOWN], "finish": {"last": last},
    }  # fmt: skip
    return document(**(plain | sections))


def film(shot: dict[str, Any], quality: str = "fair") -> Film:
    return play(copy.deepcopy(shot), quality, matter="rigid")


def paths(made: Film, name: str = "position") -> np.ndarray:
    """A column of all bodies over the frames (frames, n, ...); all must live throughout."""
    return np.array([getattr(bodies, name) for bodies in made.frames.values()])


def energy(bodies: Elements, made: Film, gravity: float = 9.81) -> float:
    """Of motion, spin and height, joules."""
    solver = made.world.solvers["rigid"]
    turned = solver.inertia(bodies)  # type: ignore[attr-defined]
    from scipy.spatial.transform import Rotation

    local = Rotation.from_quat(bodies.turn).inv().apply(bodies.spin)  # type: ignore[attr-defined]
    motion = 0.5 * bodies.mass * bodies.speed**2 + 0.5 * (turned * local**2).sum(axis=1)
    return float((motion + bodies.mass * gravity * bodies.position[:, 1]).sum())
