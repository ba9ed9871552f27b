"""Dials of rigid bodies: what turning each does to how they fall, slide, bounce and lie."""

import copy
from typing import Any

import numpy as np

from hotgravel.core.shape.cutting import inner_corners
from tests.conftest import GRAVITY, GROUND, Film, source
from tests.core.run import measures as seen
from tests.core.run.measures import AS_IS

# fmt: off
BOX = {"kind": "prop", "id": "box", "name": "box", "shape": {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}, "position": [0, 1, 0]}
BALL = {"kind": "prop", "id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 0.3}, "position": [0, 2, 0]}
HOLLOW = {"kind": "prop", "id": "hollow", "name": "hollow", "shape": {"kind": "torus", "radius": 0.5, "tube": 0.1}, "position": [0, 0.12, 0]}
HATCH = {"kind": "prop", "id": "hatch", "name": "hatch", "shape": {"kind": "box", "width": 3, "height": 1, "depth": 3}, "position": [0, 4, 0]}
SHELF = {"kind": "prop", "id": "shelf", "name": "shelf", "shape": {"kind": "plane", "width": 4, "depth": 4}, "position": [9, 3, 0]}
LANDING = {"kind": "collision", "id": "landing", "props": ["ground"], "bounce": 0.0, "friction": 0.6}
RESTING = {"kind": "state", "id": "resting", "name": "resting", "of": "rigid"}
ALONG = {"kind": "toward", "direction": [1, 0, 0], "cone": 0}


def bodies(cues: Any = (), props: Any = (), **fields: Any):
    """A box above the ground that is pushed along it, unless told otherwise; a state that cues may move it to."""

    def change(shot: dict[str, Any]) -> None:
        shot["set"] = [GROUND, BOX, BALL, HOLLOW, HATCH, SHELF, *props]
        shot["matter"] = [{"kind": "rigid", "id": "body", "prop": "box"} | fields, RESTING, LANDING]
        shot["supply"], shot["forces"] = [], [GRAVITY | {"direction": [0, -1, 0]}]
        push = {"kind": "cue", "id": "push", "when": {"kind": "at_frame", "frame": 1}, "then": {"kind": "kick", "speed": 3, "aim": ALONG}}
        shot["cues"] = [copy.deepcopy(c) for c in (push, *cues)]
        shot["finish"] = {"last": 30}

    return change


def waiting(when: dict[str, Any]):
    return bodies([{"kind": "cue", "id": "cue", "when": when, "then": {"kind": "enter", "state": "resting"}}])


def stack(**fields: Any):
    return bodies(copies={"kind": "stacked", "across": 2, "up": 2, "deep": 1} | fields)


def strewn(**fields: Any):
    return bodies(copies={"kind": "scattered", "count": 20, "on": "shelf"} | fields)


def poured(**fields: Any):
    return bodies(copies={"kind": "poured", "source": "hatch", "rate": 30, "start": 1, "end": 20} | fields)


def spun(**fields: Any):
    return bodies([{"kind": "cue", "id": "spin", "when": {"kind": "at_frame", "frame": 1}, "then": {"kind": "spin", "axis": [0, 1, 0]} | fields}])


def wide(axis: int):
    return lambda f: float(np.ptp(f.frames[1].position[:, axis]))


def height(f: Film) -> float:
    return float(f.frames[1].position[:, 1].mean())


def sizes(f: Film) -> float:
    return float(np.ptp(f.last.radius))


def bounced(f: Film) -> float:
    return float(max(b.position[0, 1] for frame, b in f.frames.items() if frame > 14))


def when(f: Film) -> float:
    told = f.events.time[f.events.cue == 1]
    return float(told.mean()) if len(told) else 99.0


def apart(f: Film) -> str:
    return f.last.position.tobytes().hex()[:200]


def spin_of(axis: int):
    return lambda f: float(f.frames[1].spin[0, axis])


def through_the_ring(shot: dict[str, Any]) -> None:
    """A small ball over the hole of a ring that is held."""
    bodies(prop="hollow", begins="held")(shot)
    shot["set"].append(BALL | {"id": "bead", "name": "bead", "shape": {"kind": "sphere", "radius": 0.12}, "position": [0, 1, 0]})
    shot["matter"].append({"kind": "rigid", "id": "bead-body", "prop": "bead"})
    shot["cues"] = []


def rained_on(shot: dict[str, Any]) -> None:
    """Heavy grains fly at the box from one side."""
    bodies(friction=0.1)(shot)
    shot["matter"] += [{"kind": "state", "id": "grain", "name": "grain"}, {"kind": "collision", "id": "met", "props": ["box"], "whom": "grain"}]
    shot["supply"] = [source(prop="nozzle", state="grain", mass=5.0, speed=20, aim=ALONG, life=9, emit={"kind": "stream", "rate": 60, "start": 1, "end": 30})]
    shot["set"].append(BOX | {"id": "nozzle", "name": "nozzle", "position": [-3, 0.3, 0]})
    shot["cues"] = []


PLATE = BOX | {"id": "plate", "name": "plate", "shape": {"kind": "box", "width": 2, "height": 2, "depth": 0.2}, "position": [0, 3, 0]}
RIGHT = {"kind": "zone", "id": "right", "name": "right", "shape": {"kind": "ball", "at": [1, 3, 0], "radius": 0.7}, "edge": 0.0}
LEFT = RIGHT | {"id": "left", "name": "left", "shape": {"kind": "ball", "at": [-1, 3, 0], "radius": 0.7}}


PLUG = BOX | {"id": "small", "name": "small", "shape": {"kind": "box", "width": 0.5, "height": 0.5, "depth": 1}, "position": [0, 3, 0]}


INK = RIGHT | {"id": "ink", "name": "ink", "shape": {"kind": "strokes", "points": [[x / 5, 3, 0.1] for x in range(-4, 5)], "radius": 0.3}}
FEW = INK | {"id": "few", "name": "few", "shape": INK["shape"] | {"points": [[0, 3, 0.1], [0.2, 3, 0.1]]}}
STROKED = {"kind": "along_strokes", "zone": "ink", "length": 0.2}


def cut(manner: dict[str, Any], **fields: Any):
    """A plate that is held in its pieces."""

    def change(shot: dict[str, Any]) -> None:
        bodies(prop="plate", copies={"kind": "pieces"}, begins="held", props=[PLATE, RIGHT, LEFT])(shot)
        shot["set"] += {"along": [PLUG, PLUG | {"id": "large", "name": "large", "scale": 2.0}], "along_strokes": [INK, FEW]}.get(manner["kind"], [])
        shot["set"].append({"kind": "cut", "id": "cut", "prop": "plate", "manner": dict(manner)} | fields)
        shot["cues"], shot["finish"] = [], {"last": 1}

    return change


def uneven(f: Film) -> float:
    return float(f.last.mass.std() / f.last.mass.mean())


def small_at(x: float):
    """How light the pieces about a place are, beside all of them."""
    return lambda f: -float(f.last.mass[np.abs(f.last.position[:, 0] - x) < 0.4].mean() / f.last.mass.mean())


def broken(f: Film) -> float:
    """The area of all faces that cuts have made."""
    corners = np.concatenate([inner_corners(piece) for piece in f.world.setting.cuttings["plate"].pieces])
    return float(np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum())


def cut_again(shot: dict[str, Any]) -> None:
    """A plate cut in few pieces and then finer."""
    cut({"kind": "random", "pieces": 10})(shot)
    shot["set"].append({"kind": "cut", "id": "finer", "prop": "plate", "manner": {"kind": "random", "pieces": 30}})


ROUGH = {"kind": "rough", "by": 0.02, "lumps": 0.2}
BY_A_BLOW = {"kind": "strike", "at": [-0.7, 0, 0], "reach": 1.5}
ROLLED = bodies(prop="ball", friction=1.0)

# The path of the dial, two values, what is measured, which way it goes, and the scene.
BODIES: dict[str, tuple[Any, ...]] = {
    "rigid.prop": ("matter.0.prop", "box", "ball", height, 1, bodies()),
    "rigid.copies.kind": ("matter.0.copies", {"kind": "itself"}, {"kind": "stacked"}, seen.count, 1, bodies()),
    "cut.manner.kind": ("set.9.manner", {"kind": "evenly"}, {"kind": "random"}, uneven, 1, cut({"kind": "evenly"})),
    "cut.sides.kind": ("set.9.sides", {"kind": "smooth"}, ROUGH, broken, 1, cut({"kind": "random", "pieces": 6})),
    "cut.zone": ("set.9.zone", None, "right", small_at(0.8), 1, cut({"kind": "random", "pieces": 20})),
    "cut.longer": ("set.10.longer", 0.0, 0.9, seen.count, 1, cut_again),
    "rough.by": ("set.9.sides.by", AS_IS, 0.05, broken, 1, cut({"kind": "random", "pieces": 6}, sides=ROUGH)),
    "rough.lumps": ("set.9.sides.lumps", 0.2, 0.6, broken, -1, cut({"kind": "random", "pieces": 6}, sides=ROUGH)),
    "along.prop": ("set.11.manner.prop", "small", "large", lambda f: float(f.last.mass[0]), 1, cut({"kind": "along", "prop": "small"})),
    "cut.least": ("set.9.least", 0.0, 0.6, seen.count, -1, cut({"kind": "random"})),
    "cut.tiny": ("set.9.tiny", "joined", "left out", lambda f: float(f.last.mass.sum()), -1, cut({"kind": "random"}, least=0.6)),
    "along_strokes.zone": ("set.11.manner.zone", "ink", "few", seen.count, -1, cut(STROKED)),
    "along_strokes.length": ("set.11.manner.length", 0.2, 0.4, seen.count, -1, cut(STROKED)),
    "along_strokes.jitter": ("set.11.manner.jitter", 0.0, AS_IS, lambda f: float(np.sort(f.last.mass)[:-1].std()), 1, cut(STROKED)),
    "cut.seed": ("set.9.seed", 1, 2, apart, 0, cut({"kind": "random"})),
    "evenly.pieces": ("set.9.manner.pieces", 10, 30, seen.count, 1, cut({"kind": "evenly"})),
    "random.pieces": ("set.9.manner.pieces", 10, 30, seen.count, 1, cut({"kind": "random"})),
    "crowded.pieces": ("set.9.manner.pieces", 20, 40, seen.count, 1, cut({"kind": "crowded", "zone": "right"})),
    "crowded.share": ("set.9.manner.share", 0.3, AS_IS, small_at(0.8), 1, cut({"kind": "crowded", "zone": "right"})),
    "crowded.zone": ("set.9.manner.zone", "left", "right", small_at(0.8), 1, cut({"kind": "crowded", "zone": "right"})),
    "strike.at": ("set.9.manner.at", [-0.7, 0, 0], [0.7, 0, 0], small_at(0.7), 1, cut(BY_A_BLOW)),
    "strike.axis": ("set.9.manner.axis", [0, 1, 0], [0, 0, 1], wide(1), 1, cut(BY_A_BLOW)),
    "strike.rings": ("set.9.manner.rings", 2, 4, seen.count, 1, cut(BY_A_BLOW)),
    "strike.spokes": ("set.9.manner.spokes", 5, 9, seen.count, 1, cut(BY_A_BLOW)),
    "strike.reach": ("set.9.manner.reach", 0.7, 1.5, lambda f: float(np.ptp(f.last.position[:, 0])), 0, cut(BY_A_BLOW)),
    "strike.jitter": ("set.9.manner.jitter", AS_IS, 0.9, apart, 0, cut(BY_A_BLOW)),
    "points.prop": ("set.9.manner.prop", "box", "shelf", seen.count, -1, cut({"kind": "points"})),
    "layers.axis": ("set.9.manner.axis", [1, 0, 0], [0, 1, 0], wide(1), 1, cut({"kind": "layers"})),
    "layers.layers": ("set.9.manner.layers", 3, AS_IS, seen.count, 1, cut({"kind": "layers"})),
    "layers.uneven": ("set.9.manner.uneven", AS_IS, 0.8, uneven, 1, cut({"kind": "layers"})),
    "rigid.density": ("matter.0.density", 1000, AS_IS, lambda f: float(f.last.mass[0]), 1, bodies()),
    "rigid.bounce": ("matter.0.bounce", 0.1, 0.8, bounced, 1, bodies()),
    "rigid.friction": ("matter.0.friction", 0.1, AS_IS, seen.slid, -1, bodies()),
    "rigid.rolling": ("matter.0.rolling", AS_IS, 0.3, seen.slid, -1, ROLLED),
    "rigid.pushed": ("matter.0.pushed", 0.0, 1.0, seen.slid, 1, rained_on),
    "rigid.begins": ("matter.0.begins", "loose", "held", seen.held, 1, bodies()),
    "rigid.state": ("matter.0.state", None, "resting", lambda f: float(f.last.state[0]), 1, bodies()),
    "rigid.parts": ("matter.0.parts", 1, 8, seen.low, -1, through_the_ring),
    "rigid.temperature": ("matter.0.temperature", 20, 900, lambda f: float(f.last.temperature[0]), 1, bodies()),
    "stacked.across": ("matter.0.copies.across", 2, 4, wide(0), 1, stack()),
    "stacked.up": ("matter.0.copies.up", 2, 4, wide(1), 1, stack()),
    "stacked.deep": ("matter.0.copies.deep", 1, 3, wide(2), 1, stack()),
    "stacked.gap": ("matter.0.copies.gap", 0.0, 0.5, wide(0), 1, stack()),
    "stacked.size_spread": ("matter.0.copies.size_spread", 0.0, 0.4, sizes, 1, stack()),
    "stacked.turn": ("matter.0.copies.turn", "alike", "any", seen.turned, 1, stack()),
    "stacked.seed": ("matter.0.copies.seed", 1, 2, apart, 0, stack(size_spread=0.3)),
    "scattered.count": ("matter.0.copies.count", AS_IS, 40, seen.count, 1, strewn()),
    "scattered.on": ("matter.0.copies.on", "ground", "shelf", height, 1, strewn()),
    "scattered.lift": ("matter.0.copies.lift", 0.0, 2.0, height, 1, strewn()),
    "scattered.size_spread": ("matter.0.copies.size_spread", 0.0, 0.4, sizes, 1, strewn()),
    "scattered.turn": ("matter.0.copies.turn", "alike", "upright", seen.turned, 1, strewn()),
    "scattered.seed": ("matter.0.copies.seed", 1, 2, apart, 0, strewn()),
    "poured.source": ("matter.0.copies.source", "hatch", "shelf", seen.slid, 1, poured()),
    "poured.rate": ("matter.0.copies.rate", 10, 30, seen.count, 1, poured()),
    "poured.start": ("matter.0.copies.start", 1, 12, seen.count, -1, poured()),
    "poured.end": ("matter.0.copies.end", 8, 20, seen.count, 1, poured()),
    "poured.speed": ("matter.0.copies.speed", AS_IS, 6.0, lambda f: float(f.frames[4].velocity[:, 1].mean()), -1, poured()),
    "poured.speed_spread": ("matter.0.copies.speed_spread", AS_IS, 0.9, lambda f: float(np.ptp(f.frames[4].velocity[:, 1])), 1, poured(speed=6.0)),
    "poured.spin": ("matter.0.copies.spin", 0.0, 700.0, lambda f: float(np.abs(f.frames[4].spin).max()), 1, poured()),
    "poured.size_spread": ("matter.0.copies.size_spread", 0.0, 0.4, sizes, 1, poured()),
    "poured.turn": ("matter.0.copies.turn", "alike", "any", lambda f: float(np.abs(f.frames[4].turn[:, :3]).max()), 1, poured()),
    "poured.seed": ("matter.0.copies.seed", 1, 2, apart, 0, poured()),
    "struck.impulse": ("cues.1.when.impulse", AS_IS, 1e6, when, 1, waiting({"kind": "struck"})),
    "struck.prop": ("cues.1.when.prop", "ground", "shelf", when, 1, waiting({"kind": "struck", "impulse": 10.0})),
    "asleep.time": ("cues.1.when.time", 0.05, 0.3, when, 1, waiting({"kind": "asleep"})),
    "turned_over.angle": ("cues.1.when.angle", 5.0, AS_IS, when, 1, bodies([{"kind": "cue", "id": "cue", "when": {"kind": "turned_over"}, "then": {"kind": "enter", "state": "resting"}}, {"kind": "cue", "id": "spin", "when": {"kind": "at_frame", "frame": 1}, "then": {"kind": "spin", "rate": 90, "axis": [0, 0, 1]}}])),
    "spin.rate": ("cues.1.then.rate", 90, AS_IS, spin_of(1), 1, spun()),
    "spin.axis": ("cues.1.then.axis.0", 0, 4, spin_of(0), 1, spun(rate=200)),
}
