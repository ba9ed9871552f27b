"""The frame store: one file a frame, each all there or not there at all.

A frame is a Zarr 3 group in a zip file: a group `particles` and a group `events`, one
chunk an array, with the gauges as attributes. It is written beside its place and moved
into it, so that no reader and no killed process ever leaves half a frame.
"""

import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.cues.record import COLUMNS, Events
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.run.place import Place, files_in, write_bytes
from hotgravel.core.run.zarr_file import Span, plain_spans, read_arrays, read_attributes, write_groups

SUFFIX = ".zarr.zip"
FAULTS = (OSError, ValueError, KeyError, RuntimeError, EOFError, zipfile.BadZipFile, zlib.error)
STORED = {
    "position": np.float32, "velocity": np.float32, "age": np.float32, "life": np.float32,
    "radius": np.float32, "size": np.float32, "travelled": np.float32, "mass": np.float32,
    "temperature": np.float32, "colour": np.uint32, "id": np.uint32, "state": np.int16, "source": np.int16,
    "parent": np.int32, "cause": np.int16,
}  # fmt: skip
SKIN = {"vertices": np.float32, "faces": np.int32, "colour": np.uint32, "velocity": np.float32}
# What a stage draws; kept uncompressed, so that a frame is sent as it stands.
DRAWN = ("position", "velocity", "age", "radius", "id", "state", "colour")


class DamagedFrame(ValueError):
    """A frame that is there but cannot be read."""


class CannotKeep(ValueError):
    """A frame or note could not be written; what was kept before is still there."""


REMEDY = "make room, or put the folder right, and let the run go on."
PROCESSOR = "processor"  # seconds that processors worked on a frame, whatever else the machine did


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

    def __init__(self, folder: Place) -> None:
        self.folder = folder
        self.frames_folder = folder / "frames"

    def path(self, frame: int) -> Place:
        return self.frames_folder / f"{frame:+07d}{SUFFIX}"

    def frames(self) -> list[int]:
        """The frames that are kept, in order."""
        return sorted(int(p.name[: -len(SUFFIX)]) for p in files_in(self.frames_folder, f"*{SUFFIX}"))

    def whole(self, first: int) -> list[int]:
        """The frames from `first` on that are kept without a hole and can be opened."""
        kept = []
        for expected, frame in enumerate(self.frames(), first):
            if frame != expected:
                break
            with self.path(frame).open("rb") as file:
                if not zipfile.is_zipfile(file):
                    break
            kept.append(frame)
        return kept

    def write(
        self, frame: int, particles: Particles, events: Events, gauges: dict[str, Any],
        skins: Mapping[str, Mapping[str, NDArray[Any]]] | None = None,
    ) -> None:  # fmt: skip
        """Land a frame, whole. The seconds that gauges tell stay out of it, so that the same frame
        is the same bytes."""
        measured = {name: value for name, value in gauges.items() if name not in ("seconds", PROCESSOR)}
        stored = {name: getattr(particles, name).astype(dtype) for name, dtype in STORED.items()}
        happened = {name: getattr(events, name) for name in COLUMNS}
        groups = {"particles": stored, "events": happened}
        if skins:
            groups["skins"] = {}
            for row, arrays in skins.items():
                groups[f"skins/{row}"] = {name: arrays[name].astype(dtype) for name, dtype in SKIN.items()}
        with telling(f"Frame {frame}", f"The frames before it are kept: {REMEDY}"):
            write_groups(self.path(frame), groups, {"frame": frame, "gauges": measured}, plain=DRAWN)

    def moment(self, frame: int) -> float:
        """The frame of the run that stands at a frame."""
        return float(frame)

    def write_seconds(self, frame: int, seconds: dict[str, float], processor: float) -> None:
        """How long each part of a frame took, and how long processors worked on all of it; kept beside it."""
        self.write_note(f"seconds/{frame:+07d}.json", seconds | {PROCESSOR: processor})

    def particles(self, frame: int, names: Iterable[str] = tuple(STORED)) -> dict[str, NDArray[Any]]:
        """Arrays of the particles at a frame, by name. Raises `KeyError`, `DamagedFrame`."""
        return self._read(frame, "particles", names)

    def drawn(self, frame: int) -> tuple[tuple[Span, ...], Place]:
        """Where in which file the arrays that a stage draws lie. Raises `KeyError`, `DamagedFrame`.

        Their checksums are verified when a file is first asked for, and again when it has changed.
        """
        path = self._there(frame)
        try:
            return _spans(path, _stamp(path)), path
        except FAULTS as error:
            raise self._damaged(frame) from error

    def skin(self, frame: int, row: str) -> dict[str, NDArray[Any]]:
        """A skin of a frame: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb, velocity (V, 3).
        Raises `KeyError`, `DamagedFrame`."""
        return self._read(frame, f"skins/{row}", SKIN)

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
            seconds = self.note(f"seconds/{frame:+07d}.json")
        except (OSError, ValueError):
            seconds = {}
        return gauges | {PROCESSOR: seconds.pop(PROCESSOR, 0.0), "seconds": seconds}

    def _read(self, frame: int, group: str, names: Iterable[str]) -> dict[str, NDArray[Any]]:
        path = self._there(frame)
        try:
            return read_arrays(path, group, names)
        except FAULTS as error:
            raise self._damaged(frame) from error

    def _there(self, frame: int) -> Place:
        path = self.path(frame)
        if not path.is_file():
            raise KeyError(frame)
        return path

    def _damaged(self, frame: int) -> DamagedFrame:
        return DamagedFrame(f"Frame {frame} is kept but damaged. Run the shot again to make it anew.")

    def write_note(self, name: str, content: dict[str, Any]) -> None:
        """A small JSON file beside the frames (the shot, the run's facts), all there or not at all."""
        with telling(name, to=f" to {self.folder}"):
            write_bytes(self.folder / name, json.dumps(content, indent=1).encode())

    def note(self, name: str) -> dict[str, Any]:
        """Read it back. Raises `FileNotFoundError`."""
        result: dict[str, Any] = json.loads((self.folder / name).read_text())
        return result


def _stamp(path: Place) -> Any:
    """What changes when a file does."""
    if not isinstance(path, Path):
        return path.fs.ukey(path.path)
    told = path.stat()
    return told.st_mtime_ns, told.st_size, told.st_ino


@lru_cache(maxsize=20_000)
def _spans(path: Place, _stamp: Any) -> tuple[Span, ...]:
    return plain_spans(path, "particles", DRAWN)
