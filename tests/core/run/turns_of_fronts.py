"""Each dial of a front, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.front.scenes import BOARD, MIDDLE, front
from tests.core.matter.rigid.scenes import prop, scene
from tests.core.matter.soft.scenes import cloth
from tests.core.run.measures import AS_IS

STATES = [{"kind": "state", "id": s, "name": s, "of": "front"} for s in ("one", "two")]
SLIT = MIDDLE | {"id": "slit", "name": "slit", "shape": {"kind": "block", "at": [0, 1, 0], "size": [3, 0.1, 0.1]}}
TOP = MIDDLE | {"id": "top", "name": "top", "shape": {"kind": "ball", "at": [0, 1.05, 0], "radius": 0.04}}
LEAF = cloth("other", begins="held")
OTHER = prop("other", BOARD | {"width": 1.0}, (0, 1, 0))


def a_board(cue: dict[str, Any] | None = None, last: int = 13, shape: Any = None, rows: Any = (), **row: Any):
    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        props = [prop("board", shape or BOARD, (0, 1, 0)), OTHER, MIDDLE, SLIT, TOP]
        cues = [{"kind": "cue", "id": "cue", "when": cue, "then": {"kind": "unpin"}}] if cue else []
        shot |= scene(props, [front(segments=20) | row, *STATES, *rows], last, forces=[], cues=cues)

    return change


# fmt: off
def count(f: Film) -> float: return float(len(f.last))
def reached(f: Film) -> float: return float((f.last.arrived >= 0.0).sum())
def hottest(f: Film) -> float: return float(f.last.temperature.max())
def warm(f: Film) -> float: return float(f.last.temperature.mean())
def left(f: Film) -> float: return float(f.last.left.mean())
def state(f: Film) -> float: return float(f.last.state[0])
def fired(f: Film) -> float: return float(len(f.events))
# fmt: on


def uneven(f: Film) -> float:
    """How far its points differ that are as far from the middle."""
    away = np.linalg.norm(f.last.position[:, [0, 2]], axis=1)
    return float(f.last.arrived[(away > 0.15) & (away < 0.2)].std())


HOT = {"kind": "hotter", "temperature": 300}
THIN = {"kind": "box", "width": 2.0, "depth": 2.0, "height": 0.1}

FRONTS: dict[str, tuple[Any, ...]] = {
    "front.prop": ("matter.0.prop", "board", "other", count, 0, a_board()),
    "front.segments": ("matter.0.segments", 10, 20, count, 1, a_board()),
    "front.lit": ("matter.0.lit", "spark", "slit", reached, 1, a_board()),
    "front.start": ("matter.0.start", 1, 8, reached, -1, a_board()),
    "front.speed": ("matter.0.speed", AS_IS, 1.0, reached, 1, a_board()),
    "front.ragged": ("matter.0.ragged", 0.0, 0.8, uneven, 1, a_board()),
    "front.reach": ("matter.0.reach", 0.02, 0.2, reached, 1, a_board()),
    "front.over": ("matter.0.over", "skin", "gaps", reached, 1, a_board(shape=THIN, lit="top")),
    "front.heat": ("matter.0.heat", 200.0, AS_IS, hottest, 1, a_board()),
    "front.cooling": ("matter.0.cooling", AS_IS, 2.0, warm, 1, a_board()),
    "front.burns": ("matter.0.burns", 0.2, AS_IS, left, 1, a_board()),
    "front.seed": ("matter.0.seed", 1, 2, uneven, 0, a_board(ragged=0.5)),
    "front.warms": ("matter.0.warms", None, 0.2, fired, 1, a_board(HOT, rows=[LEAF])),
    "front.state": ("matter.0.state", "one", "two", state, 1, a_board()),
    "reached.time": ("cues.0.when.time", 0.0, 0.3, fired, -1, a_board({"kind": "reached"})),
}
