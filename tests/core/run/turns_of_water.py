"""Each dial of wide water, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.rigid.scenes import DOWN, body, prop, scene
from tests.core.run.measures import AS_IS

RIGHT = {
    "kind": "zone", "id": "right", "name": "right", "edge": 0.0,
    "shape": {"kind": "block", "at": [2, 0, 0], "size": [4, 4, 8]},
}  # fmt: skip
RAIN = {"kind": "rain", "id": "rain", "rate": 40, "rings": 500}
SUNK = {"kind": "keys", "keys": [{"frame": 1, "value": 1.0}, {"frame": 4, "value": -0.1}]}
FLOATS = {"kind": "collision", "id": "floats", "props": ["block"]}


def lake(**fields: Any):
    """Water in a wind, or what is given."""

    def change(shot: dict[str, Any]) -> None:
        props = [RIGHT, *fields.get("props", [])]
        row = {"kind": "water", "id": "water", "size": 8.0, "cell": 0.2, "wind": 6.0, "fetch": 400.0}
        shot |= scene(
            props, [row | fields.get("row", {}), *fields.get("rows", [])], fields.get("last", 13),
            supply=fields.get("supply", []), forces=[DOWN], ground={"position": [0, -9, 0]},
        )  # fmt: skip
        shot["cues"] = []

    return change


def rained(**fields: Any):
    return lake(row={"wind": 0.0, "calms": 0.5}, supply=[RAIN | fields], last=7)


def crowned():
    """Rain whose drops throw up others."""
    crown = {"kind": "offshoot", "id": "crown", "emit": {"kind": "crown"}, "state": "spray"}
    spray = {"kind": "state", "id": "spray", "name": "spray", "of": "particles"}
    return lake(row={"wind": 0.0}, rows=[spray], supply=[RAIN, crown], last=7)


def thrown(f: Film) -> float:
    return float(len(f.last))


def plunged(**row: Any):
    """A block that is pressed into still water, and stays there."""
    block = prop("block", {"kind": "box", "width": 1.0, "height": 0.6, "depth": 1.0}, (0, SUNK, 0))
    return lake(row={"wind": 0.0} | row, props=[block], rows=[FLOATS], last=25)


def floating(**row: Any):
    """A block that is let go in a wind sea."""
    block = prop("block", {"kind": "box", "width": 1.0, "height": 0.4, "depth": 1.0}, (0, 0.1, 0))
    return lake(row=row, props=[block], rows=[body("block", density=500), FLOATS], last=37)


def made(f: Film) -> dict[str, np.ndarray]:
    solver = f.world.solvers["water"]
    return solver.surfaces(f.state, f.world.scene(f.world.shot.finish.last))["water"]


def heights(f: Film) -> np.ndarray:
    return made(f)["vertices"][:, 1]


def high(f: Film) -> float:
    return float(heights(f).std())


def level(f: Film) -> float:
    return float(heights(f).mean())


def wide(f: Film) -> float:
    return float(np.ptp(made(f)["vertices"][:, 0]))


def corners(f: Film) -> float:
    return float(len(made(f)["vertices"]))


def uneven(f: Film) -> float:
    """How far it is drawn together sideways."""
    return float(np.diff(np.sort(made(f)["vertices"][:, 0].reshape(40, 40), axis=0), axis=0).std())


def along_wind(f: Film) -> float:
    """How much more its slope changes along x than along z."""
    h = heights(f).reshape(40, 40)
    a, b = np.gradient(h)
    return float((a**2).mean() / (b**2).mean())


def white(f: Film) -> float:
    return float(f.state.arrays["foam"].mean())


def ragged(f: Film) -> float:
    foam = f.state.arrays["foam"]
    return float(np.abs(np.diff(foam, axis=0)).mean() / max(foam.mean(), 1e-9))


def paint(f: Film) -> float:
    return float(made(f)["colour"].min() >> 16)


def borne(f: Film) -> float:
    return float(f.state.arrays["blow"][:, 1].sum())


def lagged(f: Film) -> float:
    return float(np.abs(f.state.arrays["blow"][:, [0, 2]]).sum())


def different(f: Film) -> float:
    return float(heights(f)[7])


def rung(f: Film) -> float:
    return float((f.state.arrays["high"] ** 2).sum())


def early(f: Film) -> float:
    return abs(float(heights(f).std()) - high_at(f, 1))


def high_at(f: Film, frame: int) -> float:
    return float(f.frames[frame].position[:, 1].std())


WATER: dict[str, tuple[Any, ...]] = {
    "water.at": ("matter.0.at", [0, 0, 0], [0, 1, 0], level, 1, lake()),
    "water.size": ("matter.0.size", 4.0, 8.0, wide, 1, lake()),
    "water.cell": ("matter.0.cell", 0.2, 0.4, corners, -1, lake()),
    "water.depth": ("matter.0.depth", None, 0.3, high, -1, lake(row={"wind": 8.0})),
    "water.wind": ("matter.0.wind", AS_IS, 9.0, high, 1, lake()),
    "water.direction": ("matter.0.direction", [1, 0, 0], [0, 0, 1], along_wind, -1, lake(row={"spread": 20})),
    "water.fetch": ("matter.0.fetch", AS_IS, 1000.0, high, 1, lake(row={"size": 8.0})),
    "water.spread": ("matter.0.spread", AS_IS, 30.0, along_wind, 1, lake()),
    "water.chop": ("matter.0.chop", 0.0, AS_IS, uneven, 1, lake()),
    "water.loop": ("matter.0.loop", None, 0.5, early, -1, lake(last=13)),
    "water.calms": ("matter.0.calms", AS_IS, 5.0, rung, -1, rained()),
    "water.density": ("matter.0.density", AS_IS, 1100.0, rung, -1, rained()),
    "water.drag": ("matter.0.drag", AS_IS, 4.0, lagged, 1, floating()),
    "water.foam": ("matter.0.foam", AS_IS, 2.0, white, 1, plunged()),
    "water.dries": ("matter.0.dries", AS_IS, 8.0, white, 1, plunged()),
    "water.spreads": ("matter.0.spreads", AS_IS, 1.0, ragged, -1, plunged()),
    "water.colour": ("matter.0.colour", "#102030", "#A0B0C0", paint, 1, lake()),
    "water.seed": ("matter.0.seed", 1, 2, different, 0, lake()),
    "rain.rate": ("supply.0.rate", AS_IS, 100.0, rung, 1, rained()),
    "rain.least": ("supply.0.least", AS_IS, 0.005, rung, -1, rained()),
    "rain.rings": ("supply.0.rings", AS_IS, 1000.0, rung, 1, rained()),
    "rain.ragged": ("supply.0.ragged", 0.0, 1.0, rung, 1, rained()),
    "rain.start": ("supply.0.start", 1, 5, rung, -1, rained()),
    "rain.end": ("supply.0.end", 3, 7, rung, 1, rained()),
    "rain.through": ("supply.0.through", None, "right", rung, -1, rained()),
    "rain.seed": ("supply.0.seed", 1, 2, rung, 0, rained()),
}  # fmt: skip

CROWNS: dict[str, tuple[Any, ...]] = {
    "crown.count": ("supply.1.emit.count", AS_IS, 20, thrown, 1, crowned()),
    "crown.least": ("supply.1.emit.least", 0.002, AS_IS, thrown, -1, crowned()),
}
