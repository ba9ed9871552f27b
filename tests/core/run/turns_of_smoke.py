"""Each dial of smoke, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.smoke.scenes import DOWN, VENT, fume, smoky
from tests.core.run.measures import AS_IS, count

OTHER = VENT | {"id": "other", "name": "other", "position": [0.4, 0.5, 0]}
RIGHT = {
    "kind": "zone",
    "id": "right",
    "name": "right",
    "shape": {"kind": "block", "at": [1, 0.5, 0], "size": [2, 2, 2]},
}


GOING = VENT | {
    "id": "going", "name": "going",
    "position": [{"kind": "keys", "keys": [{"frame": 1, "value": -0.4}, {"frame": 7, "value": 0.4}]}, 0.5, 0],
}  # fmt: skip


def scene(**fields: Any):
    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        shot |= smoky(**({"last": 7, "props": [OTHER, RIGHT]} | fields))

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


def spread(f: Film) -> float:
    return float(f.last.position.std(axis=0).sum())


def moving(f: Film) -> float:
    return float(np.abs(f.last.velocity).sum())


def late(f: Film) -> float:
    return float(f.last.age.max())


def youngest(f: Film) -> float:
    return float(f.last.age.min())


UNHURRIED = {"lift": 0.0}
ASH = {"kind": "state", "id": "ash", "name": "ash"}
DUST = {"kind": "state", "id": "dust", "name": "dust"}
GRAINS = {
    "kind": "source", "id": "grains", "prop": "other", "state": "ash", "emit": {"kind": "burst", "count": 12, "frame": 1},
    "speed": 0, "radius": 0.15,
}  # fmt: skip
SINK = {"kind": "prop", "id": "sink", "name": "sink", "shape": {"kind": "box"}, "position": [0, 0.9, 0]}
APART = {"kind": "prop", "id": "apart", "name": "apart", "shape": {"kind": "box"}, "position": [0, 2.5, 0]}
FUEL = fume(rate=4, fuel=12, temperature=400)


def puffing(**fields: Any):
    """Smoke that comes off eight grains that hang in the air."""
    puff = {"kind": "puff", "id": "puff", "rate": 20} | fields
    return scene(smoke=UNHURRIED, matter=[ASH, DUST], supply=[puff, GRAINS], forces=(), last=9)


def breaking(shot: dict[str, Any]) -> None:
    """Smoke off the halves of a plank that a cue parts."""
    plank = {"kind": "prop", "id": "plank", "name": "plank", "shape": {"kind": "box", "width": 0.6, "height": 0.3, "depth": 0.3},
             "position": [0, 1.0, 0]}  # fmt: skip
    rows = [
        {"kind": "rigid", "id": "body", "prop": "plank", "copies": {"kind": "pieces"}},
        {"kind": "bonds", "id": "bonds", "prop": "plank"},
    ]
    cut = {"kind": "cut", "id": "cut", "prop": "plank", "manner": {"kind": "random", "pieces": 4}}
    cue = {
        "kind": "cue",
        "id": "cue",
        "source": "body",
        "when": {"kind": "at_frame", "frame": 4},
        "then": {"kind": "part"},
    }
    shot |= smoky(
        props=[plank, cut], matter=rows, supply=[{"kind": "puff", "id": "puff", "rate": 20}], forces=(), last=7
    )
    shot["cues"] = [cue]


def drifting(shot: dict[str, Any]) -> None:
    puffing()(shot)
    shot["supply"][1] |= {"speed": 1, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}}


def draining(**fields: Any):
    drain = {"kind": "drain", "id": "drain", "prop": "sink", "rate": 20} | fields
    return scene(
        supply=[drain, fume(), fume(id="more", prop="other")], props=[OTHER, RIGHT, SINK, APART], smoke=UNHURRIED
    )


def burning(**fields: Any):
    return scene(
        supply=[FUEL], matter=[{"kind": "fire", "id": "fire", "rate": 4} | fields], forces=(), smoke={"room": "whole"}
    )


blown = scene(supply=[fume(speed=3)], smoke=UNHURRIED)
LOW, SMALL = {"at": [0, 0.6, 0]}, {"size": [0.8, 0.8, 0.8]}
carried = scene(supply=[fume(prop="going")], smoke=UNHURRIED, props=[OTHER, RIGHT, GOING], forces=())

SMOKE: dict[str, tuple[Any, ...]] = {
    "smoke.at": ("matter.0.at", [0, 1.6, 0], [0, 1.6, 0.7], mass, -1, scene(supply=[fume(prop="vent")])),
    "smoke.size": ("matter.0.size", [0.8, 0.8, 0.8], [1.6, 3.2, 1.6], mass, 1, scene(smoke=LOW, last=19)),
    "smoke.cell": ("matter.0.cell", 0.1, 0.2, block, 1, scene()),
    "smoke.sides": ("matter.0.sides", "closed", "open", mass, -1, scene(smoke=LOW | SMALL, last=19)),
    "smoke.but": ("matter.0.but", None, "top, left", mass, 1, scene(smoke=LOW | SMALL, last=19)),
    "smoke.room": ("matter.0.room", "smoke", "whole", moving, 0, scene(smoke={"size": [6.4, 3.2, 3.2]}, last=13)),
    "smoke.thinning": ("matter.0.thinning", 0.0, 2.0, mass, -1, scene()),
    "smoke.chill": ("matter.0.chill", 0.0, 200.0, heat, -1, scene()),
    "smoke.braking": ("matter.0.braking", 0.0, 3.0, speed, -1, scene()),
    "smoke.viscosity": ("matter.0.viscosity", 0.0, 0.2, speed, -1, scene()),
    "smoke.preroll": ("matter.0.preroll", 0.0, 0.5, mass, 1, scene()),
    "smoke.lift": ("matter.0.lift", AS_IS, 2.0, rising, 1, scene()),
    "smoke.weight": ("matter.0.weight", 0.0, 1.0, rising, -1, scene()),
    "smoke.swirl": ("matter.0.swirl", 0.0, 20.0, lambda f: float(np.abs(f.last.velocity).sum()), 0, scene()),
    "smoke.fade": ("matter.0.fade", 0.0, 1.0, mass, -1, scene()),
    "smoke.cooling": ("matter.0.cooling", 0.0, 3.0, heat, -1, scene()),
    "smoke.slowing": ("matter.0.slowing", 0.0, 5.0, speed, -1, scene()),
    "fume.prop": ("supply.0.prop", "vent", "other", middle(0), 1, scene()),
    "fume.rate": ("supply.0.rate", 2.0, 8.0, mass, 1, scene(smoke=UNHURRIED)),
    "fume.temperature": ("supply.0.temperature", AS_IS, 400, heat, 1, scene()),
    "fume.speed": ("supply.0.speed", 0.0, 3.0, middle(1), 1, scene(smoke=UNHURRIED)),
    "fume.direction": ("supply.0.direction", [0, 1, 0], [1, 0, 0], middle(0), 1, blown),
    "fume.start": ("supply.0.start", 1, 5, mass, -1, scene()),
    "fume.end": ("supply.0.end", 2, 6, mass, 1, scene()),
    "fume.through": ("supply.0.through", None, "right", middle(0), 1, scene(smoke=UNHURRIED, forces=(DOWN,))),
    "fume.part": ("supply.0.part", "skin", "inside", mass, 0, scene(smoke=UNHURRIED)),
    "fume.manner": ("supply.0.manner", "adds", "sets", mass, 1, scene(smoke=UNHURRIED)),
    "fume.density": ("supply.0.density", 0.2, 1.0, mass, 1, scene(smoke=UNHURRIED)),
    "fume.fuel": ("supply.0.fuel", 2.0, 12.0, heat, 1, burning()),
    "fume.inherits": ("supply.0.inherits", 0.0, 1.0, moving, 1, carried),
    "fire.ignition": ("matter.1.ignition", AS_IS, 500, heat, -1, burning()),
    "fire.rate": ("matter.1.rate", AS_IS, 10.0, heat, 1, burning()),
    "fire.heat": ("matter.1.heat", 500, AS_IS, heat, 1, burning()),
    "fire.swell": ("matter.1.swell", AS_IS, 3.0, moving, 1, burning()),
    "fire.soot": ("matter.1.soot", AS_IS, 1.0, mass, 1, burning()),
    "puff.whom": ("supply.0.whom", "ash", "dust", count, -1, puffing()),
    "puff.when": ("supply.0.when", "going", "breaking", mass, -1, breaking),
    "puff.rate": ("supply.0.rate", 4.0, 12.0, mass, 1, puffing()),
    "puff.temperature": ("supply.0.temperature", 20, 300, heat, 1, puffing()),
    "puff.width": ("supply.0.width", AS_IS, 4.0, mass, 1, puffing()),
    "puff.young": ("supply.0.young", 0.1, 0.3, mass, 1, puffing()),
    "puff.inherits": ("supply.0.inherits", AS_IS, 1.0, moving, 1, drifting),
    "drain.prop": ("supply.0.prop", "sink", "apart", mass, 1, draining()),
    "drain.rate": ("supply.0.rate", 1.0, 20.0, mass, -1, draining()),
    "drain.edge": ("supply.0.edge", AS_IS, 0.4, mass, 1, draining()),
}
