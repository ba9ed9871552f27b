"""Where particles were in the frames before: the lines that streaks are drawn with."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.matter import State, Streaks

Array = NDArray[Any]


def streak_of(shot: Shot, store: FrameStore, frame: int, row: Streaks) -> dict[str, Array]:
    """The streaks of a kept frame: `points` (n, k, 3), metres, the newest first, which end where a particle
    was born by staying there; `id` (n,) and `colour` (n,) as 0xrrggbb. Raises `KeyError`, `DamagedFrame`."""
    now = store.particles(frame, ("position", "id", "state", "colour"))
    who = (
        np.ones(len(now["id"]), bool)
        if row.whom is None
        else now["state"] == [s.id for s in shot.states].index(row.whom)
    )
    ids, last = now["id"][who], now["position"][who]
    points = [last]
    for before in range(frame - 1, frame - row.frames - 1, -1):
        try:
            was = store.particles(before, ("position", "id"))
        except KeyError:
            break
        place = np.minimum(np.searchsorted(was["id"], ids), max(len(was["id"]) - 1, 0))
        there = was["id"][place] == ids if len(was["id"]) else np.zeros(len(ids), bool)
        last = np.where(there[:, None], was["position"][place] if len(was["id"]) else last, last)
        points.append(last)
    return {"points": np.stack(points, axis=1), "id": ids, "colour": _paint(now, who, shot.states)}


def _paint(now: dict[str, Array], who: NDArray[np.bool_], states: list[State]) -> Array:
    by_state = np.array([int(s.colour[1:], 16) for s in states] or [0], np.uint32)
    own = now["colour"][who]
    result: Array = np.where(own >> 24, own & 0xFFFFFF, by_state[now["state"][who]]).astype(np.uint32)
    return result
