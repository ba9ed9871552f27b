"""The guided first shot: five sentences on the bare plain, each gone once it is done."""

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from hotgravel.core.shot import edit
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.sources import Source
from hotgravel.core.shot.spot import Edited
from hotgravel.store import runs, settings


def _ball(shot: Shot) -> Edited:
    return edit.add_row(shot, "prop", name="ball", position=[0, 1, 0], shape={"kind": "sphere", "radius": 0.3})[0]


def _throwing(shot: Shot) -> Edited:
    stream = {"kind": "stream", "rate": 400, "start": 1, "end": 96}
    return edit.add_row(shot, "source", prop=shot.props[-1].id, emit=stream, speed=4, radius=0.03)[0]


def _removing(shot: Shot) -> Edited:
    return edit.add_row(shot, "cue", when={"kind": "older", "age": 2}, then={"kind": "remove"})[0]


@dataclass(frozen=True)
class Step:
    """A sentence of the guide: what its press is called, whether it is done, and the edit that does it, if one does."""

    name: str
    sentence: str
    press: str
    done: Callable[[Shot], bool]
    do: Callable[[Shot], Edited] | None = None


STEPS = (
    Step("prop", "Something must stand there for particles to leave.", "Add a ball", lambda s: len(s.props) > 1, _ball),
    Step(
        "source", "A source throws particles off a prop.", "Add a source",
        lambda s: any(isinstance(row, Source) for row in s.supply), _throwing,
    ),
    Step(
        "force", "Gravity is there; wind pushes them aside.", "Add wind", lambda s: len(s.forces) > 1,
        lambda s: edit.add_row(s, "wind")[0],
    ),
    Step("cue", "A cue acts when something happens.", "Add a cue", lambda s: bool(s.cues), _removing),
    Step("run", "Run it, and look; then change a number and run again.", "Press Run, or R", lambda s: False),
)  # fmt: skip


def guided(shot_id: int) -> str:
    return f"guided {shot_id}"


def steps_for(session: Session, shot_id: int, shot: Shot) -> list[Step]:
    """What is left to do, in order; nothing once it has run, or for a shot that is not guided."""
    if not settings.get(session, guided(shot_id), False) or runs.latest(session, shot_id) is not None:
        return []
    return [step for step in STEPS if not step.done(shot)]
