"""Dials of zones, of forces that differ from place to place, and of looks: what turning each does."""

import copy
from typing import Any

import numpy as np

from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, Film, landing, source
from tests.core.run import measures as seen
from tests.core.run.measures import AS_IS

# fmt: off
OTHER = {"kind": "state", "id": "other", "name": "other"}
FAR = {"kind": "zone", "id": "far", "name": "far", "shape": {"kind": "ball", "at": [900, 0, 0]}}
ALL = {"kind": "zone", "id": "all", "name": "all", "shape": {"kind": "ball", "radius": 900}}
SLAB = {"kind": "zone", "id": "slab", "name": "slab", "shape": {"kind": "heights", "low": 9.5, "high": 30}}
SHELL = {"kind": "prop", "id": "shell", "name": "shell", "shape": {"kind": "sphere", "radius": 2.0}, "position": [3, 10, 0]}
AGED = {"kind": "response", "attribute": "age", "begin": 0, "end": 0.5, "low": 0, "high": 1}
SEEN = {"kind": "response", "attribute": "random", "begin": 0, "end": 1, "low": 0, "high": 1}
UPWARD = {"kind": "keys", "keys": [{"frame": 1, "value": 10, "ease": "linear"}, {"frame": 40, "value": 18}]}


def calm(*forces: dict[str, Any], zone: dict[str, Any] | None = None, weight: float = 0.5, **sections: Any):
    """A cloud that hangs at a height of 10 m, with nothing else at work; a zone that removes what is inside it."""

    def change(shot: dict[str, Any]) -> None:
        shot["set"] = [GROUND, VENT | {"shape": {"kind": "sphere", "radius": 1.0}, "position": [0, 10, 0]}, SHELL, FAR, ALL, SLAB, DRAUGHT, HIGH]
        shot["matter"] = [LOOSE, OTHER, landing()]
        shot["supply"] = [source(emit={"kind": "burst", "count": 600, "frame": 1}, part="volume", aim={"kind": "anywhere"}, speed=0)]
        shot["forces"], shot["cues"], shot["finish"] = [copy.deepcopy(f) for f in forces], [], {"last": 13}
        shot.update(copy.deepcopy(sections))
        if zone is not None:
            shot["set"].append({"kind": "zone", "id": "zone", "name": "zone", "edge": 0.0} | copy.deepcopy(zone))
            inside = {"kind": "inside", "zone": "zone", "weight": weight}
            shot["cues"] = [{"kind": "cue", "id": "cue", "when": inside, "then": {"kind": "enter", "state": "other"}}]

    return change


def climbed(f: Film) -> float:
    """How far they have gone up and down."""
    return float(np.abs(f.last.position[:, 1] - f.frames[1].position[:, 1]).sum())


def height(f: Film) -> float:
    return float(f.last.position[:, 1].mean())


def born_flat(f: Film) -> float:
    """Share born on the flat front and back, where no bevel is."""
    z = np.abs(f.frames[1].position[:, 2])
    return float((z > z.max() - 0.005).mean())


wind = {"kind": "wind", "id": "it", "speed": 3, "grip": 2}
turbulence = {"kind": "turbulence", "id": "it", "speed": 2, "grip": 4}
follow = {"kind": "follow", "id": "it", "field": "draught", "grip": 4}
DRAUGHT = {"kind": "field", "id": "draught", "name": "draught", "file": "east.npz", "position": [0, 0, 0], "edge": 0.1}
HIGH = DRAUGHT | {"id": "high", "position": [0, 50, 0]}
vortex = {"kind": "vortex", "id": "it", "speed": 3, "grip": 4, "at": [0, 0, 0]}
swirls = {"kind": "swirls", "id": "it", "count": 20, "at": [0, 10, 0], "spread": [2, 2, 2], "grip": 4}
attraction = {"kind": "attraction", "id": "it", "to": {"kind": "point", "at": [0, 0, 0]}}
jitter = {"kind": "jitter", "id": "it"}
cohesion = {"kind": "cohesion", "id": "it", "strength": 4, "reach": 1.0}
alignment = {"kind": "alignment", "id": "it", "grip": 8, "reach": 0.5}
hold = {"kind": "hold", "id": "it", "rate": 20, "grip": 60}
weight = GRAVITY | {"id": "weight"}
# Each force with the sign of what less of it does to the way gone.
ACTING: dict[str, tuple[list[dict[str, Any]], int]] = {
    "gravity": ([GRAVITY], -1), "linear_drag": ([{"kind": "linear_drag", "id": "it", "rate": 5}, weight], 1),
    "quadratic_drag": ([{"kind": "quadratic_drag", "id": "it", "strength": 2}, weight], 1), "wind": ([wind], -1),
    "turbulence": ([turbulence], -1), "follow": ([follow], -1), "vortex": ([vortex], -1), "attraction": ([attraction], -1), "jitter": ([jitter], -1),
    "hold": ([hold, weight], 1), "cohesion": ([cohesion], -1), "swirls": ([swirls], -1),
}  # fmt: skip

FORCES: dict[str, tuple[Any, ...]] = {}
for _kind, (_rows, _sign) in ACTING.items():
    FORCES |= {
        f"{_kind}.whom": ("forces.0.whom", None, "other", seen.travelled, _sign, calm(*_rows)),
        f"{_kind}.zone": ("forces.0.zone", None, "slab", seen.travelled, _sign, calm(*_rows)),
        f"{_kind}.start": ("forces.0.start", None, 7, seen.travelled, _sign, calm(*_rows)),
        f"{_kind}.end": ("forces.0.end", 4, 9, seen.travelled, -_sign, calm(*_rows)),
    }
CUBE = {"kind": "block", "at": [0, 10, 0], "size": [1, 1, 1]}
FRONT = {"kind": "front", "at": [0, 10, 0], "direction": [1, 0, 0], "come": -0.2}
BEAM = {"kind": "capsule", "at": [0, 10, 0], "to": [0, 12, 0], "radius": 0.5}
NEAR = {"kind": "near", "prop": "shell", "side": "outside", "reach": 1.2}
PATCHES = {"kind": "patches", "size": 0.5, "share": 0.4, "contrast": 3, "drift": [0, 0, 0]}
BOTH = {"kind": "both", "first": "slab", "how": "minus", "second": "all"}
BROKEN = {"kind": "both", "first": "slab", "how": "broken up by", "second": "all", "by": 0.1}
SIGN = {"kind": "lettering", "words": "ASH", "height": 1.0, "depth": 0.3, "bevel": 0.05}


def sign(shot: dict[str, Any]) -> None:
    calm()(shot)
    shot["set"][1] |= {"shape": dict(SIGN), "position": [0, 10, 0]}
    shot["supply"][0] |= {"part": "surface", "emit": {"kind": "burst", "count": 4000, "frame": 1}}
    shot["finish"] = {"last": 2}


def cutout(shot: dict[str, Any]) -> None:
    calm()(shot)
    shot["set"][1] |= {"shape": {"kind": "outline", "file": "square.svg", "height": 1.0, "depth": 0.3, "bevel": 0.02}, "position": [0, 10, 0]}
    shot["supply"][0] |= {"part": "surface", "emit": {"kind": "burst", "count": 4000, "frame": 1}}
    shot["finish"] = {"last": 2}


def rising(shot: dict[str, Any]) -> None:
    """The zone's slab stands; what it may follow rises."""
    calm(zone={"shape": {"kind": "ball", "at": [0, 7, 0], "radius": 1.0}})(shot)
    shot["set"][2] = SHELL | {"position": [3, UPWARD, 0]}


def tinted(**fields: Any):
    tint = {"kind": "tint", "id": "t", "palette": [["#ff0000", 1], ["#0000ff", 1]], "place": 0.3} | fields
    return calm(matter=[LOOSE, OTHER, landing(), tint])


def grown(shot: dict[str, Any]) -> None:
    calm(matter=[LOOSE, OTHER, landing(), {"kind": "growth", "id": "g", "share": 2.0}])(shot)


def see_through(shot: dict[str, Any]) -> None:
    calm(matter=[LOOSE, OTHER, landing(), {"kind": "fading", "id": "f", "share": 0.5}])(shot)


def faded_now(f: Film) -> float:
    return float(f.last.faded.mean())


def weighed(attribute: str):
    """A size that goes by another attribute of the newborn."""
    by = {"kind": "response", "attribute": attribute, "begin": 0.0, "end": 100.0, "low": 0.01, "high": 0.2}

    def change(shot: dict[str, Any]) -> None:
        grown(shot)
        shot["matter"][3]["share"] = by

    return change


def flock(shot: dict[str, Any]) -> None:
    calm(alignment)(shot)
    shot["supply"][0]["speed"] = 2.0


def crowding(f: Film) -> float:
    """The distance of the closest, in the mean."""
    from scipy.spatial import cKDTree

    p = f.last.position
    return float(cKDTree(p).query(p, k=2)[0][:, 1].mean())


def packed(shot: dict[str, Any]) -> None:
    calm(matter=[LOOSE, OTHER, landing(), {"kind": "apart", "id": "a"}])(shot)
    shot["supply"][0]["radius"] = 0.1


def wrapped(shot: dict[str, Any]) -> None:
    calm(matter=[LOOSE, OTHER, landing(), {"kind": "skin", "id": "s", "radius": 2.0, "cell": 0.1, "blend": 0.1}])(shot)
    shot["supply"][0] |= {"radius": 0.06, "emit": {"kind": "burst", "count": 60, "frame": 1}}
    shot["finish"] = {"last": 2}


def thrown(shot: dict[str, Any]) -> None:
    calm()(shot)
    shot["set"][1] |= {"position": [{"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 13, "value": 5}]}, 10, 0]}


def shedding(shot: dict[str, Any]) -> None:
    """One that flies along x and leaves a trail that stays behind."""
    calm()(shot)
    shot["matter"].append({"kind": "state", "id": "third", "name": "third"})
    shot["supply"] = [source(speed=6, radius=0.05), {"kind": "offshoot", "id": "off", "whom": "loose", "emit": {"kind": "trail", "rate": 240}, "state": "other", "speed": 2} | {"speed_spread": 0.0, "aim": {"kind": "anywhere"}, "life": 0.5, "radius": 0.02}]


def masked(shot: dict[str, Any]) -> None:
    calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0], "radius": 0.5}, "edge": 0.8})(shot)
    shot["cues"] = []
    shot["supply"][0]["through"] = "zone"


def asks(shot: dict[str, Any]) -> None:
    shot["supply"][1]["emit"] = {"kind": "asked", "count": 5}
    shot["cues"] = [{"kind": "cue", "id": "cue", "when": {"kind": "at_frame", "frame": 10}, "then": {"kind": "shed", "offshoot": "off"}}]


def landed(shot: dict[str, Any]) -> None:
    """A cloud that falls fast upon ground that rolls along x."""
    calm(GRAVITY | {"strength": 60})(shot)
    roll = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 3}]}
    shot["set"][0] = GROUND | {"position": [roll, 0, 0]}
    shot["matter"][2] = landing(bounce=0.5, friction=0.5)
    shot["finish"] = {"last": 25}


OFF = "supply.1"
ONWARD, FLAT = {"kind": "onward", "cone": 5}, {"kind": "ring", "axis": [0, 1, 0], "cone": 5}
OFFSHOOTS: dict[str, tuple[Any, ...]] = {
    "collision.scatter": ("matter.2.scatter", 0, 40, lambda f: float(np.linalg.norm(f.last.velocity[:, [0, 2]], axis=1).mean()), 1, landed),
    "collision.carry": ("matter.2.carry", 0.0, 1.0, lambda f: float(f.last.velocity[:, 0].mean()), 1, landed),
    "collision.spread": ("matter.2.spread", 0.0, 0.6, lambda f: float(np.linalg.norm(f.last.velocity[:, [0, 2]], axis=1).mean()), 1, landed),
    "source.through": ("supply.0.through", None, "slab", seen.many, -1, calm()),
    "source.over": ("supply.0.over", 0.1, 0.8, seen.many, -1, masked),
    "source.places": ("supply.0.places", 3, 300, lambda f: float(len(np.unique(f.frames[1].position, axis=0))), 1, calm()),
    "ring.axis": ("supply.0.aim.axis.0", 0.0, 5.0, lambda f: float(np.ptp(f.last.velocity[:, 1])), 1, lambda shot: (calm()(shot), shot["supply"][0].update(speed=2, aim=copy.deepcopy(FLAT)))),
    "ring.cone": ("supply.0.aim.cone", AS_IS, 60, lambda f: float(np.ptp(f.last.velocity[:, 1])), 1, lambda shot: (calm()(shot), shot["supply"][0].update(speed=2, aim=copy.deepcopy(FLAT)))),
    "offshoot.speed": (f"{OFF}.speed", AS_IS, 3, seen.shed_speed, 1, shedding),
    "offshoot.speed_spread": (f"{OFF}.speed_spread", 0.1, 0.8, seen.shed_range, 1, shedding),
    "offshoot.state": (f"{OFF}.state", "third", "other", lambda f: float((f.last.state == 1).sum()), 1, shedding),
    "offshoot.radius": (f"{OFF}.radius", AS_IS, 0.04, seen.size_now, 1, shedding),
    "offshoot.radius_spread": (f"{OFF}.radius_spread", 0.0, 0.5, lambda f: float(f.last.radius[1:].std()), 1, shedding),
    "offshoot.life": (f"{OFF}.life", 0.1, 0.4, seen.many, 1, shedding),
    "offshoot.life_spread": (f"{OFF}.life_spread", 0.0, 0.9, lambda f: float(f.last.life[1:].std()), 1, shedding),
    "offshoot.inherit": (f"{OFF}.inherit", 0.0, 0.5, seen.shed_east, 1, shedding),
    "offshoot.through": (f"{OFF}.through", None, "far", seen.many, -1, shedding),
    "offshoot.over": (f"{OFF}.over", 0.1, 0.9, seen.many, -1, lambda shot: (shedding(shot), shot["set"].append({"kind": "zone", "id": "zone", "name": "zone", "shape": {"kind": "ball", "at": [1.5, 10, 0], "radius": 1.2}, "edge": 1.2}), shot["supply"][1].update(through="zone"))),
    "offshoot.mass": (f"{OFF}.mass", 0.001, 0.1, lambda f: float(f.last.mass.mean()), 1, shedding),
    "offshoot.temperature": (f"{OFF}.temperature", 20, 900, lambda f: float(f.last.temperature.mean()), 1, shedding),
    "offshoot.seed": (f"{OFF}.seed", 1, 2, seen.shed_height, 0, shedding),
    "offshoot.whom": (f"{OFF}.whom", "loose", "other", seen.many, -1, shedding),
    "offshoot.emit.kind": (f"{OFF}.emit", {"kind": "asked", "count": 50}, {"kind": "trail", "rate": 240}, seen.many, 1, shedding),
    "trail.rate": (f"{OFF}.emit.rate", 60, 240, seen.many, 1, shedding),
    "offshoot.aim.kind": (f"{OFF}.aim", {"kind": "anywhere"}, ONWARD, seen.shed_east, 1, shedding),
    "asked.count": (f"{OFF}.emit.count", 5, 30, seen.many, 1, lambda shot: (shedding(shot), asks(shot))),
    "onward.cone": (f"{OFF}.aim.cone", 5, 90, seen.shed_east, -1, lambda shot: (shedding(shot), shot["supply"][1].update(aim=copy.deepcopy(ONWARD)))),
}


FIELDS: dict[str, tuple[Any, ...]] = FORCES | OFFSHOOTS | {
    "turbulence.speed": ("forces.0.speed", AS_IS, 3, seen.travelled, 1, calm(turbulence)),
    "turbulence.size": ("forces.0.size", AS_IS, 4, seen.travelled, 0, calm(turbulence)),
    "turbulence.grip": ("forces.0.grip", AS_IS, 8, seen.travelled, 1, calm(turbulence)),
    "turbulence.octaves": ("forces.0.octaves", AS_IS, 3, seen.away, 0, calm(turbulence)),
    "turbulence.change": ("forces.0.change", AS_IS, 2, seen.away, 0, calm(turbulence)),
    "turbulence.seed": ("forces.0.seed", 1, 2, seen.away, 0, calm(turbulence)),
    "follow.field": ("forces.0.field", "high", "draught", seen.east, 1, calm(follow)),
    "follow.grip": ("forces.0.grip", 0.5, AS_IS, seen.east, 1, calm(follow)),
    "field.file": ("set.6.file", "west.npz", "east.npz", seen.east, 1, calm(follow)),
    "field.speed": ("set.6.speed", AS_IS, 2, seen.east, 1, calm(follow)),
    "field.position": ("set.6.position.1", 1.5, 0, seen.east, 1, calm(follow)),
    "field.scale": ("set.6.scale", 0.5, 1, seen.east, 1, calm(follow)),
    "field.edge": ("set.6.edge", 2, 0, seen.east, 1, calm(follow)),
    "swirls.count": ("forces.0.count", 2, AS_IS, seen.travelled, 1, calm(swirls)),
    "swirls.size": ("forces.0.size", AS_IS, 0.8, seen.travelled, 1, calm(swirls)),
    "swirls.speed": ("forces.0.speed", AS_IS, 2, seen.travelled, 1, calm(swirls)),
    "swirls.life": ("forces.0.life", 0.3, AS_IS, seen.away, 0, calm(swirls)),
    "swirls.at": ("forces.0.at.0", 0, 4, seen.travelled, -1, calm(swirls)),
    "swirls.spread": ("forces.0.spread", [1, 1, 1], [9, 9, 9], seen.travelled, -1, calm(swirls)),
    "swirls.upright": ("forces.0.upright", 0.0, 1.0, climbed, -1, calm(swirls)),
    "swirls.grip": ("forces.0.grip", 0.5, AS_IS, seen.travelled, 1, calm(swirls)),
    "swirls.seed": ("forces.0.seed", 1, 2, seen.away, 0, calm(swirls)),
    "vortex.speed": ("forces.0.speed", 1, 3, seen.travelled, 1, calm(vortex)),
    "vortex.axis": ("forces.0.axis", [0, 1, 0], [1, 0, 0], seen.away, 0, calm(vortex)),
    "vortex.at": ("forces.0.at.0", 0, 4, seen.away, 0, calm(vortex)),
    "vortex.reach": ("forces.0.reach", 0.7, 4, seen.travelled, 1, calm(vortex)),
    "vortex.grip": ("forces.0.grip", 0.5, AS_IS, seen.travelled, 1, calm(vortex)),
    "attraction.to.kind": ("forces.0.to", {"kind": "point", "at": [0, 0, 0]}, {"kind": "line", "at": [0, 0, 9], "to": [0, 20, 9]}, height, 1, calm(attraction)),
    "attraction.strength": ("forces.0.strength", 1, AS_IS, seen.travelled, 1, calm(attraction)),
    "attraction.reach": ("forces.0.reach", 12, 40, seen.travelled, 1, calm(attraction)),
    "point.at": ("forces.0.to.at.1", 0, 20, height, 1, calm(attraction)),
    "line.at": ("forces.0.to.at.0", -5, 5, seen.east, 1, calm(attraction | {"to": {"kind": "line", "to": [0, 10, 0], "at": [5, 10, 0]}})),
    "line.to": ("forces.0.to.to.0", -5, 5, seen.east, 1, calm(attraction | {"to": {"kind": "line", "at": [0, 10, 0], "to": [5, 10, 0]}})),
    "surface.prop": ("forces.0.to.prop", "ground", "shell", height, 1, calm(attraction | {"to": {"kind": "surface", "prop": "shell"}})),
    "surface.side": ("forces.0.to.side", "inside", "outside", seen.travelled, 1, calm(attraction | {"to": {"kind": "surface", "prop": "shell"}})),
    "jitter.strength": ("forces.0.strength", 0.5, 2, seen.travelled, 1, calm(jitter)),
    "jitter.seed": ("forces.0.seed", 1, 2, seen.away, 0, calm(jitter)),
    "cohesion.strength": ("forces.0.strength", 1, AS_IS, seen.travelled, 1, calm(cohesion)),
    "cohesion.reach": ("forces.0.reach", 0.3, 1.0, seen.travelled, 1, calm(cohesion)),
    "alignment.whom": ("forces.0.whom", None, "other", seen.scattered, 1, flock),
    "alignment.zone": ("forces.0.zone", None, "far", seen.scattered, 1, flock),
    "alignment.start": ("forces.0.start", None, 10, seen.scattered, 1, flock),
    "alignment.end": ("forces.0.end", 3, 10, seen.scattered, -1, flock),
    "alignment.grip": ("forces.0.grip", AS_IS, 20, seen.scattered, -1, flock),
    "alignment.reach": ("forces.0.reach", AS_IS, 0.8, seen.scattered, -1, flock),
    "apart.whom": ("matter.3.whom", None, "other", crowding, -1, packed),
    "apart.gap": ("matter.3.gap", 0.0, 0.1, crowding, 1, packed),
    "hold.rate": ("forces.0.rate", 1, 20, seen.travelled, -1, calm(hold, weight)),
    "hold.grip": ("forces.0.grip", 1, 60, seen.travelled, -1, calm(hold, weight)),
    "zone.shape.kind": ("set.-1.shape", {"kind": "ball", "at": [0, 10, 0], "radius": 0.3}, CUBE, seen.inside, 1, calm(zone={"shape": CUBE})),
    "zone.edge": ("set.-1.edge", 0.0, 1.5, seen.first_inside, 1, calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0], "radius": 0.5}}, weight=0.2) ),
    "zone.falloff": ("set.-1.falloff", "late", "early", seen.inside, 1, calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0], "radius": 0.5}, "edge": 1.0})),
    "zone.follow": ("set.-1.follow", None, "shell", seen.inside, 1, rising),
    "ball.at": ("set.-1.shape.at.1", 10, 11, seen.inside, -1, calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0], "radius": 0.5}})),
    "ball.radius": ("set.-1.shape.radius", 0.3, 0.8, seen.inside, 1, calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0]}})),
    "block.at": ("set.-1.shape.at.1", 10, 11, seen.inside, -1, calm(zone={"shape": CUBE})),
    "block.size": ("set.-1.shape.size.0", AS_IS, 1.5, seen.inside, 1, calm(zone={"shape": CUBE})),
    "capsule.at": ("set.-1.shape.at.1", AS_IS, 11, seen.inside, -1, calm(zone={"shape": BEAM})),
    "capsule.to": ("set.-1.shape.to.1", 10.2, 12, seen.inside, 1, calm(zone={"shape": BEAM})),
    "capsule.radius": ("set.-1.shape.radius", AS_IS, 0.8, seen.inside, 1, calm(zone={"shape": BEAM})),
    "front.at": ("set.-1.shape.at.0", 0, 0.4, seen.inside, 1, calm(zone={"shape": FRONT})),
    "front.direction": ("set.-1.shape.direction", [1, 0, 0], [-1, 0, 0], seen.where_inside, 1, calm(zone={"shape": FRONT})),
    "front.come": ("set.-1.shape.come", AS_IS, 0.5, seen.inside, 1, calm(zone={"shape": FRONT})),
    "front.width": ("set.-1.shape.width", 0.1, 0.4, seen.inside, 1, calm(zone={"shape": FRONT})),
    "heights.low": ("set.-1.shape.low", 9.5, 10.5, seen.inside, -1, calm(zone={"shape": {"kind": "heights", "low": 9, "high": 12}})),
    "heights.high": ("set.-1.shape.high", 9.5, 10.5, seen.inside, 1, calm(zone={"shape": {"kind": "heights", "low": 9, "high": 12}})),
    "near.prop": ("set.-1.shape.prop", "ground", "shell", seen.inside, 1, calm(zone={"shape": NEAR})),
    "near.side": ("set.-1.shape.side", "inside", "outside", seen.inside, 1, calm(zone={"shape": NEAR})),
    "near.reach": ("set.-1.shape.reach", 0.5, 1.2, seen.inside, 1, calm(zone={"shape": NEAR})),
    "swift.field": ("set.-1.shape.field", "high", "draught", seen.inside, 1, calm(zone={"shape": {"kind": "swift", "field": "draught", "speed": 0.5}})),
    "swift.speed": ("set.-1.shape.speed", AS_IS, 99, seen.inside, -1, calm(zone={"shape": {"kind": "swift", "field": "draught"}})),
    "dense.field": ("set.-1.shape.field", "high", "draught", seen.inside, 1, calm(zone={"shape": {"kind": "dense", "field": "draught"}})),
    "dense.density": ("set.-1.shape.density", 0.1, 99, seen.inside, -1, calm(zone={"shape": {"kind": "dense", "field": "draught"}})),
    "hot.field": ("set.-1.shape.field", "high", "draught", seen.inside, 1, calm(zone={"shape": {"kind": "hot", "field": "draught"}})),
    "hot.temperature": ("set.-1.shape.temperature", 200, 2000, seen.inside, -1, calm(zone={"shape": {"kind": "hot", "field": "draught"}})),
    "patches.size": ("set.-1.shape.size", 0.3, AS_IS, seen.where_inside, 0, calm(zone={"shape": PATCHES})),
    "patches.share": ("set.-1.shape.share", AS_IS, 0.8, seen.inside, 1, calm(zone={"shape": PATCHES})),
    "patches.contrast": ("set.-1.shape.contrast", AS_IS, 10, seen.inside, 1, calm(zone={"shape": PATCHES, "edge": 0.0}, weight=0.75) ),
    "patches.drift": ("set.-1.shape.drift.0", 0, 2, seen.inside, 1, calm(zone={"shape": PATCHES})),
    "patches.change": ("set.-1.shape.change", 0, 3, seen.inside, 1, calm(zone={"shape": PATCHES})),
    "patches.seed": ("set.-1.shape.seed", 1, 2, seen.where_inside, 0, calm(zone={"shape": PATCHES})),
    "strokes.radius": ("set.-1.shape.radius", 0.3, 0.8, seen.inside, 1, calm(zone={"shape": {"kind": "strokes", "points": [[0, 10, 0]]}})),
    "both.first": ("set.-1.shape.first", "far", "slab", seen.inside, 1, calm(zone={"shape": BOTH | {"second": "far"}})),
    "both.how": ("set.-1.shape.how", "minus", "times", seen.inside, 1, calm(zone={"shape": BOTH})),
    "both.second": ("set.-1.shape.second", "all", "far", seen.inside, 1, calm(zone={"shape": BOTH})),
    "both.by": ("set.-1.shape.by", 0.1, 0.6, seen.inside, 1, calm(zone={"shape": BROKEN})),
    "inside.zone": ("cues.0.when.zone", "far", "all", seen.inside, 1, calm(zone={"shape": CUBE})),
    "inside.weight": ("cues.0.when.weight", AS_IS, 0.9, seen.inside, -1, calm(zone={"shape": {"kind": "ball", "at": [0, 10, 0], "radius": 0.5}, "edge": 1.0})),
    "skin.whom": ("matter.3.whom", None, "other", seen.triangles, -1, wrapped),
    "skin.radius": ("matter.3.radius", AS_IS, 3.0, seen.volume, 1, wrapped),
    "skin.blend": ("matter.3.blend", AS_IS, 0.4, seen.volume, 1, wrapped),
    "skin.cell": ("matter.3.cell", 0.05, AS_IS, seen.triangles, -1, wrapped),
    "skin.smoothing": ("matter.3.smoothing", 0, 2, seen.area, -1, wrapped),
    "fading.whom": ("matter.3.whom", None, "other", faded_now, -1, see_through),
    "fading.share": ("matter.3.share", AS_IS, 0.9, faded_now, -1, see_through),
    "growth.whom": ("matter.3.whom", None, "other", seen.size_now, -1, grown),
    "growth.share": ("matter.3.share", 0.5, 2.0, seen.size_now, 1, grown),
    "tint.whom": ("matter.3.whom", None, "other", seen.redness, -1, tinted()),
    "tint.palette": ("matter.3.palette", [["#200000", 1]], [["#ff0000", 1]], seen.redness, 1, tinted()),
    "tint.manner": ("matter.3.manner", "picked", "blended", seen.colours, 1, tinted(place=SEEN)),
    "tint.place": ("matter.3.place", AS_IS, 0.9, seen.redness, -1, tinted()),
    "tint.when": ("matter.3.when", "always", "birth", seen.redness, 1, tinted(place=AGED)),
    "source.inherit": ("supply.0.inherit", 0.0, 1.0, seen.east, 1, thrown),
    "source.mass": ("supply.0.mass", 1.0, 50.0, seen.size_now, 1, weighed("mass")),
    "source.temperature": ("supply.0.temperature", AS_IS, 90.0, seen.size_now, 1, weighed("temperature")),
    "lettering.words": ("set.1.shape.words", "A", "ASH", seen.born_width, 1, sign),
    "lettering.height": ("set.1.shape.height", 0.5, 1.0, seen.born_height, 1, sign),
    "lettering.depth": ("set.1.shape.depth", AS_IS, 0.5, seen.born_depth, 1, sign),
    "lettering.bevel": ("set.1.shape.bevel", 0.0, AS_IS, born_flat, -1, sign),
    "lettering.font": ("set.1.shape.font", "title", "mono", seen.born_width, 0, sign),
    "lettering.file": ("set.1.shape.file", None, "wide.woff2", seen.born_width, 0, sign),
    "outline.file": ("set.1.shape.file", "square.svg", "bar.svg", seen.born_width, 1, cutout),
    "outline.height": ("set.1.shape.height", 0.5, 1.0, seen.born_height, 1, cutout),
    "outline.depth": ("set.1.shape.depth", AS_IS, 0.5, seen.born_depth, 1, cutout),
    "outline.bevel": ("set.1.shape.bevel", AS_IS, 0.08, born_flat, -1, cutout),
    "lettering.weight": ("set.1.shape.weight", 400, 800, seen.born_width, 1, sign),
}  # fmt: skip
