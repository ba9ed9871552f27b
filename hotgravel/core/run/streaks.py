"""Where elements were in the frames before: the lines that streaks are drawn with."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import places_of
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.matter import State, Streaks

Array = NDArray[Any]


def streak_of(shot: Shot, store: FrameStore, frame: int, row: Streaks) -> dict[str, Array]:
    """The streaks of a kept frame: `points` (n, k, 3), metres, the newest first, which end where an element
    was born by staying there; `id` (n,) and `colour` (n,) as 0xrrggbb. Raises `KeyError`, `DamagedFrame`."""
    made = [_of_matter(shot, store, frame, row, matter) for matter in store.matters(frame)]
    return {name: np.concatenate([streaks[name] for streaks in made]) for name in ("points", "id", "colour")}


def _of_matter(shot: Shot, store: FrameStore, frame: int, row: Streaks, matter: str) -> dict[str, Array]:
    now = store.elements(frame, matter, ("position", "id", "state", "colour"))
    number = -1 if row.whom is None else [s.id for s in shot.states].index(row.whom)
    who = np.ones(len(now["id"]), bool) if number < 0 else now["state"] == number
    ids, last = now["id"][who].astype(np.int64), now["position"][who]
    points = [last]
    for before in range(frame - 1, frame - row.frames - 1, -1):
        try:
            was = store.elements(before, matter, ("position", "id"))
        except KeyError:
            break
        place, there = places_of(was["id"].astype(np.int64), ids)
        last = last.copy()
        last[there] = was["position"][place]
        points.append(last)
    return {"points": np.stack(points, axis=1), "id": ids, "colour": _paint(now, who, shot.states)}


def _paint(now: dict[str, Array], who: NDArray[np.bool_], states: list[State]) -> Array:
    by_state = np.array([int(s.colour[1:], 16) for s in states] or [0], np.uint32)
    own = now["colour"][who]
    result: Array = np.where(own >> 24, own & 0xFFFFFF, by_state[now["state"][who]]).astype(np.uint32)
    return result
