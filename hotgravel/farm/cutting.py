"""Cuttings made in a process of their own, one at a time, watched and cancelled; the pieces go on the shelf."""

import hashlib
import json
import logging
import multiprocessing
import threading
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from hotgravel.core.place import Place, address_of, place_of, write_bytes

log = logging.getLogger(__name__)
TELL_EVERY = 0.2  # seconds
NAME = r"^[0-9a-f]{20}$"  # of a cutting: a hash of all that goes into it
GOING, DONE, FAILED, CANCELLED = "going", "done", "failed", "cancelled"
OLD = "The page has changed since; it is cut anew."


@dataclass(frozen=True)
class Standing:
    """How far the cutting of a shot is: its state, the share that is done, how many seconds it took, and why it
    failed."""

    name: str
    state: str
    share: float = 0.0
    seconds: float = 0.0
    message: str = ""


class Cuttings:
    """The cuttings that are made for the page, in a folder of notes."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._process: Any = None
        self._name = ""
        self._lock = threading.Lock()

    def start(self, keys: dict[str, bytes], document: dict[str, Any], meshes: Place) -> Standing:
        """Let the props of a shot be cut, in place of what is being cut for an older page, and tell how far that is.
        One that was cancelled or failed is not begun again."""
        name = hashlib.sha256(b"".join(keys.values())).hexdigest()[:20]
        with self._lock:
            standing = self._told(name)
            over = standing is not None and standing.state in (FAILED, CANCELLED) and standing.message != OLD
            if standing is not None and (over or self._alive(name)):
                return standing
            if self._alive(self._name):
                self._end()
                _note(self.folder, Standing(self._name, FAILED, message=OLD))
            begun = Standing(name, GOING)
            _note(self.folder, begun)
            self._process = multiprocessing.get_context("spawn").Process(
                target=_work, args=(str(self.folder), name, document, address_of(meshes)), daemon=True
            )
            self._process.start()
            self._name = name
            return begun

    def cancel(self, name: str) -> None:
        """End a cutting; it stays cancelled until it is asked for again."""
        with self._lock:
            if self._alive(name):
                self._end()
                _note(self.folder, Standing(name, CANCELLED, message="The cutting was cancelled."))

    def again(self, name: str) -> None:
        """Forget that a cutting failed or was cancelled."""
        (self.folder / f"{name}.json").unlink(missing_ok=True)

    def one(self, name: str) -> Standing | None:
        """By its name; one whose process has gone before its end has failed."""
        told = self._told(name)
        if told is not None and told.state == GOING and not self._alive(name):
            again = self._told(name)  # it may have ended between the two looks
            return Standing(name, FAILED, message="The process that cut it has ended.") if again == told else again
        return told

    def stop(self) -> None:
        """End what is under way."""
        with self._lock:
            self._end()

    def _alive(self, name: str) -> bool:
        return self._name == name and self._process is not None and self._process.is_alive()

    def _end(self) -> None:
        if self._process is not None and self._process.is_alive():
            self._process.kill()
            self._process.join()

    def _told(self, name: str) -> Standing | None:
        try:
            return Standing(**json.loads((self.folder / f"{name}.json").read_text()))
        except OSError:
            return None


def _note(folder: Path, standing: Standing) -> None:
    write_bytes(folder / f"{standing.name}.json", json.dumps(asdict(standing)).encode())


def _work(folder: str, name: str, document: dict[str, Any], meshes: str) -> None:
    """Cut a shot's props; called in a process of its own."""
    from hotgravel.core.run.world import beside
    from hotgravel.core.shape.setting import setting_of
    from hotgravel.core.shape.shelf import watched
    from hotgravel.core.shot.document import load
    from hotgravel.core.shot.faults import ShotFault

    out, begun, last = Path(folder), time.monotonic(), 0.0

    def told(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > TELL_EVERY:
            last = time.monotonic()
            _note(out, Standing(name, GOING, share, last - begun))

    try:
        with watched(told, time.monotonic):
            setting_of(load(document), beside(place_of(meshes)), None, [])
        _note(out, Standing(name, DONE, 1.0, time.monotonic() - begun))
    except ShotFault as fault:
        _note(out, Standing(name, FAILED, message=" ".join(f.message for f in fault.faults)))
    except Exception as fault:  # whatever it is, the page must say so
        log.warning("a cutting failed: %s: %s", type(fault).__name__, fault)
        _note(out, Standing(name, FAILED, message=f"It could not be cut ({type(fault).__name__}: {fault})."))
