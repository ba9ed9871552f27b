"""What a worker does: one run, told about frame by frame."""

import time
from collections.abc import Callable
from typing import Any

from hotgravel.core.place import Place, place_of
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.gauges import telling_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.warm import telling_of_kernels, warm

TOPIC = "hotgravel"
CANCEL = "cancel"
BEHIND = 0  # stands for a run's number where no run waits
PICTURE = "picture.png"
PICTURE_SIZE = (640, 360)


def prepare() -> bool:
    """Load every kernel into this worker while it has nothing else to do, so that later runs need not wait.

    It is given up as soon as a run waits; whether it came to its end is returned.
    """
    from distributed import get_worker

    waiting = get_worker().state.ready  # what this worker is to do next

    def wanted() -> bool:
        return bool(waiting)

    def compiling(name: str) -> None:
        if wanted():
            raise _RunWaits
        _tell(BEHIND, {"preparing": name})

    try:
        return warm(compiling, wanted)
    except _RunWaits:
        return False
    finally:
        _tell(BEHIND, {"preparing": ""})


class _RunWaits(Exception):
    """A run waits for this worker."""


def run_shot(run_id: int, document: dict[str, Any], folder: str, meshes: str) -> str:
    """Compute a run into its folder; called in a worker. Returns the state it ended in."""
    with telling_of_kernels(lambda name: _tell(run_id, {"preparing": name})):
        return compute(document, place_of(folder), place_of(meshes), lambda **news: _tell(run_id, news), _abandoned)


def compute(
    document: dict[str, Any], folder: Place, meshes: Place, tell: Callable[..., None],
    abandoned: Callable[[], bool] = lambda: False,
) -> str:  # fmt: skip
    """A run with its picture. `tell` hears of each frame that landed; `abandoned` is asked before each."""
    world = build(load(document), beside(meshes))

    def stopped() -> bool:
        return (folder / CANCEL).exists() or abandoned()

    def landed(frame: int, gauges: dict[str, Any]) -> None:
        tell(frame=frame, gauges=gauges)

    kept = execute(
        world, folder, landed=landed, cancelled=stopped, resume=True, clock=time.perf_counter,
        processor=time.process_time,
    )  # fmt: skip
    take_picture(world, folder, kept)
    return "finished" if kept and kept[-1] == world.shot.finish.last else "cancelled"


def take_picture(world: Any, folder: Place, kept: list[int]) -> None:
    """A picture for the shot's card."""
    from hotgravel.core.picture.still import still_of

    if kept:
        store = FrameStore(folder)
        frame = telling_frame({frame: store.gauges(frame) for frame in kept})
        (folder / PICTURE).write_bytes(still_of(world, folder, frame, PICTURE_SIZE))


def _abandoned() -> bool:
    """Whether nobody waits any more: the scheduler, or the application that brought it, has ended."""
    from distributed import Status, get_worker

    return get_worker().status not in (Status.init, Status.running, Status.paused)


def _tell(run_id: int, news: dict[str, Any]) -> None:
    from distributed import get_worker

    get_worker().log_event(TOPIC, {"run": run_id, **news})
