"""The frame store: one file a frame, each all there or not there at all.

A frame is a Zarr 3 group in a zip file: a group `particles` and a group `events`, one
chunk an array, with the gauges as attributes. It is written beside its place and moved
into it, so that no reader and no killed process ever leaves half a frame.
"""

import json
import os
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.cues.record import COLUMNS, Events
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.run.zarr_file import read_arrays, read_attributes, write_groups

SUFFIX = ".zarr.zip"
FAULTS = (OSError, ValueError, KeyError, RuntimeError, EOFError, zipfile.BadZipFile, zlib.error)
STORED = {
    "position": np.float32, "velocity": np.float32, "age": np.float32, "life": np.float32,
    "radius": np.float32, "id": np.int64, "state": np.int16, "source": np.int16,
}  # fmt: skip


class DamagedFrame(ValueError):
    """A frame that is there but cannot be read."""


class CannotKeep(ValueError):
    """A frame or note could not be written; what was kept before is still there."""


REMEDY = "make room, or put the folder right, and let the run go on."


@contextmanager
def telling(what: str, kept: str = "", to: str = "") -> Iterator[None]:
    """Turn the system's refusal to write into `CannotKeep`: what, why, and what is kept all the same."""
    try:
        yield
    except OSError as error:
        reason = (error.strerror or type(error).__name__).lower()
        raise CannotKeep(f"{what} could not be written{to} ({reason}). {kept}".strip()) from error


class FrameStore:
    """The frames of one run, in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.frames_folder = folder / "frames"

    def path(self, frame: int) -> Path:
        return self.frames_folder / f"{frame:+07d}{SUFFIX}"

    def frames(self) -> list[int]:
        """The frames that are kept, in order."""
        names = self.frames_folder.glob(f"*{SUFFIX}") if self.frames_folder.is_dir() else []
        return sorted(int(p.name[: -len(SUFFIX)]) for p in names)

    def whole(self, first: int) -> list[int]:
        """The frames from `first` on that are kept without a hole and can be opened."""
        kept = []
        for expected, frame in enumerate(self.frames(), first):
            if frame != expected or not zipfile.is_zipfile(self.path(frame)):
                break
            kept.append(frame)
        return kept

    def write(self, frame: int, particles: Particles, events: Events, gauges: dict[str, Any]) -> None:
        """Land a frame, whole. The seconds that gauges tell stay out of it, so that the same frame
        is the same bytes."""
        measured = {name: value for name, value in gauges.items() if name != "seconds"}
        stored = {name: getattr(particles, name).astype(dtype) for name, dtype in STORED.items()}
        happened = {name: getattr(events, name) for name in COLUMNS}
        groups = {"particles": stored, "events": happened}
        with telling(f"Frame {frame}", f"The frames before it are kept: {REMEDY}"):
            write_groups(self.path(frame), groups, {"frame": frame, "gauges": measured})

    def write_seconds(self, frame: int, seconds: dict[str, float]) -> None:
        """How long each part of a frame took; kept beside it."""
        self.write_note(f"seconds/{frame:+07d}.json", seconds)

    def particles(self, frame: int, names: Iterable[str] = tuple(STORED)) -> dict[str, NDArray[Any]]:
        """Arrays of the particles at a frame, by name. Raises `KeyError`, `DamagedFrame`."""
        return self._read(frame, "particles", names)

    def events(self, frame: int) -> Events:
        """What happened on the way to a frame."""
        return Events(**self._read(frame, "events", COLUMNS))

    def gauges(self, frame: int) -> dict[str, Any]:
        """The gauges of a frame. Raises `KeyError`, `DamagedFrame`."""
        path = self._there(frame)
        try:
            gauges: dict[str, Any] = read_attributes(path)["gauges"]
        except FAULTS as error:
            raise self._damaged(frame) from error
        try:
            return gauges | {"seconds": self.note(f"seconds/{frame:+07d}.json")}
        except (OSError, ValueError):
            return gauges | {"seconds": {}}

    def _read(self, frame: int, group: str, names: Iterable[str]) -> dict[str, NDArray[Any]]:
        path = self._there(frame)
        try:
            return read_arrays(path, group, names)
        except FAULTS as error:
            raise self._damaged(frame) from error

    def _there(self, frame: int) -> Path:
        path = self.path(frame)
        if not path.is_file():
            raise KeyError(frame)
        return path

    def _damaged(self, frame: int) -> DamagedFrame:
        return DamagedFrame(f"Frame {frame} is kept but damaged. Run the shot again to make it anew.")

    def write_note(self, name: str, content: dict[str, Any]) -> None:
        """A small JSON file beside the frames (the shot, the run's facts), all there or not at all."""
        path = self.folder / name
        unfinished = path.with_name(f".{path.name}.{os.getpid()}")
        with telling(name, to=f" to {self.folder}"):
            path.parent.mkdir(parents=True, exist_ok=True)
            unfinished.write_text(json.dumps(content, indent=1))
            os.replace(unfinished, path)

    def note(self, name: str) -> dict[str, Any]:
        """Read it back. Raises `FileNotFoundError`."""
        result: dict[str, Any] = json.loads((self.folder / name).read_text())
        return result
