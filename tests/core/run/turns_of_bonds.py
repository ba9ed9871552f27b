"""Dials of bonds: what turning each does to what holds, what breaks and what comes out of it."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.run.measures import AS_IS, count
from tests.core.run.turns_of_bodies import bodies

# fmt: off
PLANK = {"kind": "prop", "id": "plank", "name": "plank", "shape": {"kind": "box", "width": 4, "height": 0.3, "depth": 0.4}, "position": [0, 3, 0]}
POST = PLANK | {"id": "post", "name": "post", "shape": {"kind": "box", "width": 0.4, "height": 2, "depth": 0.4}, "position": [-1.8, 1.84, 0]}
WALL = POST | {"id": "wall", "name": "wall", "shape": {"kind": "box", "width": 1.6, "height": 2, "depth": 0.4}, "position": [-1.3, 1.84, 0]}
END = {"kind": "zone", "id": "end", "name": "end", "shape": {"kind": "block", "at": [-2, 3, 0], "size": [1, 2, 2]}, "edge": 0.0}
HALF = END | {"id": "half", "name": "half", "shape": {"kind": "block", "at": [-2, 3, 0], "size": [2.6, 2, 2]}}
CUT = {"kind": "cut", "id": "cut", "prop": "plank", "manner": {"kind": "random", "pieces": 30}}
STRONG = {"kind": "strong", "tension": 3e7, "shear": 6e7, "stiffness": 3e10}
HELD = {"kind": "in_zone", "zone": "end"}


def bonded(cues: Any = (), supply: Any = (), **fields: Any):
    """A plank in its pieces, anchored at one end."""

    def change(shot: dict[str, Any]) -> None:
        bodies(props=[PLANK, POST, WALL, END, HALF, CUT], prop="plank", copies={"kind": "pieces"}, density=2400)(shot)
        shot["matter"].append({"kind": "bonds", "id": "bonds", "prop": "plank", "hold": STRONG, "support": HELD} | fields)
        shot["matter"].append({"kind": "state", "id": "dust", "name": "dust"})
        shot["cues"], shot["supply"], shot["finish"] = list(cues), list(supply), {"last": 4}

    return change


def hammered(*supply: Any, **fields: Any):
    """The same, struck by a ball."""

    def change(shot: dict[str, Any]) -> None:
        push = {"kind": "cue", "id": "push", "source": "ball-body", "when": {"kind": "at_frame", "frame": 1}, "then": {"kind": "kick", "speed": 9, "aim": {"kind": "toward", "direction": [0, -1, 0], "cone": 0}}}
        bonded([push], supply, **fields)(shot)
        shot["set"][2] = shot["set"][2] | {"position": [1, 3.5, 0]}
        shot["matter"].append({"kind": "rigid", "id": "ball-body", "prop": "ball", "density": 4000})
        shot["finish"] = {"last": 8}

    return change


def lost(f: Film) -> float: return float(f.last.lost.sum())
def load(f: Film) -> float: return float(f.last.load.max())
def fell(f: Film) -> float: return -float(f.last.position[:, 1].min())
def anchored(f: Film) -> float: return float(f.last.pinned.sum())
def fired(f: Film) -> float: return float(len(f.events))
def differs(f: Film) -> float: return float(f.last.load.sum())


def part(when: dict[str, Any]):
    return bonded([{"kind": "cue", "id": "cue", "when": when, "then": {"kind": "enter", "state": "resting"}}], hold=STRONG | {"tension": 8e5})


DUST = {"kind": "offshoot", "id": "crumbs", "emit": {"kind": "opening"}, "state": "dust"}


BONDS: dict[str, tuple[Any, ...]] = {
    "bonds.hold.kind": ("matter.3.hold", {"kind": "glued"}, {"kind": "like", "stuff": "mortar"}, lost, 1, bonded()),
    "bonds.support.kind": ("matter.3.support", {"kind": "unanchored"}, HELD, anchored, 1, bonded()),
    "bonds.strength": ("matter.3.strength", AS_IS, 2.0, load, -1, bonded()),
    "bonds.spread": ("matter.3.spread", AS_IS, 0.6, load, 1, bonded()),
    "bonds.veins": ("matter.3.veins", 0.0, 0.6, load, 1, bonded()),
    "bonds.vein_size": ("matter.3.vein_size", AS_IS, 0.9, differs, 0, bonded(veins=0.6)),
    "bonds.finer": ("matter.3.finer", 0.0, 1.0, differs, 0, bonded(spread=0)),
    "bonds.clusters": ("matter.3.clusters", None, 4, differs, -1, bonded()),
    "bonds.firmer": ("matter.3.firmer", AS_IS, 20.0, differs, -1, bonded(clusters=4)),
    "bonds.damage": ("matter.3.damage", 0.0, 0.9, load, 1, bonded()),
    "bonds.contact_time": ("matter.3.contact_time", 0.002, 0.02, lost, -1, hammered()),
    "bonds.seed": ("matter.3.seed", 1, 2, differs, 0, bonded()),
    "strong.tension": ("matter.3.hold.tension", AS_IS, 5e7, load, -1, bonded()),
    "strong.shear": ("matter.3.hold.shear", 2e4, 6e6, lost, -1, bonded()),
    "strong.stiffness": ("matter.3.hold.stiffness", 1e10, 4e10, lambda f: float(f.last.give.max()), -1, bonded()),
    "concrete.grade": ("matter.3.hold.grade", "C12/15", "C50/60", load, -1, bonded(hold={"kind": "concrete"}, strength=20)),
    "like.stuff": ("matter.3.hold.stuff", "clay", "basalt", lost, -1, bonded(hold={"kind": "like"})),
    "in_zone.zone": ("matter.3.support.zone", "end", "half", anchored, 1, bonded()),
    "near_props.props": ("matter.3.support.props", ["post"], ["wall"], anchored, 1, bonded(support={"kind": "near_props", "distance": 0.03})),
    "near_props.distance": ("matter.3.support.distance", 0.02, 0.6, anchored, 1, bonded(support={"kind": "near_props", "props": ["post"]})),
    "loaded.load": ("cues.0.when.load", 0.05, 0.9, fired, -1, part({"kind": "loaded"})),
    "loses.share": ("cues.0.when.share", 0.0, 0.9, fired, -1, part({"kind": "loses"})),
}

# What comes out of faces that part, seen by the particles themselves.
DUSTY: dict[str, tuple[Any, ...]] = {
    "opening.rate": ("supply.0.emit.rate", 500, 3000, count, 1, hammered(DUST, support={"kind": "unanchored"})),
    "opening.frames": ("supply.0.emit.frames", 1, 5, count, 1, hammered(DUST, support={"kind": "unanchored"})),
    "opening.faster": ("supply.0.emit.faster", AS_IS, 3.0, count, -1, hammered(DUST, support={"kind": "unanchored"})),
}

RING = PLANK | {"id": "hoop", "name": "hoop", "shape": {"kind": "sphere", "radius": 0.3}, "position": [1, 3.5, 0]}
NEAR = {"kind": "response", "attribute": "distance to", "prop": "hoop", "begin": 0, "end": 2, "low": 0.6, "high": 0}


def posed(**fields: Any):
    """The plank's pieces, held, and lifted where a ball is near."""

    def change(shot: dict[str, Any]) -> None:
        bodies(props=[PLANK, POST, WALL, END, HALF, CUT, RING], prop="plank", copies={"kind": "pieces"}, begins="held")(shot)
        shot["matter"].append({"kind": "posed", "id": "posed", "prop": "plank", "shift": NEAR} | fields)
        shot["cues"], shot["finish"] = [], {"last": 2}

    return change


def risen(f: Film) -> float: return float(f.last.position[:, 1].mean())
def widest(f: Film) -> float: return float(np.ptp(f.last.position[:, 2]))
def turned_by(f: Film) -> float: return float(np.abs(f.last.turn - f.last.begun).max())


BONDS |= {
    "posed.shift": ("matter.3.shift", 0.0, 0.5, risen, 1, posed()),
    "posed.way.kind": ("matter.3.way", {"kind": "along"}, {"kind": "outward_from", "through": [0, 3, 0], "axis": [1, 0, 0]}, widest, 1, posed()),
    "posed.turn": ("matter.3.turn", 0.0, 80.0, turned_by, 1, posed()),
    "posed.axis": ("matter.3.axis", [0.0, 1.0, 0.0], [3.0, 1.0, 0.0], lambda f: f.last.turn.tobytes(), 0, posed(turn=60)),
    "posed.size": ("matter.3.size", AS_IS, 1.5, lambda f: float(f.last.mass.sum()), 1, posed()),
    "posed.within": ("matter.3.within", "end", None, risen, 1, posed(shift=0.5)),
    "along.direction": ("matter.3.way", {"kind": "along", "direction": [0, -1, 0]}, {"kind": "along", "direction": [0, 1, 0]}, risen, 1, posed()),
    "outward_from.through": ("matter.3.way.through", [0, 5, 0], [0, 0, 0], risen, 1, posed(way={"kind": "outward_from", "axis": [1, 0, 0]}, shift=0.5)),
    "outward_from.axis": ("matter.3.way.axis", [0, 1, 0], [1, 0, 0], risen, 1, posed(way={"kind": "outward_from"}, shift=0.5)),
    "off_prop.prop": ("matter.3.way.prop", "hoop", "ground", risen, 1, posed(way={"kind": "off_prop", "prop": "hoop"}, shift=0.5)),
}
