"""Dials of cues: what turning each does to how many fire, when, and what comes of it."""

import copy
from typing import Any

from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, Film, landing, source
from tests.core.run import measures as seen
from tests.core.run.measures import AS_IS

# fmt: off
OTHER = {"kind": "state", "id": "other", "name": "other"}
ENTER = {"kind": "enter", "state": "other"}
BALL = {"kind": "zone", "id": "ball", "name": "ball", "shape": {"kind": "ball", "at": [3, 10, 0], "radius": 1.0}, "edge": 1.0}
FAR = {"kind": "zone", "id": "far", "name": "far", "shape": {"kind": "ball", "at": [900, 0, 0]}}
POST = {"kind": "prop", "id": "post", "name": "post", "shape": {"kind": "sphere", "radius": 0.5}, "position": [4, 10, 0]}
AWAY = {"kind": "prop", "id": "away", "name": "away", "shape": {"kind": "sphere", "radius": 0.5}, "position": [400, 10, 0]}
LIMIT = {"kind": "older", "age": 0.25}


def flock(when: dict[str, Any], then: dict[str, Any] = ENTER, **fields: Any):
    """Two hundred that fly along x at 3 to 9 m/s, with one cue; a second source that gives one."""

    def change(shot: dict[str, Any]) -> None:
        shot["set"] = [GROUND, VENT | {"position": [0, 10, 0]}, BALL, FAR, POST, AWAY]
        shot["matter"] = [LOOSE, OTHER, landing()]
        crowd = {"emit": {"kind": "burst", "count": 200, "frame": 1}, "speed": 6, "speed_spread": 0.5, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 3}}
        shot["supply"] = [source(**crowd, temperature=300), source(id="lone", speed=5), source(id="jet", emit={"kind": "stream", "rate": 200})]
        shot["forces"] = [GRAVITY | {"strength": 0.5}]
        shot["cues"] = [copy.deepcopy({"kind": "cue", "id": "cue", "when": when, "then": then} | fields)]
        shot["supply"][2]["on"] = then["kind"] in ("start", "stop")
        shot["finish"] = {"last": 25}

    return change


def fired(f: Film) -> float:
    return float((f.events.what == 0).sum())


KICK = {"kind": "kick", "speed": 3, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}}
KICK_AWAY = {"kind": "kick", "speed": 5, "aim": {"kind": "away", "prop": "post"}}
BECOME = {"kind": "become", "attribute": "temperature", "value": 1.0, "plus": 10}
CUES: dict[str, tuple[Any, ...]] = {
    "touches.speed": ("cues.0.when.speed", 0.0, 4.0, fired, -1, lambda s: (flock({"kind": "touches"})(s), s["set"].__setitem__(1, VENT | {"position": [0, 0.4, 0]}), s["forces"].__setitem__(0, GRAVITY))),
    "travelled.distance": ("cues.0.when.distance", AS_IS, 3, seen.when, 1, flock({"kind": "travelled"})),
    "hotter.temperature": ("cues.0.when.temperature", AS_IS, 400, fired, -1, flock({"kind": "hotter"})),
    "cooler.temperature": ("cues.0.when.temperature", AS_IS, 400, fired, 1, flock({"kind": "cooler"})),
    "nearer.distance": ("cues.0.when.distance", AS_IS, 1.5, seen.when, -1, flock({"kind": "nearer", "prop": "post"})),
    "nearer.prop": ("cues.0.when.prop", "away", "post", fired, 1, flock({"kind": "nearer", "distance": 1.0})),
    "enters.zone": ("cues.0.when.zone", "far", "ball", fired, 1, flock({"kind": "enters"})),
    "enters.weight": ("cues.0.when.weight", AS_IS, 0.9, seen.when, 1, flock({"kind": "enters", "zone": "ball"})),
    "leaves.zone": ("cues.0.when.zone", "far", "ball", fired, 1, flock({"kind": "leaves"})),
    "leaves.weight": ("cues.0.when.weight", AS_IS, 0.9, seen.when, -1, flock({"kind": "leaves", "zone": "ball"})),
    "every.frames": ("cues.0.when.frames", 3, 9, fired, -1, flock({"kind": "every"}, again="each")),
    "every.start": ("cues.0.when.start", 2, 20, fired, -1, flock({"kind": "every", "frames": 2}, again="each")),
    "after.cue": (
        "cues.1.when.cue",
        "never",
        "cue",
        lambda f: float((f.events.cue == 1).sum()),
        1,
        lambda s: (flock({"kind": "older", "age": 0.3})(s), s["cues"].append({"kind": "cue", "id": "then", "when": {"kind": "after"}, "then": {"kind": "remove"}}), s["cues"].append({"kind": "cue", "id": "never", "when": {"kind": "older", "age": 99}, "then": {"kind": "remove"}})),
    ),
    "after.whose": ("cues.1.when.whose", "it", "any", seen.count, -1, lambda s: (flock({"kind": "faster", "speed": 8.8})(s), s["cues"].append({"kind": "cue", "id": "then", "when": {"kind": "after", "cue": "cue"}, "then": {"kind": "remove"}}))),
    "share_in.share": ("cues.1.when.share", AS_IS, 0.8, seen.count, 1, lambda s: (flock({"kind": "faster", "speed": 6})(s), s["cues"].append({"kind": "cue", "id": "then", "when": {"kind": "share_in", "state": "other"}, "then": {"kind": "remove"}}))),
    "share_in.state": ("cues.1.when.state", "loose", "other", seen.count, 1, lambda s: (flock({"kind": "faster", "speed": 90})(s), s["cues"].append({"kind": "cue", "id": "then", "when": {"kind": "share_in", "share": 0.9}, "then": {"kind": "remove"}}))),
    "reads.value": ("cues.0.when.value", 0.0, {"kind": "formula", "text": "speed - 5"}, fired, 1, flock({"kind": "reads"})),
    "reads.over": ("cues.0.when.over", AS_IS, 2.0, fired, -1, flock({"kind": "reads", "value": {"kind": "formula", "text": "speed - 5"}})),
    "kick.speed": ("cues.0.then.speed", AS_IS, 8, seen.east, 1, flock(LIMIT, KICK)),
    "kick.aim.kind": ("cues.0.then.aim", KICK["aim"], {"kind": "anywhere"}, seen.east, -1, flock(LIMIT, KICK)),
    "away.prop": ("cues.0.then.aim.prop", "post", "away", seen.spread, -1, flock(LIMIT, KICK_AWAY)),
    "away.cone": ("cues.0.then.aim.cone", 0, 150, seen.east, 1, flock(LIMIT, KICK_AWAY)),
    "become.attribute": ("cues.0.then.attribute", "mass", "temperature", seen.hot, 1, flock(LIMIT, BECOME)),
    "become.value": ("cues.0.then.value", AS_IS, 2.0, seen.hot, 1, flock(LIMIT, BECOME)),
    "become.plus": ("cues.0.then.plus", AS_IS, 100, seen.hot, 1, flock(LIMIT, BECOME)),
    "shed.offshoot": ("cues.0.then.offshoot", "few", "lot", seen.count, 1, lambda s: (flock(LIMIT, {"kind": "shed"})(s), s["supply"].extend({"kind": "offshoot", "id": i, "emit": {"kind": "asked", "count": n}, "state": "loose"} for i, n in (("few", 1), ("lot", 5))))),
    "asked.per": ("supply.3.emit.per", 0.5, 20.0, seen.count, -1, lambda s: (flock({"kind": "touches", "prop": "ground"}, {"kind": "shed", "offshoot": "chips"})(s), s["supply"].append({"kind": "offshoot", "id": "chips", "emit": {"kind": "asked", "count": 2}, "state": "loose"}), s["set"].__setitem__(1, VENT | {"position": [0, 0.4, 0]}), s["forces"].__setitem__(0, GRAVITY))),
    "start.row": ("cues.0.then.row", "gravity", "jet", seen.count, -1, flock(LIMIT, {"kind": "start"})),
    "stop.row": ("cues.0.then.row", "jet", "gravity", seen.drop, 1, flock(LIMIT, {"kind": "stop"})),
    "swap.prop": ("cues.0.then.prop", "away", "post", lambda f: float(sum(f.touches.values())), -1, lambda s: (flock({"kind": "older", "age": 0.1}, {"kind": "swap", "by": "ground"})(s), s["matter"][2].update(props=["post"]))),
    "swap.by": ("cues.0.then.by", "away", "post", lambda f: float(sum(f.touches.values())), -1, lambda s: (flock({"kind": "older", "age": 0.6}, {"kind": "swap", "prop": "ground"})(s), s["matter"][2].update(props=["post"]))),
    "cue.source": ("cues.0.source", None, "lone", fired, -1, flock(LIMIT)),
    "cue.within": ("cues.0.within", None, "far", fired, -1, flock(LIMIT)),
    "cue.chance": ("cues.0.chance", 0.1, 0.8, fired, 1, flock(LIMIT)),
    "cue.delay": ("cues.0.delay", 0.1, 0.5, seen.when, 1, flock(LIMIT)),
    "cue.second.kind": ("cues.0.second", {"kind": "nothing"}, {"kind": "remove"}, seen.count, -1, flock(LIMIT)),
    "cue.third.kind": ("cues.0.third", {"kind": "nothing"}, {"kind": "remove"}, seen.count, -1, flock(LIMIT, second=BECOME)),
    "cue.again": ("cues.0.again", "once", "each", fired, 1, flock({"kind": "every", "frames": 4})),
    "cue.frames": ("cues.0.frames", 2, 8, seen.ever, 1, flock(LIMIT)),
}
