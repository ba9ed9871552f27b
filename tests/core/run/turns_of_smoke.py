"""Each dial of smoke, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.smoke.scenes import DOWN, VENT, fume, smoky

OTHER = VENT | {"id": "other", "name": "other", "position": [0.4, 0.5, 0]}
RIGHT = {
    "kind": "zone",
    "id": "right",
    "name": "right",
    "shape": {"kind": "block", "at": [1, 0.5, 0], "size": [2, 2, 2]},
}


def scene(**fields: Any):
    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        shot |= smoky(props=[OTHER, RIGHT], **({"last": 7} | fields))

    return change


def mass(f: Film) -> float:
    return float(f.last.mass.sum())


def middle(axis: int):
    return lambda f: float((f.last.mass[:, None] * f.last.position).sum(axis=0)[axis] / f.last.mass.sum())


def rising(f: Film) -> float:
    return float((f.last.mass * f.last.velocity[:, 1]).sum() / f.last.mass.sum())


def heat(f: Film) -> float:
    return float(f.last.temperature.max())


def speed(f: Film) -> float:
    return float(f.last.speed.max())


def block(f: Film) -> float:
    return float(f.last.radius[0])


UNHURRIED = {"lift": 0.0}
SMOKE: dict[str, tuple[Any, ...]] = {
    "smoke.at": ("matter.0.at", [0, 1.6, 0], [0, 1.6, 0.5], mass, -1, scene(supply=[fume(prop="vent")])),
    "smoke.size": (
        "matter.0.size",
        [0.8, 0.8, 0.8],
        [1.6, 3.2, 1.6],
        mass,
        1,
        scene(smoke={"at": [0, 0.6, 0]}, last=19),
    ),
    "smoke.cell": ("matter.0.cell", 0.1, 0.2, block, 1, scene()),
    "smoke.sides": (
        "matter.0.sides",
        "closed",
        "open",
        mass,
        -1,
        scene(smoke={"size": [0.8, 0.8, 0.8], "at": [0, 0.6, 0]}, last=19),
    ),
    "smoke.lift": ("matter.0.lift", 0.0, 2.0, rising, 1, scene()),
    "smoke.weight": ("matter.0.weight", 0.0, 1.0, rising, -1, scene()),
    "smoke.swirl": ("matter.0.swirl", 0.0, 20.0, lambda f: float(np.abs(f.last.velocity).sum()), 0, scene()),
    "smoke.fade": ("matter.0.fade", 0.0, 1.0, mass, -1, scene()),
    "smoke.cooling": ("matter.0.cooling", 0.0, 3.0, heat, -1, scene()),
    "smoke.slowing": ("matter.0.slowing", 0.0, 5.0, speed, -1, scene()),
    "fume.prop": ("supply.0.prop", "vent", "other", middle(0), 1, scene()),
    "fume.rate": ("supply.0.rate", 2.0, 8.0, mass, 1, scene(smoke=UNHURRIED)),
    "fume.temperature": ("supply.0.temperature", 50, 400, heat, 1, scene()),
    "fume.speed": ("supply.0.speed", 0.0, 3.0, middle(1), 1, scene(smoke=UNHURRIED)),
    "fume.direction": (
        "supply.0.direction",
        [0, 1, 0],
        [1, 0, 0],
        middle(0),
        1,
        scene(supply=[fume(speed=3)], smoke=UNHURRIED),
    ),
    "fume.start": ("supply.0.start", 1, 5, mass, -1, scene()),
    "fume.end": ("supply.0.end", 2, 6, mass, 1, scene()),
    "fume.through": ("supply.0.through", None, "right", middle(0), 1, scene(smoke=UNHURRIED, forces=(DOWN,))),
}
