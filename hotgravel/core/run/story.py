"""The story of one element of a run: what it is at a frame, its because, and the cues that could be asked about."""

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from hotgravel.core.cues.because import Reason, ancestry
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.reading import matter_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.matter import State
from hotgravel.core.shot.units import show_quantity

MOST_RINGED = 2000  # of those that a cue concerned in one frame


@dataclass(frozen=True)
class Story:
    """An element at a frame: what it is called, its facts as shown, why it is so, and the cues that have not fired."""

    element: int
    frame: int
    called: str
    state: State | None
    facts: dict[str, str]
    chain: list[Reason]
    asked: dict[str, str]


def picked(store: FrameStore, element: int, frame: int) -> tuple[str, dict[str, Array]]:
    """The matter of an element, and its columns at a frame. Raises `KeyError` with a sentence, `DamagedFrame`."""
    try:
        matter = matter_of(store, frame, element)
    except KeyError:
        raise KeyError(f"Frame {frame} is not kept in this run.") from None
    if matter is None:
        raise KeyError(f"There is no particle or body {element} at frame {frame}.")
    columns = store.elements(frame, matter)
    at = int(np.flatnonzero(columns["id"] == element)[0])
    return matter, {name: column[at] for name, column in columns.items()}


def story_of(shot: Shot, store: FrameStore, element: int, frame: int) -> Story:
    """The story of an element at a frame. Raises `KeyError` with a sentence, `DamagedFrame`."""
    name, columns = picked(store, element, frame)
    matter, events = MATTERS[name], events_until(store, frame)
    chain = ancestry(shot, events, element, frame, partial(_found, store))
    own = [Reason(at, row, said, element) for at, row, said in matter.reasons(shot, store, element, frame)]
    chain = sorted([*chain, *own], key=lambda reason: reason.frame)
    shown = {
        told.label: show_quantity(float(f"{told.read(columns):.4g}"), told.unit, shot.dress) for told in matter.facts
    }
    fired = {shot.cues[int(n)].id for n in np.unique(events.cue[events.particle == element])}
    asked = {cue.id: shot.names()[cue.id] for cue in shot.cues if cue.on and cue.id not in fired}
    number = int(columns["state"])  # less than 0 for what is in none, as smoke is
    state = shot.states[number] if 0 <= number < len(shot.states) else None
    return Story(element, frame, matter.called, state, shown, chain, asked)


def _found(store: FrameStore, element: int, frame: int) -> dict[str, Any] | None:
    """An element at a frame, or at the latest one before it that still has it."""
    names = ("id", "age", "source", "parent", "cause")
    for f in range(frame, -(10**9), -1):
        try:
            for matter in store.matters(f):
                arrays = store.elements(f, matter, names)
                at = np.flatnonzero(arrays["id"] == element)
                if len(at):
                    return {"frame": f} | {name: arrays[name][at[0]].item() for name in names[1:]}
        except KeyError:
            return None
    return None


def events_until(store: FrameStore, frame: int) -> Events:
    """All events up to a frame."""
    return all_events([store.events(f) for f in store.frames() if f <= frame])


def fired_at(shot: Shot, store: FrameStore, cue: str, frame: int) -> dict[str, Any]:
    """Whom a cue concerned on the way to a frame, and where. Raises `KeyError` with a sentence, `DamagedFrame`."""
    number = next((n for n, row in enumerate(shot.cues) if row.id == cue), None)
    if number is None:
        raise KeyError(f"There is no cue {cue!r} in this run.")
    try:
        events = store.events(frame)
    except KeyError:
        raise KeyError(f"Frame {frame} is not kept in this run.") from None
    mine = np.flatnonzero(events.cue == number)[:MOST_RINGED]
    return {"particles": events.particle[mine].tolist(), "places": events.place[mine].tolist()}
