"""Handovers from the page: each in a process and a folder of its own, with progress and cancel.

`handover.json` in the folder says what was wanted and how it stands.
"""

import json
import logging
import multiprocessing
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from itertools import count
from pathlib import Path
from typing import Any

from hotgravel.core.place import Place, address_of, place_of, remove, write_bytes
from hotgravel.core.run.frames import CannotKeep, DamagedFrame
from hotgravel.core.shot.faults import ShotFault

NOTE, CANCEL, FILES = "handover.json", "cancel", "files"
TELL_EVERY = 0.2  # seconds
GOING = "going"
GONE = object()  # for a handover of which this process knows nothing
log = logging.getLogger("hotgravel.farm")


@dataclass(frozen=True)
class Order:
    """What is to be handed over: the run's place, the meshes', and the wish."""

    run: int
    folder: str
    meshes: str
    kind: str
    revision: int
    wish: dict[str, Any]
    view: dict[str, Any] | None = None
    retimed: bool = False
    light: dict[str, Any] | None = None


@dataclass(frozen=True)
class Standing:
    """A handover as its folder says: its name, the order, how far it is, and how it ended."""

    name: str
    order: Order
    state: str
    share: float = 0.0
    files: list[str] = field(default_factory=list)
    message: str = ""


class Handings:
    """The handovers in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._going: dict[str, Any] = {}  # by name: the process, or None for one that waits for its turn
        self._turns = ThreadPoolExecutor(1, thread_name_prefix="handovers")

    def start(self, order: Order) -> str:
        """Let one be made when those before it are done, and return its name."""
        self.folder.mkdir(parents=True, exist_ok=True)
        for number in count(1):
            name = f"run-{order.run}-{order.kind}-{number}"
            with suppress(FileExistsError):
                (self.folder / name).mkdir()  # exclusively: of two at the same moment one takes the next number
                break
        self._going[name] = None
        _note(self.folder / name, Standing(name, order, GOING))
        self._turns.submit(self._turn, name, order)
        return name

    def _turn(self, name: str, order: Order) -> None:
        if name not in self._going:
            return  # it was removed while it waited
        folder = self.folder / name
        process = multiprocessing.get_context("spawn").Process(target=_work, args=(str(folder), order), daemon=True)
        process.start()
        self._going[name] = process
        process.join()
        if process.exitcode:
            log.warning("handover %s ended with code %s", name, process.exitcode)

    def all(self) -> Iterator[Standing]:
        """The latest first."""
        folders = [p for p in self.folder.iterdir() if (p / NOTE).is_file()] if self.folder.is_dir() else []
        for folder in sorted(folders, key=lambda p: p.stat().st_mtime, reverse=True):
            yield self._standing(folder)

    def one(self, name: str) -> Standing | None:
        """By its name; only names that are there are looked at."""
        return next((s for s in self.all() if s.name == name), None)

    def _standing(self, folder: Path) -> Standing:
        process = self._going.get(folder.name, GONE)
        over = process is GONE or (process is not None and not process.is_alive())
        told = json.loads((folder / NOTE).read_text())
        told["order"] = Order(**told["order"])
        standing = Standing(**told)
        if standing.state == GOING and over:
            message = f"It stopped before it was done; {len(list((folder / FILES).glob('*')))} files are there."
            return Standing(standing.name, standing.order, "stopped", standing.share, standing.files, message)
        return standing

    def files(self, standing: Standing) -> list[Path]:
        """The files of one, in order."""
        return [self.folder / standing.name / FILES / name for name in standing.files]

    def cancel(self, standing: Standing) -> None:
        (self.folder / standing.name / CANCEL).touch()

    def remove(self, standing: Standing) -> None:
        """Remove one with its files; what is going on is stopped first."""
        process = self._going.pop(standing.name, None)
        if process is not None and process.is_alive():
            process.terminate()
            process.join(5)
        remove(self.folder / standing.name)


def _note(folder: Path, standing: Standing) -> None:
    write_bytes(folder / NOTE, json.dumps(asdict(standing)).encode())


def _work(folder: str, order: Order) -> None:
    out = Path(folder)
    try:
        state, files = carry_out(order, out)
        message = "" if state == "finished" else f"Cancelled; {len(files)} files are there."
        _note(out, Standing(out.name, order, state, 1.0, files, message))
    except (ShotFault, CannotKeep, DamagedFrame) as fault:
        _note(out, Standing(out.name, order, "failed", 0.0, [], str(fault)))
    except Exception as fault:  # whatever it is, the page must say so
        log.warning("handover %s failed: %s: %s", out.name, type(fault).__name__, fault)
        said = f"It could not be made ({type(fault).__name__}: {fault})."
        _note(out, Standing(out.name, order, "failed", 0.0, [], said))


def carry_out(order: Order, out: Path) -> tuple[str, list[str]]:
    """Hand a run over into `out/files`. Returns the state it ended in, and the files."""
    from hotgravel.core.exchange.handing import hand_over
    from hotgravel.core.exchange.take import take_of, wish
    from hotgravel.core.run.world import beside

    place: Place = place_of(order.folder)
    meshes = beside(place_of(order.meshes))
    take = take_of(place, meshes, order.revision, order.view, retimed=order.retimed, light=order.light)
    wanted = wish(take.store.in_full(take.shot.finish), **order.wish)
    last = 0.0

    def told(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > TELL_EVERY:
            last = time.monotonic()
            _note(out, Standing(out.name, order, GOING, share))

    files = hand_over(take, wanted, order.kind, out / FILES, told, lambda: (out / CANCEL).exists())
    return ("cancelled" if (out / CANCEL).exists() else "finished"), files


def order_for(
    run: int, folder: Place, meshes: Place, kind: str, revision: int, wish: dict[str, Any], view: Any,
    retimed: bool = False, light: dict[str, Any] | None = None,
) -> Order:  # fmt: skip
    """An order from places; another process can carry it out."""
    return Order(run, address_of(folder), address_of(meshes), kind, revision, wish, view, retimed, light)
